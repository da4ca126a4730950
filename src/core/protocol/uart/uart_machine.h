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

#include "core/decode/character_row.h"
#include "core/decode/decoder.h"
#include "core/decode/rate_meter.h"
#include "core/protocol/uart/uart_frame.h"
#include "core/protocol/uart/uart_timing.h"
#include "core/signal/edge_stream.h"

namespace bexto::uart {

/// What a character's bits say.
struct Reading {
  std::uint32_t value = 0;
  FrameErrors errors = 0;
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
    reading.errors = sent != right ? errorBit(UartError::Parity) : FrameErrors{0};
    ++stopAt;
  }
  if ((raw >> stopAt & 1U) == 0)
    reading.errors |= errorBit(UartError::Framing);
  return reading;
}

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
    if (m_skips > 0) {
      --m_skips;
      return;
    }
    const std::int64_t* const from = m_edges.inHand();
    const std::int64_t* const end = m_edges.inHandEnd();
    const std::int64_t* at = from;
    if (at < end && !lineIsHigh())
      ++at;
    std::size_t total = 0;
    for (std::size_t count = CharacterRow::kMost; count == CharacterRow::kMost && at < end; total += count) {
      count = m_reader.read(at, end, m_row);
      addRow(count, out);
      at = m_row.starts[count];
    }
    // Where nearly every character asks for a closer look, as at a wrong rate, few are tried for nothing.
    constexpr std::size_t kWorthIt = 4;
    m_skip = total >= kWorthIt ? 0 : std::min(kMostSkips, 2 * m_skip + 1);
    m_skips = m_skip;
    m_read += static_cast<std::size_t>(at - from);
    m_edges.usedUpTo(std::min(at, end));
  }

  Picoseconds reached() const { return std::min(m_until, Picoseconds{m_edges.next()}); }
  std::size_t edgesRead() const { return m_read; }
  const RateMeter& rate() const { return m_rate; }

 private:
  static constexpr std::int64_t kNone = -1;

  bool lineIsHigh() const { return m_edges.level() != m_settings.invert; }

  /// The first characters of m_row.
  void addRow(std::size_t count, FrameIndexBuilder& out)
  {
    const std::int64_t length = m_timing.end().count();
    const UartSettings settings = m_settings;  // its own: what is stored in columns cannot change it
    const bool isPlain = settings.order == BitOrder::Lsb && settings.parity == UartParity::None;
    const auto dataBits = static_cast<unsigned>(settings.bits);
    for (std::size_t done = 0; done < count;) {
      const FrameIndexBuilder::Rows rows = out.rows();
      const std::size_t some = std::min(count - done, rows.count);
      const std::int64_t* const* const starts = m_row.starts.data() + done;
      const std::uint32_t* const bits = m_row.bits.data() + done;
      for (std::size_t i = 0; i < some; ++i) {
        rows.begin[i] = *starts[i];
        rows.end[i] = *starts[i] + length;
      }
      if (isPlain) {
        for (std::size_t i = 0; i < some; ++i) {
          rows.key[i] = bits[i] >> 1U & ((1U << dataBits) - 1U);
          rows.errors[i] = (bits[i] >> (1 + dataBits) & 1U) != 0 ? FrameErrors{0} : errorBit(UartError::Framing);
        }
      } else {
        for (std::size_t i = 0; i < some; ++i) {
          const Reading reading = interpret(settings, bits[i]);
          rows.key[i] = reading.value;
          rows.errors[i] = reading.errors;
        }
      }
      out.addRows(some, kUartCharacter, kUartHasValue);
      done += some;
    }
    m_measured.come(count, [&](std::size_t i) {
      // Its last edge: the next start edge is a fall, and before that is a rise, which may be the line's that stayed
      // low.
      const std::int64_t start = *m_row.starts[i];
      const std::int64_t* const rise = m_row.starts[i + 1] - 1;
      const bool isLow = *rise - start >= m_over;
      measureRate(start, isLow ? rise[-1] : *rise);
    });
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
    m_measured.come(1, [&](std::size_t) { measureRate(start, m_lastEdge); });
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
    frame =
        Frame{{Picoseconds{start}, Picoseconds{end}}, kUartCharacter, kUartHasValue, reading.errors, reading.value, {}};
    recorder.character(start, raw);
    return true;
  }

  /// From the start edge and the last one of a character.
  void measureRate(std::int64_t start, std::int64_t lastEdge)
  {
    const double bits = static_cast<double>(lastEdge - start) * m_timing.bitsPerPicosecond();
    if (bits <= 2.5)
      return;
    const auto whole = std::llround(bits);
    m_rate.add(Picoseconds{(lastEdge - start + whole / 2) / whole});
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
  Picoseconds m_until;
  bool m_final;
  EdgeStream m_edges;
  std::int64_t m_candidate = kNone;  ///< a fall that has been read and may be a start edge
  std::array<std::uint32_t, 3> m_flips{};
  std::int64_t m_lastEdge = 0;
  bool m_inBreak = false;
  std::int64_t m_breakStart = 0;
  std::size_t m_read = 0;
  std::int64_t m_over = std::max(m_timing.stopVote(), m_timing.resume()).count();
  CharacterRowReader m_reader{{m_timing.bitsPerPicosecond(), m_timing.bitsToStop(), m_timing.resume().count(), m_over}};
  CharacterRow m_row;
  static constexpr int kMostSkips = 31;
  int m_skip = 0;   ///< how often quick() did nothing after it was of little use
  int m_skips = 0;  ///< how often it still does
  MeasuredOnes m_measured;
  RateMeter m_rate;
};

}  // namespace bexto::uart
