// Samples that are taken at an even rate and written down in ticks: each transition is a whole number of periods behind
// the first, up to the rounding. When the period is a whole number of ticks, it is the greatest common divisor. Else
// (24 MHz in a file of nanoseconds) it is looked for among the fractions of the shortest distance, the largest first:
// each further distance is some whole number of periods and so narrows it down, or rules it out.
//
// Tested by tests/core/sample_period_test.cpp.
#include "core/check/sample_period.h"

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <limits>
#include <numeric>
#include <set>
#include <vector>

#include "core/signal/edge_stream.h"

namespace bexto {

namespace {

/// Of each wire; what is found in these holds for the rest.
constexpr std::uint64_t kMostEdges = 4'000'000;
/// Distances that are tried first, before those of the whole capture.
constexpr std::size_t kFirstDistances = 2048;
constexpr int kMostSteps = 50'000;

/// A period in ticks, between these bounds, both excluded.
struct Bounds {
  double low;
  double high;
};

std::vector<const Channel*> wiresOf(const Capture& capture)
{
  std::vector<const Channel*> wires;
  std::set<const void*> seen;
  for (const Channel& channel : capture.channels) {
    if (channel.isWire() && channel.track.size() > 0 && seen.insert(channel.track.identity()).second)
      wires.push_back(&channel);
  }
  return wires;
}

/// Calls `use(time)` for transitions as the source had them, one wire after the other, until it returns false.
template <typename Use>
bool forEachEdge(const std::vector<const Channel*>& wires, Picoseconds end, const Use& use)
{
  for (const Channel* const wire : wires) {
    EdgeStream edges(ConditionedTrack(wire->track), Picoseconds{0}, end, true);
    for (std::uint64_t i = 0; i < kMostEdges && edges.next() != kNever.count(); ++i, edges.advance()) {
      if (!use(edges.next()))
        return false;
    }
  }
  return true;
}

/// Looks for a period that explains distances, which rise.
class PeriodSearch {
 public:
  explicit PeriodSearch(const std::vector<double>& distances) : m_distances(distances) {}

  std::optional<Bounds> from(std::size_t at, Bounds bounds)
  {
    if (++m_steps > kMostSteps)
      return std::nullopt;
    for (; at < m_distances.size(); ++at) {
      const double distance = m_distances[at];
      // Which multiples it can be, the fewest first: that is the largest period.
      const double least = std::max(1.0, std::floor((distance - 1.0) / bounds.high) + 1.0);
      const double most = std::ceil((distance + 1.0) / bounds.low) - 1.0;
      if (most < least)
        return std::nullopt;
      if (most - least > 16.0)
        continue;  // it says nothing yet
      if (most > least) {
        for (double times = least; times <= most; times += 1.0) {
          if (const auto found = from(at + 1, narrowed(bounds, distance, times)))
            return found;
        }
        return std::nullopt;
      }
      bounds = narrowed(bounds, distance, least);
      if (bounds.low >= bounds.high)
        return std::nullopt;
    }
    return bounds;
  }

  static Bounds narrowed(const Bounds& bounds, double distance, double times)
  {
    return {std::max(bounds.low, (distance - 1.0) / times), std::min(bounds.high, (distance + 1.0) / times)};
  }

 private:
  const std::vector<double>& m_distances;
  int m_steps = 0;
};

/// The fraction of ticks that is the period; 0: there is none of more than two ticks. What is less, any row of whole
/// numbers fits to within a tick.
double fractionalPeriod(const std::vector<const Channel*>& wires, Picoseconds end, double tick)
{
  std::vector<std::int64_t> first;
  for (const Channel* const wire : wires) {
    const std::size_t most = first.size() + kFirstDistances;
    forEachEdge({wire}, end, [&](std::int64_t at) {
      first.push_back(at);
      return first.size() < most;
    });
  }
  std::sort(first.begin(), first.end());
  first.erase(std::unique(first.begin(), first.end()), first.end());
  std::set<std::int64_t> distances;
  for (std::size_t i = 1; i < first.size(); ++i) {
    distances.insert(first[i] - first[i - 1]);
    distances.insert(first[i] - first[0]);
  }
  if (distances.empty())
    return 0.0;
  std::vector<double> rising;
  rising.reserve(distances.size());
  for (const std::int64_t distance : distances)
    rising.push_back(static_cast<double>(distance) / tick);
  PeriodSearch search(rising);
  constexpr double kTrivial = 2.0;
  // The shortest distance is some number of periods, the fewer the better.
  std::optional<Bounds> bounds;
  for (double times = 1.0; !bounds && (rising.front() + 1.0) / times > kTrivial; times += 1.0)
    bounds = search.from(
        1, PeriodSearch::narrowed({kTrivial, std::numeric_limits<double>::infinity()}, rising.front(), times));
  if (!bounds)
    return 0.0;
  // The rest, from near to far, where each distance leaves one multiple only.
  const std::int64_t origin = first.front();
  std::int64_t anchor = origin;
  const bool holds = forEachEdge(wires, end, [&](std::int64_t at) {
    if (at < anchor)
      anchor = origin;  // the next wire
    const double distance = static_cast<double>(at - anchor) / tick;
    if (distance <= 0.0)
      return true;
    const double times = std::round(2.0 * distance / (bounds->low + bounds->high));
    const double doubt = distance / bounds->low - distance / bounds->high;
    if (doubt > 0.5) {
      anchor = at;
      return true;
    }
    if (times < 1.0)
      return false;
    *bounds = PeriodSearch::narrowed(*bounds, distance, times);
    return bounds->low < bounds->high;
  });
  return holds ? (bounds->low + bounds->high) / 2.0 : 0.0;
}

}  // namespace

const char* periodWord(SamplePeriod::From from)
{
  switch (from) {
    case SamplePeriod::From::Given:
      return "given";
    case SamplePeriod::From::File:
      return "file";
    case SamplePeriod::From::Found:
      return "found";
    case SamplePeriod::From::Exact:
      break;
  }
  return "exact";
}

SamplePeriod samplePeriodOf(const Capture& capture, std::optional<double> given)
{
  if (given)
    return {*given, SamplePeriod::From::Given};
  if (capture.rate > 0.0)
    return {1e12 / capture.rate, SamplePeriod::From::File};
  const std::vector<const Channel*> wires = wiresOf(capture);
  const std::int64_t tick = std::max<std::int64_t>(capture.tick.count(), 1);
  std::int64_t divisor = 0;
  std::int64_t first = -1;
  forEachEdge(wires, capture.end, [&](std::int64_t at) {
    if (first < 0)
      first = at;
    else
      divisor = std::gcd(divisor, at - first);
    return divisor == 0 || divisor > tick;
  });
  const double fraction = fractionalPeriod(wires, capture.end, static_cast<double>(tick)) * static_cast<double>(tick);
  const double found = std::max(fraction, static_cast<double>(divisor));
  if (found <= static_cast<double>(tick))
    return {0.0, SamplePeriod::From::Exact};
  // What is a whole number of ticks is that, and not a middle between two bounds.
  const bool isDivisor =
      divisor > tick && std::abs(fraction - static_cast<double>(divisor)) < static_cast<double>(tick);
  return {isDivisor ? static_cast<double>(divisor) : found, SamplePeriod::From::Found};
}

}  // namespace bexto
