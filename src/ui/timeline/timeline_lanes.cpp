#include "ui/timeline/timeline_lanes.h"

#include <algorithm>
#include <iterator>
#include <map>

#include "core/decode/protocol.h"
#include "ui/theme/theme.h"

namespace bexto::ui {

namespace {

/// A bus lane or a number with its wires, or a wire alone.
struct Group {
  LaneKey key;
  std::vector<TimelineLane> lanes;
};

TimelineLane wireLane(const Capture& capture, std::size_t number, const LaneArrangement& arrangement)
{
  const Channel& channel = capture.channels[number];
  TimelineLane lane;
  lane.kind = TimelineLane::Kind::Wire;
  lane.name = toQString(arrangement.nameOf(channel.path, channel.name));
  lane.channel = number;
  lane.track = channel.signal();
  lane.colour = arrangement.colourOf(channel.path);
  return lane;
}

Group looseWire(const Capture& capture, std::size_t number, const LaneArrangement& arrangement)
{
  TimelineLane wire = wireLane(capture, number, arrangement);
  wire.key = wire.group = {BusId::None, {}, capture.channels[number].path};
  return {wire.key, {std::move(wire)}};
}

Group numberGroup(const Capture& capture, const ChannelVector& vector, const LaneArrangement& arrangement)
{
  Group group{{BusId::None, {}, vector.path}, {}};
  TimelineLane lane;
  lane.kind = TimelineLane::Kind::Number;
  lane.name = toQString(arrangement.nameOf(vector.path, vector.name));
  lane.key = lane.group = group.key;
  lane.format = arrangement.formatOf(group.key);
  lane.folded = !arrangement.isOpened(group.key);
  for (std::size_t bit = 0; bit < vector.width; ++bit)
    lane.bits.push_back(capture.channels[vector.firstChannel + bit].signal());
  const bool opened = !lane.folded;
  group.lanes.push_back(std::move(lane));
  for (std::size_t bit = 0; opened && bit < vector.width; ++bit) {
    Group wire = looseWire(capture, vector.firstChannel + bit, arrangement);
    wire.lanes.front().group = group.key;
    group.lanes.push_back(std::move(wire.lanes.front()));
  }
  return group;
}

/// A part of names that is looked for, in either case. There may be thousands of names at every key, so those of plain
/// letters are not turned into QStrings.
class Wanted {
 public:
  explicit Wanted(const QString& part) : m_part(part), m_plain(part.toLower().toStdString())
  {
    m_isPlain = std::all_of(m_plain.begin(), m_plain.end(), [](char c) { return static_cast<signed char>(c) >= 0; });
  }

  bool isIn(const std::string& name) const
  {
    if (!m_isPlain)
      return toQString(name).contains(m_part, Qt::CaseInsensitive);
    const auto lower = [](char c) { return c >= 'A' && c <= 'Z' ? static_cast<char>(c + ('a' - 'A')) : c; };
    return std::search(name.begin(), name.end(), m_plain.begin(), m_plain.end(),
                       [&](char a, char b) { return lower(a) == b; }) != name.end();
  }

 private:
  const QString& m_part;
  std::string m_plain;
  bool m_isPlain = true;
};

/// Wires and numbers that no bus needs, one after the other.
class LooseLanes {
 public:
  LooseLanes(const Capture& capture, const LaneArrangement& arrangement, const std::vector<bool>& used,
             const QString& find)
      : m_capture(capture), m_arrangement(arrangement), m_used(used), m_find(find)
  {
  }

