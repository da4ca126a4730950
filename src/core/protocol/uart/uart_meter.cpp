// A character's edges lie on a grid that begins with its start edge. Every second edge, the start edge the first, goes
// to the level of a start bit; such an edge where the stop bit begins is the next character's, which came early.
//
// Tested by tests/core/uart_meter_test.cpp.
#include "core/protocol/uart/uart_meter.h"

#include <algorithm>
#include <cmath>

#include "core/base/say.h"
#include "core/decode/edge_walk.h"
#include "core/protocol/uart/uart_frame.h"
#include "core/protocol/uart/uart_timing.h"

namespace bexto {

namespace {

enum Measure : std::size_t { kRateError, kDisplacement, kPause, kMeasures };

/// Over fewer bits than these one edge says too little of a rate.
constexpr std::int64_t kFewestBits = 5;

class UartMeter final : public Meter {
 public:
  explicit UartMeter(const UartSettings& settings) : m_timing(settings) {}

  void measure(const StreamInput& input, const FrameIndex& frames, FrameRange range,
               std::vector<Tally>& tallies) override
  {
    if (range.count() == 0)
      return;
    EdgeStream edges(input.tracks.at(0), frames.frame(range.first).time.begin, input.until, input.final);
    EdgeWalk line(edges);
    // Each is measured when the next one is known.
    std::optional<Frame> before;
    const auto measureOne = [&](const Frame& frame, std::int64_t next) {
      if (frame.kind != kUartCharacter || !uartHasValue(frame))
        return;
      character(frame.time.begin.count(), next, line, tallies);
      if (next != kNever.count())
        pause(frame.time.end.count(), next, tallies);
    };
    const FrameRange withNext{range.first, std::min(range.end + 1, frames.size())};
    frames.forEach(withNext, [&](std::uint64_t, const Frame& frame) {
      if (before)
        measureOne(*before, frame.time.begin.count());
      before = frame;
    });
    if (before && range.end == frames.size())
      measureOne(*before, kNever.count());
  }

 private:
  static void pause(std::int64_t end, std::int64_t next, std::vector<Tally>& tallies)
  {
    tallies[kPause].add(std::max<std::int64_t>(next - end, 0), std::min(end, next), next);
  }

  void character(std::int64_t start, std::int64_t next, EdgeWalk& line, std::vector<Tally>& tallies)
  {
    line.skipBefore(start + 1);
    const std::int64_t stop = m_timing.bitsToStop();
    std::int64_t last = start;
    std::int64_t lastBit = 0;
    double furthest = 0.0;
    std::int64_t furthestAt = start;
    for (bool toStart = false; line.next() < next; toStart = !toStart) {
      const std::int64_t at = line.next();
      // Which bit begins there is counted from edge to edge: a sender so fast that its last edges are half a bit from
      // their places is still read as it sends.
      const std::int64_t bit = lastBit + std::llround(static_cast<double>(at - last) * m_timing.bitsPerPicosecond());
      if (bit > stop || (bit == stop && toStart))
        break;
      const double bits = static_cast<double>(at - start) * m_timing.bitsPerPicosecond();
      const double off = std::abs(bits - static_cast<double>(bit));
      if (off > furthest) {
        furthest = off;
        furthestAt = at;
      }
      last = at;
      lastBit = bit;
      line.advance();
    }
    if (last == start)
      return;
    tallies[kDisplacement].addPercent(100.0 * furthest, m_timing.bitLength(), start,
                                      furthestAt == start ? last : furthestAt);
    if (lastBit >= kFewestBits) {
      const double length = static_cast<double>(last - start);
      const double nominal = static_cast<double>(lastBit) * m_timing.bitLength();
      tallies[kRateError].addPercent(100.0 * (nominal / length - 1.0), length, start, last);
    }
  }

