#pragma once

// How a character is read, with one multiplication an edge.
//
// Looks are taken at i + 3/8, i + 4/8 and i + 5/8 of every bit i, counted from the start edge. Instead of asking for
// the level at each, every edge is turned into a position in bits, and flips, in each of three words, all bits whose
// look lies behind it: floor(position + 5/8) is the number of looks of the first comb before the edge. After the last
// edge the three words hold the three looks of every bit, and their bitwise majority is the character.
//
//        start |  0  |  1  |  1        edge at 1.97: looks at 1.625 and before keep the old level, those from 2.375
//      ‾‾‾‾|_____|_____|‾‾‾‾‾‾‾        on get the new one; floor(1.97 + 5/8) = floor(1.97 + 3/8) = 2
//
// A pulse shorter than an eighth of a bit can hit one comb only, so it never flips a bit. At the start edge itself it
// would, so a low pulse that short is stepped over there.
//
// Tested by tests/core/uart_test.cpp and tests/core/properties_test.cpp.

#include <algorithm>
#include <array>
#include <bit>
#include <cassert>

#include "core/decode/decoder.h"
#include "core/decode/rate_meter.h"
#include "core/protocol/uart/uart_frame.h"
#include "core/protocol/uart/uart_timing.h"
#include "core/signal/edge_stream.h"

namespace bexto::uart {

/// What a character's bits say.
struct Reading {
  std::uint32_t value = 0;
  bool parityWrong = false;
  bool stopWrong = false;
};

inline Reading interpret(const UartSettings& settings, std::uint32_t raw)
{
  const auto bits = static_cast<unsigned>(settings.bits);
  const std::uint32_t data = raw >> 1U & ((1U << bits) - 1U);
  Reading reading;
  reading.value = settings.order == BitOrder::Lsb ? data : reversedBits(data, bits);
  unsigned stopAt = 1 + bits;
  if (settings.parity != UartParity::None) {
    const bool sent = (raw >> stopAt & 1U) != 0;
    const bool odd = (std::popcount(data) & 1) != 0;
    bool right = false;
    switch (settings.parity) {
      case UartParity::Even:
        right = odd;
        break;
      case UartParity::Odd:
        right = !odd;
        break;
      case UartParity::Mark:
        right = true;
        break;
      case UartParity::Space:
      case UartParity::None:
        break;
    }
    reading.parityWrong = sent != right;
    ++stopAt;
  }
  reading.stopWrong = (raw >> stopAt & 1U) == 0;
  return reading;
}

/// What edges do to a character, by the eighth of a bit that they fall into. Xored, the low 16 bits of the entries are
/// the character's bits: an edge flips those whose middle lies behind it. Added up, they tell how many edges there were
/// and how many of them so near to a look, or to the character's end, that this does not tell. Edges behind the
/// character add nothing.
class EdgeTable {
 public:
  /// `resume`: from here on, in eighths, an edge is none of the character's.
  EdgeTable(double eighthsPerPicosecond, std::uint32_t resume)
      : m_scale(static_cast<std::uint64_t>(std::ldexp(eighthsPerPicosecond, kShift))),
        m_farthest(static_cast<std::int64_t>((kEighths - 0.5) / eighthsPerPicosecond))
  {
    for (std::uint32_t eighth = 0; eighth <= resume; ++eighth) {
      const bool near = (eighth + 3) >> 3U != (eighth + 5) >> 3U || eighth + 1 >= resume;
      m_entries[eighth] = (~0U << ((eighth + 4) >> 3U) & 0xffffU) | kEdge | (near ? kNear : 0U);
    }
  }

  /// By whole numbers, which is quicker than exact: at the borders of an eighth it may be the next one. Where that
  /// would decide something, at a look and where the character ends, both eighths are near.
  std::uint64_t operator[](std::int64_t distance) const
  {
    return m_entries[static_cast<std::uint64_t>(std::min(distance, m_farthest)) * m_scale >> kShift];
  }
  static unsigned edges(std::uint64_t sum) { return static_cast<unsigned>(sum >> 32U & 0xffffU); }
  static bool anyNear(std::uint64_t sum) { return sum >= kNear; }

