// A character's edges lie on a grid that begins with its start edge. Every second edge, the start edge the first, goes
// to the level of a start bit; such an edge where the stop bit begins is the next character's, which came early.
//
// Tested by tests/core/meter_test.cpp, slow_meters_test.cpp.
#include "core/protocol/uart/uart_meter.h"

#include <algorithm>
#include <array>
#include <cmath>

#include "core/base/say.h"
#include "core/decode/edge_grid.h"
#include "core/decode/edge_walk.h"
#include "core/decode/edges_taken.h"
#include "core/protocol/uart/uart_frame.h"
#include "core/protocol/uart/uart_timing.h"

namespace bexto {

namespace {

enum Measure : std::size_t { kRateError, kDisplacement, kPause, kMeasures };

/// Over fewer bits than these one edge says too little of a rate.
constexpr std::int64_t kFewestBits = 5;

/// To the nearest whole number. Requires: not below zero.
std::int64_t nearest(double bits)
{
  return (static_cast<std::int64_t>(2.0 * bits) + 1) / 2;
}

class UartMeter final : public Meter {
 public:
  explicit UartMeter(const UartTiming& timing) : m_timing(timing) {}

  void measure(const StreamInput& input, const FrameIndex& frames, FrameRange range,
               std::vector<Tally>& tallies) override
  {
    if (range.count() == 0)
      return;
    EdgeStream edges(input.tracks.at(0), frames.frame(range.first).time.begin, input.until, input.final);
    EdgeWalk line(edges);
    for (const auto& chunk : frames.chunks()) {
      const std::uint64_t end = std::min(range.end, chunk->first + chunk->size());
      for (std::uint64_t number = std::max(range.first, chunk->first); number < end;) {
        const auto i = static_cast<std::size_t>(number - chunk->first);
        std::size_t done = row(*chunk, i, static_cast<std::size_t>(end - number), line, tallies);
        if (done == 0) {
          const bool isLast = number + 1 == frames.size();
          one(*chunk, i, isLast ? kNever.count() : frames.frame(number + 1).time.begin.count(), line, tallies);
          done = 1;
        }
        number += done;
      }
    }
    addPauses(tallies);
  }

  std::unique_ptr<Meter> goingOnFrom(const StreamInput& /*input*/, const FrameIndex& /*frames*/,
                                     std::uint64_t /*number*/) override
  {
    return std::make_unique<UartMeter>(m_timing);
  }

 private:
  static constexpr std::size_t kMostAtOnce = 128;
  static constexpr std::size_t kFewestAtOnce = 2;

  static bool isCharacter(const FrameChunk& frames, std::size_t i)
  {
    return frames.kind[i] == kUartCharacter && (frames.flags[i] & kUartHasValue) != 0;
  }

  /// Characters from one on, up to one that asks for a closer look, or that is the chunk's last. Returns how many were
  /// measured.
  std::size_t row(const FrameChunk& frames, std::size_t first, std::size_t most, EdgeWalk& line,
                  std::vector<Tally>& tallies)
  {
    most = std::min({most, frames.size() - first - 1, m_atOnce});
    std::size_t count = 0;
    while (count < most && isCharacter(frames, first + count))
      ++count;
    if (count == 0)
      return 0;
    const std::int64_t* const starts = frames.begin.data() + first;
    line.skipBefore(starts[0] + 1);
    const std::int64_t* edges = line.at();
    const std::size_t tried = count;
    count = fitToGrid(edges, starts, count, {m_timing.bitsPerPicosecond(), m_timing.bitsToStop()},
                      {m_furthest.data(), m_last.data(), m_lastBit.data(), m_at.data(), m_count.data()});
    // Where a sender is so far off that each asks for a closer look, few are looked through for nothing.
    m_atOnce = count < tried ? std::max(count, kFewestAtOnce) : std::min(2 * m_atOnce, kMostAtOnce);
    addFits(starts, count, tallies);
    if (m_pauses + count > kMostPauses)
      addPauses(tallies);
    const std::int64_t* const ends = frames.end.data() + first;
    for (std::size_t i = 0; i < count; ++i) {
      m_pauseBegins[m_pauses + i] = std::min(ends[i], starts[i + 1]);
      m_pauseEnds[m_pauses + i] = starts[i + 1];
    }
    m_pauses += count;
    if (count > 0)
      line.jump(edges);
    return count;
  }

  void addFits(const std::int64_t* starts, std::size_t count, std::vector<Tally>& tallies)
  {
    const double period = tallies[kDisplacement].period();
    const double bit = m_timing.bitLength();
    std::array<double, kMostAtOnce> values;
    std::array<double, kMostAtOnce> resolutions;
    for (std::size_t i = 0; i < count; ++i) {
      values[i] = 100.0 * m_furthest[i];
      resolutions[i] = 100.0 * period / bit;
    }
    tallies[kDisplacement].addExactRow(values.data(), resolutions.data(), count, [&](std::size_t i) {
      return TimeRange{Picoseconds{starts[i]}, Picoseconds{furthestOf(m_at[i], m_count[i], starts[i])}};
    });
    std::array<std::uint8_t, kMostAtOnce> which;
    std::size_t size = 0;
    for (std::size_t i = 0; i < count; ++i) {
      const auto length = static_cast<double>(m_last[i] - starts[i]);
      values[size] = 100.0 * (static_cast<double>(m_lastBit[i]) * bit / length - 1.0);
      resolutions[size] = 100.0 * period / length;
      which[size] = static_cast<std::uint8_t>(i);
      size += m_lastBit[i] >= kFewestBits ? 1 : 0;
    }
    tallies[kRateError].addExactRow(values.data(), resolutions.data(), size, [&](std::size_t i) {
      return TimeRange{Picoseconds{starts[which[i]]}, Picoseconds{m_last[which[i]]}};
    });
  }