  std::vector<Group> groups(LanesLeft& left)
  {
    auto vector = m_capture.vectors.begin();
    for (std::size_t i = 0; i < m_capture.channels.size();) {
      const bool isNumber = vector != m_capture.vectors.end() && vector->firstChannel == i;
      const std::size_t width = isNumber ? vector->width : 1;
      take(i, width, isNumber ? &*vector : nullptr);
      i += width;
      vector += isNumber ? 1 : 0;
    }
    if (m_arrangement.areLooseFolded() && m_find.isEmpty()) {
      left.folded = m_others;
      return {};
    }
    left.moving = m_others - std::min(m_others, mostLanes());
    left.still = m_still.size();
    // Where nothing moves at all, they are what there is to see.
    const bool nothingMoves = m_others == 0 && std::find(m_used.begin(), m_used.end(), true) == m_used.end();
    const bool shown = (m_arrangement.hasStillWires() || nothingMoves) && m_find.isEmpty();
    if (nothingMoves && m_still.size() <= mostLanes())
      left.still = 0;
    // Whoever asks for them gets all of them.
    const std::size_t lanes = m_arrangement.hasStillWires() ? m_still.size() : std::min(m_still.size(), mostLanes());
    for (std::size_t i = 0; shown && i < lanes; ++i)
      m_groups.push_back(make(m_still[i].channel, m_still[i].vector));
    return std::move(m_groups);
  }

 private:
  struct Still {
    std::size_t channel = 0;
    const ChannelVector* vector = nullptr;
  };

  std::size_t mostLanes() const { return m_arrangement.hasAllWires() ? m_capture.channels.size() : kMostLooseWires; }

  Group make(std::size_t channel, const ChannelVector* vector) const
  {
    return vector != nullptr ? numberGroup(m_capture, *vector, m_arrangement)
                             : looseWire(m_capture, channel, m_arrangement);
  }

  bool fits(std::size_t channel, const ChannelVector* vector) const
  {
    const std::string& path = vector != nullptr ? vector->path : m_capture.channels[channel].path;
    const std::string& name = m_arrangement.nameOf(path, path);
    return m_wanted.isIn(path) || (&name != &path && m_wanted.isIn(name));
  }

  void take(std::size_t channel, std::size_t width, const ChannelVector* vector)
  {
    bool all = true;
    bool moves = false;
    for (std::size_t i = channel; i < channel + width; ++i) {
      all = all && m_used[i];
      moves = moves || m_capture.channels[i].track.size() > 0;
    }
    if (all)
      return;
    if (m_find.isEmpty() && !moves) {
      m_still.push_back({channel, vector});
      return;
    }
    if (m_find.isEmpty() || fits(channel, vector)) {
      add(channel, vector);
      return;
    }
    // "state[3]" is one bit of state[7:0].
    for (std::size_t bit = channel; vector != nullptr && bit < channel + width; ++bit) {
      if (fits(bit, nullptr))
        add(bit, nullptr);
    }
  }

  void add(std::size_t channel, const ChannelVector* vector)
  {
    if (++m_others <= mostLanes())
      m_groups.push_back(make(channel, vector));
  }

