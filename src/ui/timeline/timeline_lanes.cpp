#include "ui/timeline/timeline_lanes.h"

#include <algorithm>

#include "core/decode/protocol.h"
#include "ui/theme/theme.h"

namespace bexto::ui {

namespace {

/// A bus lane with its wires, or a wire alone.
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
  return lane;
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
  if (view.streams.size() > 1)
    lane.detail += QLatin1Char(' ') + toQString(stream.line).toUpper();
  lane.stream = id;
  const auto ofStream = [&](const RoleSpec& role) {
    return view.shown.has(role.name) && (stream.line.empty() || stream.line == role.name);
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
    if (!ofStream(role))
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

int usualHeight(const TimelineLane& lane)
{
  if (lane.kind == TimelineLane::Kind::Wire)
    return kWireLaneHeight;
  return kBusLaneHeight + (static_cast<int>(lane.lines.size()) - 1) * kSecondLineHeight;
}

}  // namespace

std::vector<TimelineLane> timelineLanes(const Engine& engine, const LaneArrangement& arrangement, std::size_t* left)
{
  std::vector<TimelineLane> lanes;
  if (!engine.capture())
    return lanes;
  std::vector<Group> groups;
  std::vector<bool> used(engine.capture()->channels.size(), false);
  for (int b = 0; b < engine.busCount(); ++b) {
    for (std::size_t s = 0; s < engine.bus(b).streams.size(); ++s) {
      const std::vector<std::size_t>& channels = engine.bus(b).streams[s].channels;
      for (const std::size_t channel : channels)
        used[channel] = true;
      groups.push_back(busGroup(engine, engine.bus(b), s, arrangement));
    }
  }
  std::size_t others = 0;
  for (std::size_t i = 0; i < engine.capture()->channels.size(); ++i) {
    const Channel& channel = engine.capture()->channels[i];
    if (used[i] || channel.track.size() == 0 || (++others > kMostLooseWires && !arrangement.hasAllWires()))
      continue;
    TimelineLane wire = wireLane(*engine.capture(), i, arrangement);
    wire.key = wire.group = {BusId::None, {}, channel.path};
    groups.push_back({wire.key, {std::move(wire)}});
  }
  if (left != nullptr)
    *left = arrangement.hasAllWires() ? 0 : others - std::min(others, kMostLooseWires);
  std::stable_sort(groups.begin(), groups.end(), [&](const Group& a, const Group& b) {
    return arrangement.rankOf(a.key) < arrangement.rankOf(b.key);
  });
  int top = 0;
  for (Group& group : groups) {
    std::stable_sort(group.lanes.begin() + 1, group.lanes.end(), [&](const TimelineLane& a, const TimelineLane& b) {
      return arrangement.rankOf(a.key) < arrangement.rankOf(b.key);
    });
    for (TimelineLane& lane : group.lanes) {
      const bool folded = &lane != &group.lanes.front() && arrangement.isFolded(group.key);
      if (folded || arrangement.isHidden(lane.key))
        continue;
      lane.height = px(arrangement.heightOf(lane.key, usualHeight(lane)));
      lane.top = top;
      top += lane.height;
      lanes.push_back(std::move(lane));
    }
  }
  return lanes;
}

}  // namespace bexto::ui