 private:
  static constexpr std::uint64_t kEdge = std::uint64_t{1} << 32U;
  static constexpr std::uint64_t kNear = std::uint64_t{1} << 48U;
  static constexpr std::uint32_t kEighths = 127;
  static constexpr unsigned kShift = 56;  // products stay below 2^63
  std::uint64_t m_scale;
  std::int64_t m_farthest;  ///< in the last entry, which is behind all characters
  std::array<std::uint64_t, kEighths + 1> m_entries{};
};

/// The index path: no bits are kept.
struct NoRecorder {
  void edge(std::int64_t /*time*/) {}
  void character(std::int64_t /*start*/, std::uint32_t /*raw*/) {}
};

template <typename Recorder>
class UartMachine {
 public:
  UartMachine(const UartSettings& settings, const StreamInput& input, Picoseconds from)
      : m_settings(settings),
        m_timing(settings),
        m_until(input.until),
        m_final(input.final),
        m_edges(input.tracks.at(0), from, input.until, input.final)
  {
  }

  void extend(const StreamInput& input)
  {
    m_until = input.until;
    m_final = input.final;
    m_edges.extend(input.tracks.at(0), input.until, input.final);
  }

  /// The next character or break. False when there is none, or it is not certain yet.
  bool next(Frame& frame, Recorder& recorder)
  {
    if (m_inBreak)
      return endBreak(frame);
    for (;;) {
      if (m_candidate == kNone && !findFall())
        return false;
      if (!m_final && m_edges.settled().count() < m_candidate + m_timing.end().count())
        return false;
      if (!startBitHolds(recorder))
        continue;
      const bool cut = m_final && m_until.count() < m_candidate + m_timing.resume().count();
      return cut ? cutShort(frame, recorder) : character(frame, recorder);
    }
  }

  /// Characters without any trouble, as many as are whole in hand: no edge is among the three looks at a bit, so
  /// that one comb tells what three would. Stops before anything else, with all as next() expects it.
  void quick(FrameIndexBuilder& out)
  {
    if (m_inBreak || m_candidate != kNone)
      return;
    if (m_timing.bitsToStop() <= 9)
      quickly<9>(out);
    else
      quickly<11>(out);
  }

  Picoseconds reached() const { return std::min(m_until, Picoseconds{m_edges.next()}); }
  std::size_t edgesRead() const { return m_read; }
  const RateMeter& rate() const { return m_rate; }

 private:
  static constexpr std::int64_t kNone = -1;

  bool lineIsHigh() const { return m_edges.level() != m_settings.invert; }

  /// kEdges: as many as a character can have behind its start. All of them are looked at, whether they are its or not:
  /// how many there are nobody can predict, so a loop that ended with them would cost more than it saves.
  template <std::size_t kEdges>
  void quickly(FrameIndexBuilder& out)
  {
    const std::int64_t* at = m_edges.inHand();
    const std::int64_t* const end = m_edges.inHandEnd();
    if (at < end && !lineIsHigh())
      ++at;
    const std::int64_t vote = m_timing.vote().count();
    // Up to here the character's edges and its looks are.
    const std::int64_t over = std::max(m_timing.stopVote(), m_timing.resume()).count();
    const std::int64_t length = m_timing.end().count();
    const UartSettings settings = m_settings;  // its own: what is stored in columns cannot change it
    const EdgeTable& table = m_table;
    FrameIndexBuilder::Rows rows = out.rows();
    std::size_t count = 0;
    while (end - at > static_cast<std::ptrdiff_t>(kEdges) + 1) {
      const std::int64_t start = *at;
      if (at[1] < start + vote)
        break;
      std::uint64_t raw = 0;
      std::uint64_t sum = 0;
#pragma GCC unroll 11
      for (std::size_t i = 1; i <= kEdges; ++i) {
        const std::uint64_t entry = table[at[i] - start];
        raw ^= entry;
        sum += entry;
      }
      const unsigned edges = EdgeTable::edges(sum);
      const std::int64_t* const next = at + 1 + edges;
      // No edge at all may be a break.
      if (EdgeTable::anyNear(sum) || *next < start + over || edges == 0)
        break;
      const Reading reading = interpret(settings, static_cast<std::uint32_t>(raw));
      if (count == rows.count) {
        out.addRows(count, kUartCharacter, kUartHasValue);
        rows = out.rows();
        count = 0;
      }
      rows.begin[count] = start;
      rows.end[count] = start + length;
      rows.key[count] = reading.value;
      rows.errors[count++] = static_cast<FrameErrors>((reading.parityWrong ? errorBit(UartError::Parity) : 0U) |
                                                      (reading.stopWrong ? errorBit(UartError::Framing) : 0U));
      m_lastEdge = next[-1];
      measureRate(start);
      m_read += static_cast<std::size_t>(next - at);
      // An odd number of edges leaves the line low: the next one is no start edge.
      const bool low = ((next - at) & 1) != 0;
      at = next + (low ? 1 : 0);
    }
    out.addRows(count, kUartCharacter, kUartHasValue);
    m_edges.usedUpTo(std::min(at, end));
  }