  const Capture& m_capture;
  const LaneArrangement& m_arrangement;
  const std::vector<bool>& m_used;
  const QString& m_find;
  const Wanted m_wanted{m_find};
  std::size_t m_others = 0;
  std::vector<Still> m_still;
  std::vector<Group> m_groups;
};

/// Whether a group of a bus has what is looked for; of several wires only those that have it stay.
bool narrow(Group& group, const QString& find)
{
  const auto fits = [&](const TimelineLane& lane) { return lane.name.contains(find, Qt::CaseInsensitive); };
  if (find.isEmpty() || fits(group.lanes.front()))
    return true;
  const auto others =
      std::remove_if(group.lanes.begin() + 1, group.lanes.end(), [&](const TimelineLane& lane) { return !fits(lane); });
  group.lanes.erase(others, group.lanes.end());
  return group.lanes.size() > 1;
}

Group busGroup(const Engine& engine, const BusView& view, std::size_t number, const LaneArrangement& arrangement)
{
  const StreamView& stream = view.streams[number];
  const StreamId id{view.id, static_cast<int>(number)};
  const Protocol& protocol = view.shown.protocol();
  Group group{{view.id, stream.line, {}}, {}};
  TimelineLane lane;
  lane.kind = TimelineLane::Kind::Bus;
  lane.name = toQString(view.shown.name);
  lane.detail = toQString(protocol.label());
  if (view.streams.size() > 1) {
    lane.direction = toQString(stream.line).toUpper();
    lane.detail = (lane.detail + QLatin1Char(' ') + lane.direction).trimmed();
  }
  lane.stream = id;
  lane.hasRecords = stream.input.records != nullptr || stream.isOfWholes();
  const auto ofStream = [&](const RoleSpec& role) {
    return view.shown.has(role.name) && !stream.isOfWholes() && (stream.line.empty() || stream.line == role.name);
  };
  const std::vector<RoleSpec>& roles = protocol.facts().roles;
  for (const RoleSpec& role : roles) {
    if (role.dataLine >= 0 && ofStream(role))
      lane.lines << toQString(role.label);
  }
  lane.key = lane.group = group.key;
  lane.folded = arrangement.isFolded(group.key);
  group.lanes.push_back(std::move(lane));
  std::size_t next = 0;
  for (const RoleSpec& role : roles) {
    if (!ofStream(role) || stream.input.records)
      continue;
    TimelineLane wire = wireLane(*engine.capture(), stream.channels[next++], arrangement);
    wire.stream = id;
    wire.sampledLine = role.dataLine;
    wire.group = group.key;
    wire.key = {view.id, stream.line, engine.capture()->channels[wire.channel].path};
    group.lanes.push_back(std::move(wire));
  }
  return group;
}

void addPlots(Group& group, const BusView& view, const std::vector<std::shared_ptr<const PlotView>>& plots)
{
  for (const std::shared_ptr<const PlotView>& plot : plots) {
    if (plot->plot.bus != view.id)
      continue;
    TimelineLane lane;
    lane.kind = TimelineLane::Kind::Plot;
    lane.name = plot->name;
    lane.stream = plot->stream;
    lane.plot = plot;
    lane.group = group.key;
    lane.key = plotKey(plot->plot, group.key.line);
    group.lanes.push_back(std::move(lane));
  }
}

int usualHeight(const TimelineLane& lane)
{
  if (lane.kind == TimelineLane::Kind::Plot)
    return kPlotLaneHeight;
  if (lane.kind != TimelineLane::Kind::Bus)
    return kWireLaneHeight;
  if (lane.hasRecords)
    return kRecordsLaneHeight;
  if (lane.folded)
    return kFoldedBusHeight;
  return kBusLaneHeight + (static_cast<int>(lane.lines.size()) - 1) * kSecondLineHeight;
}

}  // namespace

Picoseconds TimelineLane::nearestEdge(Picoseconds t) const
{
  if (plot) {
    const ValueSeries& series = plot->series;
    const std::uint64_t after = series.countBefore(t);
    const Picoseconds next = after < series.size() ? series.at(after).at : kNever;
    const Picoseconds before = after > 0 ? series.at(after - 1).at : kNever;
    const bool nearer = before != kNever && (next == kNever || t - before <= next - t);
    return nearer ? before : next;
  }
  Picoseconds best = track.track.nearestTo(t);
  for (const ConditionedTrack& bit : bits) {
    const Picoseconds edge = bit.track.nearestTo(t);
    const bool nearer = best == kNever || std::chrono::abs(edge - t) < std::chrono::abs(best - t);
    if (edge != kNever && nearer)
      best = edge;
  }
  return best;
}

TimeRange TimelineLane::restAround(Picoseconds t, TimeRange whole) const
{
  TimeRange rest = whole;
  const auto narrow = [&](const EdgeTrack& wire) {
    rest.begin = std::max(rest.begin, wire.previousBefore(t + Picoseconds{1}));
    rest.end = std::min(rest.end, wire.nextAfter(t));
  };
  if (plot) {
    const std::uint64_t after = plot->series.countBefore(t + Picoseconds{1});
    if (after > 0)
      rest.begin = plot->series.at(after - 1).at;
    if (after < plot->series.size())
      rest.end = plot->series.at(after).at;
  }
  if (kind == Kind::Wire)
    narrow(track.track);
  for (const ConditionedTrack& bit : bits)
    narrow(bit.track);
  return rest;
}

namespace {
constexpr std::string_view kPlotPrefix = "plot:";
}

LaneKey plotKey(const Plot& plot, const std::string& line)
{
  return {plot.bus, line, std::string(kPlotPrefix) + plot.of.device + "." + plot.of.subject + "." + plot.of.value};
}

bool isPlotKey(const LaneKey& key)
{
  return key.bus != BusId::None && key.channel.starts_with(kPlotPrefix);
}

std::vector<TimelineLane> timelineLanes(const Engine& engine, const LaneArrangement& arrangement, const QString& find,
                                        LanesLeft* left, const std::vector<std::shared_ptr<const PlotView>>& plots)
{
  std::vector<TimelineLane> lanes;
  LanesLeft rest;
  if (!engine.capture())
    return lanes;
  std::vector<Group> groups;
  // An interface is no wire, whether a bus reads it or not.
  std::vector<bool> used;
  for (const Channel& channel : engine.capture()->channels)
    used.push_back(!channel.isWire());
  for (int b = 0; b < engine.busCount(); ++b) {
    for (std::size_t s = 0; s < engine.bus(b).streams.size(); ++s) {
      const std::vector<std::size_t>& channels = engine.bus(b).streams[s].channels;
      for (const std::size_t channel : channels)
        used[channel] = true;
      Group group = busGroup(engine, engine.bus(b), s, arrangement);
      if (s + 1 == engine.bus(b).streams.size())
        addPlots(group, engine.bus(b), plots);
      if (narrow(group, find))
        groups.push_back(std::move(group));
    }
  }
  std::vector<Group> loose = LooseLanes(*engine.capture(), arrangement, used, find).groups(rest);
  std::move(loose.begin(), loose.end(), std::back_inserter(groups));
  if (left != nullptr)
    *left = rest;
  const std::map<LaneKey, std::size_t> ranks = arrangement.ranks();
  const auto rankOf = [&](const LaneKey& key) {
    const auto found = ranks.find(key);
    return found == ranks.end() ? ranks.size() : found->second;
  };
  std::stable_sort(groups.begin(), groups.end(),
                   [&](const Group& a, const Group& b) { return rankOf(a.key) < rankOf(b.key); });
  int top = 0;
  for (Group& group : groups) {
    std::stable_sort(group.lanes.begin() + 1, group.lanes.end(),
                     [&](const TimelineLane& a, const TimelineLane& b) { return rankOf(a.key) < rankOf(b.key); });
    for (TimelineLane& lane : group.lanes) {
      // What somebody looks for is found, also where it was put away.
      const bool isWire = &lane != &group.lanes.front() && lane.kind != TimelineLane::Kind::Plot;
      const bool folded = isWire && group.lanes.front().folded;
      if (find.isEmpty() && (folded || arrangement.isHidden(lane.key)))
        continue;
      lane.height = px(arrangement.heightOf(lane.key, usualHeight(lane)));
      lane.top = top;
      top += lane.height;
      lanes.push_back(std::move(lane));
    }
  }
  return lanes;
}

void makeRoomFor(const MeasuredInterval& interval, const std::vector<Channel>& channels,
                 std::vector<TimelineLane>& lanes)
{
  const auto isWire = [&](const TimelineLane& lane) {
    return lane.kind == TimelineLane::Kind::Wire && lane.channel < channels.size() &&
           channels[lane.channel].path == interval.channel;
  };
  // A wire that buses share has a lane under each.
  auto lane = std::find_if(lanes.begin(), lanes.end(),
                           [&](const TimelineLane& l) { return isWire(l) && l.stream.bus == interval.bus; });
  if (lane == lanes.end())
    lane = std::find_if(lanes.begin(), lanes.end(), isWire);
  if (lane == lanes.end())
    lane = std::find_if(lanes.begin(), lanes.end(), [&](const TimelineLane& l) {
      return l.kind == TimelineLane::Kind::Bus && l.stream.bus == interval.bus;
    });
  if (lane == lanes.end())
    return;
  lane->dimension = px(kDimensionHeight);
  lane->height += lane->dimension;
  for (auto below = lane + 1; below != lanes.end(); ++below)
    below->top += lane->dimension;
}

}  // namespace bexto::ui