  UartTiming m_timing;
};

/// How much faster than set, as a share, the sender of the character was, by its last edge; bits are counted from edge
/// to edge, so a rate that is off by up to 5 % over the longest row of equal bits leaves no doubt.
std::optional<double> rateOf(const UartTiming& timing, const StreamInput& input, std::int64_t start)
{
  EdgeStream edges(input.tracks.at(0), Picoseconds{start + 1}, input.until, input.final);
  std::int64_t last = start;
  std::int64_t lastBit = 0;
  for (bool toStart = false; edges.next() != kNever.count(); edges.advance(), toStart = !toStart) {
    const std::int64_t at = edges.next();
    const std::int64_t bit = lastBit + std::llround(static_cast<double>(at - last) * timing.bitsPerPicosecond());
    if (bit > timing.bitsToStop() || (bit == timing.bitsToStop() && toStart))
      break;
    last = at;
    lastBit = bit;
  }
  if (lastBit < kFewestBits - 1)
    return std::nullopt;
  return static_cast<double>(lastBit) * timing.bitLength() / static_cast<double>(last - start) - 1.0;
}

/// Whether the character began where its sender began one. What follows a wrong stop bit without a rest may have begun
/// anywhere.
bool isSure(const UartTiming& timing, const FrameIndex& frames, std::uint64_t number)
{
  constexpr std::uint64_t kMost = 64;
  for (std::uint64_t back = 0; back < std::min(kMost, number); ++back) {
    const Frame before = frames.frame(number - back - 1);
    if (frames.frame(number - back).time.begin - before.time.end > timing.end() / 4)
      return true;
    if (before.errors != 0)
      return false;
  }
  return true;
}

}  // namespace

std::optional<Cause> uartRateCause(const UartSettings& settings, const StreamInput& input, const FrameIndex& frames,
                                   std::uint64_t number)
{
  constexpr std::uint64_t kLookBack = 16;
  const UartTiming timing(settings);
  const Frame frame = frames.frame(number);
  // Its own edges tell best; where it has none late enough, those of the characters before it.
  std::optional<double> rate;
  for (std::uint64_t back = 0; !rate && back <= std::min(kLookBack, number); ++back) {
    if (isSure(timing, frames, number - back))
      rate = rateOf(timing, input, frames.frame(number - back).time.begin.count());
  }
  if (!rate)
    return std::nullopt;
  const bool isStop = (frame.errors & errorBit(UartError::Framing)) != 0;
  const int bit = isStop ? timing.bitsToStop() : timing.bitsToStop() - 1;
  // Where in the sender's bits the middle of that bit is: half a bit off, it is in another.
  const double off = (bit + 0.5) * *rate;
  constexpr double kNearlyHalf = 0.43;
  if (std::abs(off) < kNearlyHalf)
    return std::nullopt;
  Cause cause;
  cause.kind = Cause::Kind::Rate;
  cause.time = {frame.time.begin + timing.bitBegin(bit), frame.time.begin + timing.bitBegin(bit + 1)};
  cause.why = *rate > 0.0
                  ? say("the sender is {:.1f} % faster than set: where the {} is sampled it is {:.2f} bits ahead",
                        100.0 * *rate, isStop ? say("stop bit") : say("parity bit"), off)
                  : say("the sender is {:.1f} % slower than set: where the {} is sampled it is {:.2f} bits behind",
                        -100.0 * *rate, isStop ? say("stop bit") : say("parity bit"), -off);
  return cause;
}

std::vector<MeasureSpec> uartMeasures()
{
  using enum MeasureUnit;
  std::vector<MeasureSpec> m(kMeasures);
  m[kRateError] = {"bit rate error", Percent,
                   "rate of a character by its last edge, against the rate set; + is faster"};
  m[kDisplacement] = {"edge displacement", Percent, "largest distance of an edge from its place at the rate set"};
  m[kPause] = {"pause", Time, "end of the last stop bit to the next start edge", true};
  return m;
}

std::unique_ptr<Meter> makeUartMeter(const UartSettings& settings)
{
  return std::make_unique<UartMeter>(settings);
}

}  // namespace bexto