  void step()
  {
    ++m_read;
    m_edges.advance();
  }

  bool findFall()
  {
    while (m_edges.next() != kNever.count()) {
      const std::int64_t time = m_edges.next();
      const bool falls = lineIsHigh();
      step();
      if (falls) {
        m_candidate = time;
        return true;
      }
    }
    return false;
  }

  /// Reads the edges of the start bit. When it turns out to be none, m_candidate is the next fall, or kNone. Behind the
  /// capture's end the line stays as it was.
  bool startBitHolds(Recorder& recorder)
  {
    const std::int64_t start = m_candidate;
    const std::int64_t vote = start + m_timing.vote().count();
    m_flips = {};
    m_lastEdge = start;
    if (m_edges.next() >= vote) [[likely]]
      return true;
    if (m_edges.next() - start < m_timing.shortest().count()) {
      step();
      m_candidate = kNone;
      return false;
    }
    std::int64_t lastFall = kNone;
    while (m_edges.next() < vote) {
      if (lineIsHigh())
        lastFall = m_edges.next();
      flipAt(start, recorder);
    }
    if ((majority() & 1U) == 0)
      return true;
    m_candidate = lineIsHigh() ? kNone : lastFall;
    return false;
  }

  /// A distance from the start edge in whole eighths of a bit.
  std::uint32_t eighthOf(std::int64_t distance) const
  {
    return static_cast<std::uint32_t>(
        static_cast<std::int64_t>(static_cast<double>(distance) * m_eighthsPerPicosecond));
  }

  void flip(std::int64_t time, std::int64_t start)
  {
    const std::uint32_t eighth = eighthOf(time - start);
    m_flips[0] ^= ~0U << ((eighth + 5) >> 3U);
    m_flips[1] ^= ~0U << ((eighth + 4) >> 3U);
    m_flips[2] ^= ~0U << ((eighth + 3) >> 3U);
  }

  void flipAt(std::int64_t start, Recorder& recorder)
  {
    m_lastEdge = m_edges.next();
    flip(m_lastEdge, start);
    recorder.edge(m_lastEdge);
    step();
  }

  /// All edges before `end`. Over a pointer of its own: through the stream, every step would wait for the one before.
  void readUntil(std::int64_t end, std::int64_t start, Recorder& recorder)
  {
    while (m_edges.next() < end) {
      const std::int64_t* const from = m_edges.inHand();
      const std::int64_t* at = from;
      for (; *at < end; ++at) {
        flip(*at, start);
        recorder.edge(*at);
      }
      m_lastEdge = at[-1];
      m_read += static_cast<std::size_t>(at - from);
      m_edges.usedUpTo(at);
    }
  }

