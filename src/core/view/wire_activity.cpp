// Tested by tests/core/wire_activity_test.cpp.
#include "core/view/wire_activity.h"

#include <algorithm>
#include <cmath>
#include <optional>
#include <set>

#include "core/signal/edge_stream.h"
#include "core/view/overview.h"
#include "core/view/time_axis.h"

namespace bexto {

namespace {

/// So many transitions show what a wire is like.
constexpr std::size_t kLook = 64;
/// So many in a row are traffic.
constexpr std::size_t kTraffic = 8;
/// More wires than this are not looked at: the first view has to come at once.
constexpr std::size_t kMostWires = 20000;
constexpr double kPixelsBetweenEdges = 4.0;

template <typename Visit>
void eachColumn(const EdgeTrack& track, TimeRange whole, int columns, Visit visit)
{
  const TimeAxis axis(whole, std::max(1, columns));
  std::uint64_t first = track.countBefore(axis.timeAt(0));
  for (int x = 0; x < columns; ++x) {
    const std::uint64_t next = track.countBefore(axis.timeAt(x + 1.0));
    visit(static_cast<std::size_t>(x), next - first);
    first = next;
  }
}

/// A wire's begin, and where in it traffic begins.
struct Begin {
  std::vector<std::int64_t> edges;
  std::size_t active = 0;     ///< edge that traffic begins with
  std::int64_t quickest = 0;  ///< time that kTraffic transitions take where they are closest
};

std::optional<Begin> beginOf(const Channel& channel, Picoseconds end)
{
  Begin begin;
  if (channel.track.size() == 0)
    return std::nullopt;
  for (EdgeStream s(channel.signal(), Picoseconds{0}, end, true);
       s.next() != kNever.count() && begin.edges.size() < kLook; s.advance())
    begin.edges.push_back(s.next());
  if (begin.edges.size() < kTraffic)
    return begin;
  const auto lengthFrom = [&](std::size_t i) { return begin.edges[i + kTraffic - 1] - begin.edges[i]; };
  begin.quickest = lengthFrom(0);
  const std::size_t last = begin.edges.size() - kTraffic;
  for (std::size_t i = 1; i <= last; ++i)
    begin.quickest = std::min(begin.quickest, lengthFrom(i));
  // Where it is about as quick as it gets: what comes alone before that is a reset, or switching on.
  while (begin.active < last && lengthFrom(begin.active) > begin.quickest * 8)
    ++begin.active;
  return begin;
}

/// Of the distances between neighbours in the range, one that nine in ten are longer than.
std::int64_t shortDistance(const Begin& wire, std::int64_t from, std::int64_t to)
{
  std::vector<std::int64_t> distances;
  for (std::size_t i = 1; i < wire.edges.size(); ++i) {
    if (wire.edges[i - 1] >= from && wire.edges[i] <= to)
      distances.push_back(wire.edges[i] - wire.edges[i - 1]);
  }
  if (distances.size() + 1 < kTraffic)
    return kNever.count();
  const auto tenth = distances.begin() + static_cast<std::ptrdiff_t>(distances.size() / 10);
  std::nth_element(distances.begin(), tenth, distances.end());
  return *tenth;
}

}  // namespace

std::vector<std::uint8_t> wireDensity(const EdgeTrack& track, TimeRange whole, int columns, std::uint64_t most)
{
  std::vector<std::uint8_t> density(static_cast<std::size_t>(std::max(0, columns)), 0);
  const double full = std::log2(1.0 + static_cast<double>(std::max<std::uint64_t>(1, most)));
  eachColumn(track, whole, columns, [&](std::size_t x, std::uint64_t count) {
    if (count > 0)
      density[x] = static_cast<std::uint8_t>(
          1 + std::lround(254.0 * std::min(1.0, std::log2(1.0 + static_cast<double>(count)) / full)));
  });
  return density;
}

std::uint64_t mostTransitions(const EdgeTrack& track, TimeRange whole, int columns)
{
  std::uint64_t most = 0;
  eachColumn(track, whole, columns, [&](std::size_t, std::uint64_t count) { most = std::max(most, count); });
  return most;
}

std::vector<std::size_t> busiestWires(const std::vector<Channel>& channels, std::size_t most)
{
  std::vector<std::size_t> wires;
  std::set<const void*> seen;
  for (std::size_t i = 0; i < channels.size(); ++i) {
    if (channels[i].track.size() > 0 && seen.insert(channels[i].track.identity()).second)
      wires.push_back(i);
  }
  if (wires.size() > most) {
    const auto busier = [&](std::size_t a, std::size_t b) {
      return channels[a].track.size() != channels[b].track.size() ? channels[a].track.size() > channels[b].track.size()
                                                                  : a < b;
    };
    std::nth_element(wires.begin(), wires.begin() + static_cast<std::ptrdiff_t>(most), wires.end(), busier);
    wires.resize(most);
    std::sort(wires.begin(), wires.end());
  }
  return wires;
}

TimeRange firstActiveStretch(std::span<const Channel> channels, TimeRange whole, int pixels)
{
  std::vector<Begin> wires;
  std::int64_t quickest = kNever.count();
  for (const Channel& channel : channels) {
    auto begin = beginOf(channel, whole.end);
    if (!begin || begin->edges.empty())
      continue;
    if (begin->edges.size() >= kTraffic)
      quickest = std::min(quickest, begin->quickest);
    wires.push_back(std::move(*begin));
    if (wires.size() == kMostWires)
      break;
  }
  if (wires.empty())
    return whole;
  const auto within = [&](TimeRange span) {
    return TimeRange{std::max(span.begin, whole.begin), std::min(span.end, whole.end)};
  };
  constexpr double kRoom = 0.06;
  if (quickest == kNever.count()) {
    // A few edges and no more: all of them.
    TimeRange all{kNever, Picoseconds{0}};
    for (const Begin& wire : wires) {
      all.begin = std::min(all.begin, Picoseconds{wire.edges.front()});
      all.end = std::max(all.end, Picoseconds{wire.edges.back()});
    }
    // One alone shows where it is.
    return all.begin == all.end ? whole : within(spanAround(all, kRoom));
  }
  constexpr std::int64_t kSlower = 1000;
  const Begin* leader = nullptr;
  for (const Begin& wire : wires) {
    const bool active = wire.edges.size() >= kTraffic && wire.quickest / kSlower <= quickest;
    if (active && (leader == nullptr || wire.edges[wire.active] < leader->edges[leader->active]))
      leader = &wire;
  }
  const std::int64_t begin = leader->edges[leader->active];
  // As long as it goes on: a rest that is much longer than what was before it ends it.
  std::int64_t end = leader->edges[leader->active + kTraffic - 1];
  for (std::size_t i = leader->active + kTraffic; i < leader->edges.size(); ++i) {
    if (leader->edges[i] - end > 2 * (end - begin))
      break;
    end = leader->edges[i];
  }
  std::int64_t apart = kNever.count();
  for (const Begin& wire : wires)
    apart = std::min(apart, shortDistance(wire, begin, end));
  if (apart != kNever.count()) {
    const double longest = static_cast<double>(apart) / kPixelsBetweenEdges * std::max(64, pixels);
    end = begin + std::min<std::int64_t>(end - begin, std::llround(longest));
  }
  return within(spanAround({Picoseconds{begin}, Picoseconds{end}}, kRoom));
}

}  // namespace bexto