  /// The first of those edges that is as far from its place as any; the last one where all are on theirs.
  std::int64_t furthestOf(const std::int64_t* edges, std::int64_t count, std::int64_t start) const
  {
    std::int64_t at = edges[count - 1];
    double furthest = 0.0;
    for (std::int64_t i = 0; i < count; ++i) {
      const double bits = static_cast<double>(edges[i] - start) * m_timing.bitsPerPicosecond();
      const double off = std::abs(bits - std::nearbyint(bits));
      at = off > furthest ? edges[i] : at;
      furthest = std::max(furthest, off);
    }
    return at;
  }

  /// One frame, whatever it is, that `next` follows.
  void one(const FrameChunk& frames, std::size_t i, std::int64_t next, EdgeWalk& line, std::vector<Tally>& tallies)
  {
    if (!isCharacter(frames, i))
      return;
    character(frames.begin[i], next, line, tallies);
    if (next != kNever.count())
      pause(frames.end[i], next, tallies);
  }

  void pause(std::int64_t end, std::int64_t next, std::vector<Tally>& tallies)
  {
    if (m_pauses == kMostPauses)
      addPauses(tallies);
    m_pauseBegins[m_pauses] = std::min(end, next);
    m_pauseEnds[m_pauses++] = next;
  }
  void addPauses(std::vector<Tally>& tallies)
  {
    tallies[kPause].addRow(0, {m_pauseBegins.data(), m_pauseEnds.data(), m_pauses});
    m_pauses = 0;
  }

  /// How far a character's edges lie from where they should.
  struct Edges {
    std::int64_t last;
    std::int64_t lastBit = 0;
    double furthest = 0.0;  ///< bits
    std::int64_t furthestAt;
    const std::int64_t* behind;  ///< the first that is none of them
  };
  /// Those before `next`, in `edges`.
  static Edges follow(const std::int64_t* edges, std::int64_t start, std::int64_t next, double bitsPerPicosecond,
                      std::int64_t stop)
  {
    Edges of{start, 0, 0.0, start, edges};
    for (bool toStart = false; *of.behind < next; toStart = !toStart, ++of.behind) {
      const std::int64_t at = *of.behind;
      // Which bit begins there is counted from edge to edge: a sender so fast that its last edges are half a bit from
      // their places is still read as it sends.
      const std::int64_t bit = of.lastBit + nearest(static_cast<double>(at - of.last) * bitsPerPicosecond);
      if (bit >= stop && (bit > stop || toStart))
        break;
      const double off = std::abs(static_cast<double>(at - start) * bitsPerPicosecond - static_cast<double>(bit));
      of.furthestAt = off > of.furthest ? at : of.furthestAt;
      of.furthest = std::max(of.furthest, off);
      of.last = at;
      of.lastBit = bit;
    }
    return of;
  }

  Edges edgesOf(std::int64_t start, std::int64_t next, EdgeWalk& line)
  {
    Edges of = follow(line.at(), start, next, m_timing.bitsPerPicosecond(), m_timing.bitsToStop());
    if (*of.behind != kNever.count()) {
      line.jump(of.behind);
      return of;
    }
    // More of them may be at hand when these are used up.
    m_edges.take(line, std::min(next - 1, start + m_timing.end().count()));
    return follow(m_edges.data(), start, next, m_timing.bitsPerPicosecond(), m_timing.bitsToStop());
  }

  void character(std::int64_t start, std::int64_t next, EdgeWalk& line, std::vector<Tally>& tallies)
  {
    line.skipBefore(start + 1);
    const Edges of = edgesOf(start, next, line);
    if (of.last == start)
      return;
    tallies[kDisplacement].addPercent(100.0 * of.furthest, m_timing.bitLength(), start,
                                      of.furthestAt == start ? of.last : of.furthestAt);
    if (of.lastBit >= kFewestBits) {
      const double length = static_cast<double>(of.last - start);
      const double nominal = static_cast<double>(of.lastBit) * m_timing.bitLength();
      tallies[kRateError].addPercent(100.0 * (nominal / length - 1.0), length, start, of.last);
    }
  }

  UartTiming m_timing;
  EdgesTaken m_edges;
  std::size_t m_atOnce = kMostAtOnce;  ///< characters that are tried next
  // Of characters that are measured at once: see GridFits.
  std::array<double, kMostAtOnce> m_furthest;
  std::array<std::int64_t, kMostAtOnce> m_last;
  std::array<std::int64_t, kMostAtOnce> m_lastBit;
  std::array<const std::int64_t*, kMostAtOnce> m_at;
  std::array<std::int64_t, kMostAtOnce> m_count;
  static constexpr std::size_t kMostPauses = 256;
  std::size_t m_pauses = 0;
  std::array<std::int64_t, kMostPauses> m_pauseBegins;
  std::array<std::int64_t, kMostPauses> m_pauseEnds;
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
    const std::int64_t bit = lastBit + nearest(static_cast<double>(at - last) * timing.bitsPerPicosecond());
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
  return std::make_unique<UartMeter>(UartTiming(settings));
}

}  // namespace bexto