  std::uint32_t majority() const
  {
    return (m_flips[0] & m_flips[1]) | (m_flips[0] & m_flips[2]) | (m_flips[1] & m_flips[2]);
  }

  bool character(Frame& frame, Recorder& recorder)
  {
    const std::int64_t start = m_candidate;
    m_candidate = kNone;
    const std::int64_t resume = start + m_timing.resume().count();
    const std::int64_t end = start + m_timing.end().count();
    readUntil(resume, start, recorder);
    measureRate(start);
    // The last look at a single stop bit is behind its middle. Edges in between count for it, and the last of them may
    // be the next start edge. A low that also ends there is too short to be one.
    const std::int64_t stopVote = start + m_timing.stopVote().count();
    while (m_edges.next() < stopVote) {
      m_flips[2] ^= ~0U << static_cast<unsigned>(m_timing.bitsToStop());
      m_candidate = lineIsHigh() ? m_edges.next() : kNone;
      m_lastEdge = m_edges.next();
      step();
    }
    const std::uint32_t raw = majority();
    if (m_lastEdge == start && m_edges.next() >= end && m_until.count() >= end) {
      m_inBreak = true;
      m_breakStart = start;
      return endBreak(frame);
    }
    const Reading reading = interpret(m_settings, raw);
    frame = Frame{{Picoseconds{start}, Picoseconds{end}}, kUartCharacter, kUartHasValue, 0, reading.value, {}};
    if (reading.parityWrong)
      frame.errors |= errorBit(UartError::Parity);
    if (reading.stopWrong)
      frame.errors |= errorBit(UartError::Framing);
    recorder.character(start, raw);
    return true;
  }

  /// From the character's last edge. One in sixteen is enough once there are some: the division costs more than the
  /// character.
  void measureRate(std::int64_t start)
  {
    constexpr std::uint64_t kAll = 256;
    if (++m_characters > kAll && m_characters % 16 != 0)
      return;
    const double bits = static_cast<double>(m_lastEdge - start) * m_timing.bitsPerPicosecond();
    if (bits <= 2.5)
      return;
    const auto whole = std::llround(bits);
    m_rate.add(Picoseconds{(m_lastEdge - start + whole / 2) / whole});
  }

  bool endBreak(Frame& frame)
  {
    const bool rises = m_edges.next() != kNever.count();
    if (!rises && !m_final)
      return false;
    m_inBreak = false;
    const Picoseconds end = rises ? Picoseconds{m_edges.next()} : m_until;
    frame = Frame{{Picoseconds{m_breakStart}, end}, kUartBreak, 0, 0, 0, {}};
    if (rises)
      step();
    else
      frame.errors = errorBit(UartError::Incomplete);
    return true;
  }

  /// The capture ends before the character does.
  bool cutShort(Frame& frame, Recorder& recorder)
  {
    const std::int64_t start = m_candidate;
    m_candidate = kNone;
    while (m_edges.next() != kNever.count())
      flipAt(start, recorder);
    recorder.character(start, majority());
    frame = Frame{{Picoseconds{start}, m_until}, kUartCharacter, 0, errorBit(UartError::Incomplete), 0, {}};
    return true;
  }

  UartSettings m_settings;
  UartTiming m_timing;
  double m_eighthsPerPicosecond = 8.0 * m_timing.bitsPerPicosecond();
  EdgeTable m_table{
      m_eighthsPerPicosecond,
      static_cast<std::uint32_t>(std::lround(static_cast<double>(m_timing.resume().count()) * m_eighthsPerPicosecond))};
  Picoseconds m_until;
  bool m_final;
  EdgeStream m_edges;
  std::int64_t m_candidate = kNone;  ///< a fall that has been read and may be a start edge
  std::array<std::uint32_t, 3> m_flips{};
  std::int64_t m_lastEdge = 0;
  bool m_inBreak = false;
  std::int64_t m_breakStart = 0;
  std::size_t m_read = 0;
  std::uint64_t m_characters = 0;
  RateMeter m_rate;
};

}  // namespace bexto::uart
