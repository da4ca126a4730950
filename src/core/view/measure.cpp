// Tested by tests/core/statistics_test.cpp.
#include "core/view/measure.h"

#include <algorithm>

#include "core/decode/protocol.h"
#include "core/signal/edge_stream.h"

namespace bexto {

namespace {

void take(std::optional<Picoseconds>& shortest, std::optional<Picoseconds>& longest, Picoseconds length)
{
  shortest = std::min(shortest.value_or(length), length);
  longest = std::max(longest.value_or(length), length);
}

}  // namespace

WireStatistics measureWire(const ConditionedTrack& wire, TimeRange stretch, Picoseconds until,
                           const std::stop_token& stop)
{
  WireStatistics s;
  EdgeStream edges(wire, std::max(Picoseconds{0}, stretch.begin), until, true);
  std::optional<Picoseconds> last;
  std::optional<Picoseconds> firstRise;
  Picoseconds lastRise{0};
  std::uint64_t rises = 0;
  Picoseconds high{0};        // since the first rise
  Picoseconds highAtRise{0};  // the same at the last rise: what whole periods hold
  constexpr std::uint64_t kLook = 16384;
  while (edges.next() != kNever.count() && Picoseconds{edges.next()} < stretch.end) {
    const Picoseconds at{edges.next()};
    const bool rising = !edges.level();
    if (last)
      rising ? take(s.shortestLow, s.longestLow, at - *last) : take(s.shortestHigh, s.longestHigh, at - *last);
    if (!rising && firstRise)
      high += at - *last;
    if (rising) {
      firstRise = firstRise.value_or(at);
      lastRise = at;
      highAtRise = high;
      ++rises;
    }
    last = at;
    edges.advance();
    if (++s.edges % kLook == 0 && stop.stop_requested())
      return s;
  }
  if (rises >= 2) {
    const double span = toSeconds(lastRise - *firstRise);
    s.hertz = static_cast<double>(rises - 1) / span;
    s.duty = toSeconds(highAtRise) / span;
  }
  return s;
}

StreamStatistics measureStream(const Bus& bus, const FrameIndex& frames, TimeRange stretch, const std::stop_token& stop)
{
  StreamStatistics s;
  if (stretch.empty())
    return s;
  constexpr std::uint64_t kLook = 16384;
  const auto reader = bus.protocol().payloadReader(bus);
  Picoseconds busy{0};
  // The frame before may reach into the stretch.
  const std::uint64_t first = frames.firstFrom(stretch.begin);
  for (std::uint64_t i = first == 0 ? 0 : first - 1; i < frames.size(); ++i) {
    const Frame frame = frames.frame(i);
    if (frame.time.begin >= stretch.end)
      break;
    busy += std::max(Picoseconds{0}, std::min(frame.time.end, stretch.end) - std::max(frame.time.begin, stretch.begin));
    if (frame.time.begin < stretch.begin)
      continue;
    ++s.frames;
    s.faulty += isFaulty(frame.kind, frame.errors) ? 1U : 0U;
    for (const FramePayload& payload : reader->of(frame))
      s.bytes += payload.bytes.size();
    if (s.frames % kLook == 0 && stop.stop_requested())
      return s;
  }
  s.load = std::min(1.0, toSeconds(busy) / toSeconds(stretch.length()));
  return s;
}

}  // namespace bexto
