#pragma once

// The wire is taken pulse by pulse, and each step decides one thing for good: a break, a byte, that a frame has ended,
// a wake-up. A step that cannot decide, because the input may still grow, takes nothing: it is made again when more is
// there. So pieces give what the whole gives, and however long bytes follow one another, none is read twice.
//
//   Idle         no break: pulses that stand alone may be wake-ups, other bytes are passed over
//   AfterBreak   a low of eleven bits and its rise were seen; within 40 bits a byte makes it a frame
//   Header       the sync byte was right: the identifier comes next, at the rate that the sync byte gave
//   Response     bytes until the next break, or until the line has rested 40 bits
//
// A byte is read by three looks at each bit, at 3/8, 4/8 and 5/8 of it, of which two decide. A low that begins at a
// byte's start edge or inside it and lasts eleven bits at the set rate is a break: it ends the frame, and cuts the byte
// when it begins inside it.
//
// Tested by tests/core/lin_test.cpp and tests/core/properties_test.cpp.
#include <algorithm>
#include <array>
#include <cmath>
#include <optional>

#include "core/decode/decoder.h"
#include "core/decode/rate_meter.h"
#include "core/protocol/lin/lin_edges.h"
#include "core/protocol/lin/lin_frame.h"

namespace bexto::lin {

/// A byte on the wire.
struct Byte {
  std::int64_t start = 0;   ///< its start edge, ps
  double bit = 0.0;         ///< length of a bit, ps
  std::uint32_t value = 0;  ///< bits go lowest first
  bool stopHigh = true;

  std::int64_t at(double bits) const { return start + std::llround(bits * bit); }
  std::int64_t end() const { return at(10.0); }
};

/// The index path: nothing is kept.
struct NoRecorder {
  void breakPulse(std::int64_t /*fall*/, std::int64_t /*rise*/) {}
  /// A byte with the edges inside it, before the middle of its stop bit.
  void byte(const Byte& /*byte*/, EdgeAhead& /*edges*/) {}
};

template <typename Recorder>
class LinMachine {
 public:
  LinMachine(const LinSettings& settings, const StreamInput& input, Picoseconds from, Recorder& recorder)
      : m_settings(settings), m_bit(1e12 / settings.baud), m_edges(input, from), m_recorder(recorder)
  {
    // A low that the capture begins in has no begin.
    if (!m_edges.startsHigh() && m_edges.at(0) != kNever.count())
      m_edges.drop(1);
    m_startsLow = !m_edges.startsHigh();
  }

  void extend(const StreamInput& input)
  {
    m_edges.extend(input);
    if (m_startsLow && m_edges.at(0) != kNever.count()) {
      m_edges.drop(1);
      m_startsLow = false;
    }
  }

  /// Reads about `slice` edges, handing frames to `emit(const Frame&)` until that returns false. False when the input
  /// is used up.
  template <typename Emit>
  bool run(std::size_t slice, const Emit& emit)
  {
    if (m_startsLow)
      return false;
    const std::size_t stopAt = m_edges.dropped() + slice;
    while (m_edges.dropped() < stopAt) {
      m_emitted = false;
      if (!step())
        return false;
      if (m_emitted && !emit(m_frame))
        return true;
    }
    return true;
  }

  Picoseconds reached() const { return Picoseconds{std::min(m_edges.until(), m_edges.next())}; }
  const RateMeter& rate() const { return m_rate; }

 private:
  // What a responder takes for a break (ISO 17987-3:2016, break field), less what whole ticks of a file may take away.
  static constexpr double kBreakBits = 11.0 - 0.01;
  static constexpr double kRestBits = 40.0;
  static constexpr double kOff =
      0.14;  // ISO 17987-4:2016, bit rate tolerance: a responder's clock before it synchronises
  static constexpr std::int64_t kShortestWakeup = 250000000;  // 250 µs, ISO 17987-2:2016, wake-up
  static constexpr std::int64_t kLongestWakeup = 5000000000;  // 5 ms
  static constexpr std::uint32_t kSync = 0x55;

  enum class State { Idle, AfterBreak, Header, Response };
  /// What begins at a falling edge.
  enum class Begins { Nothing, Break, Byte, CutByEnd, CutByBreak, Unknown };

  std::int64_t bits(double n) const { return std::llround(n * m_bit); }
  bool isBreak(std::int64_t fall, std::int64_t rise) const { return rise - fall >= bits(kBreakBits); }

  /// One decision. False, and nothing has changed, when it takes more input.
  bool step()
  {
    switch (m_state) {
      case State::Idle:
        return idle();
      case State::AfterBreak:
        return afterBreak();
      case State::Header:
        return header();
      case State::Response:
        return response();
    }
    return false;
  }

  // ---- Looking ahead. Edge 0 is a fall whenever a step begins.

  /// The number of the first fall at or behind `t`, in edges from here; -1: not known yet. When there is none, at() of
  /// the result is kNever.
  std::ptrdiff_t fallFrom(std::int64_t t)
  {
    std::size_t k = 0;
    while (m_edges.at(k) < t)
      k += 2;
    return m_edges.at(k) == kNever.count() && !m_edges.isFinal() ? -1 : static_cast<std::ptrdiff_t>(k);
  }

  /// Reads the byte that begins at edge 0, unless it is a break or cut. `edgesTaken`: those up to where the next byte
  /// may begin; of CutByBreak, those before the break.
  Begins read(double bit, Byte& byte, std::size_t& edgesTaken)
  {
    byte.start = m_edges.at(0);
    byte.bit = bit;
    const std::int64_t end = byte.at(9.625);  // the last look at the stop bit
    const std::int64_t resume = byte.at(9.5);
    std::array<std::uint32_t, 3> looks{};
    edgesTaken = 0;
    for (std::size_t k = 0;; ++k) {
      const std::int64_t edge = m_edges.at(k);
      if (edge == kNever.count() || edge >= end) {
        // A low that goes on may become a break.
        if (edge == kNever.count() && !m_edges.knows(end))
          return Begins::Unknown;
        break;
      }
      // A low that begins behind the middle of the stop bit is the next thing on the wire, whatever it is.
      if (k % 2 == 0 && edge < resume) {
        const std::int64_t rise = m_edges.at(k + 1);
        if (rise == kNever.count()) {
          if (!m_edges.isFinal())
            return Begins::Unknown;
          edgesTaken = k + 1;
          return Begins::CutByEnd;
        }
        if (isBreak(edge, rise)) {
          edgesTaken = k;
          return k == 0 ? Begins::Break : Begins::CutByBreak;
        }
      }
      for (std::size_t comb = 0; comb < 3 && k > 0; ++comb) {
        const double look = (static_cast<double>(edge - byte.start) / bit) + 0.625 - 0.125 * static_cast<double>(comb);
        looks[comb] ^= ~0U << static_cast<unsigned>(std::max(0.0, std::floor(look)));
      }
      if (edge < resume)
        edgesTaken = k + 1;
    }
    if (m_edges.isFinal() && m_edges.until() < resume) {
      // What is known of its stop bit is not enough.
      edgesTaken = 0;
      while (m_edges.at(edgesTaken) != kNever.count())
        ++edgesTaken;
      return Begins::CutByEnd;
    }
    const std::uint32_t raw = (looks[0] & looks[1]) | (looks[0] & looks[2]) | (looks[1] & looks[2]);
    byte.value = raw >> 1U & 0xffU;
    byte.stopHigh = (raw >> 9U & 1U) != 0;
    // The next byte begins with a fall: a line that is low at the middle of the stop bit has to rise first.
    if (edgesTaken % 2 != 0)
      ++edgesTaken;
    if ((raw & 1U) != 0) {
      // High in the middle of its start bit: a spike, and no byte.
      edgesTaken = 2;
      return Begins::Nothing;
    }
    return Begins::Byte;
  }

  // ---- The states.

  bool idle()
  {
    const std::int64_t fall = m_edges.at(0);
    if (fall == kNever.count())
      return false;
    const std::int64_t rise = m_edges.at(1);
    if (rise == kNever.count())
      return false;  // also at the capture's end: a low that does not end is neither a break nor a wake-up
    if (isBreak(fall, rise)) {
      takeBreak();
      return true;
    }
    const bool stray = m_strayUntil && fall <= *m_strayUntil + bits(kRestBits);
    if (!stray && rise - fall >= kShortestWakeup && rise - fall <= kLongestWakeup) {
      const auto alone = standsAlone(fall, rise);
      if (!alone)
        return false;
      if (*alone) {
        m_strayUntil.reset();
        emit(kLinWakeup, fall, rise, 0, 0, 0, {});
        m_edges.drop(2);
        return true;
      }
    }
    // Bytes without a break: passed over, one after the other.
    const std::ptrdiff_t next = fallFrom(std::max(rise, fall + bits(9.5)));
    if (next < 0)
      return false;
    m_strayUntil = std::max(rise, fall + bits(10.0));
    m_edges.drop(static_cast<std::size_t>(next));
    return true;
  }

  /// Whether nothing but a break comes within ten bits of the pulse's begin and forty of its end. Nothing: not known
  /// yet.
  std::optional<bool> standsAlone(std::int64_t fall, std::int64_t rise)
  {
    const std::int64_t next = m_edges.at(2);
    const std::int64_t quiet = std::max(rise, fall + bits(10.0)) + bits(kRestBits);
    if (next == kNever.count())
      return m_edges.knows(quiet) ? std::optional(true) : std::nullopt;
    if (next > quiet)
      return true;
    const std::int64_t nextRise = m_edges.at(3);
    if (nextRise == kNever.count())
      return m_edges.isFinal() ? std::optional(false) : std::nullopt;
    return isBreak(next, nextRise);
  }

  void takeBreak()
  {
    m_breakFall = m_edges.at(0);
    m_breakRise = m_edges.at(1);
    m_edges.drop(2);
    m_strayUntil.reset();
    m_state = State::AfterBreak;
  }

  bool afterBreak()
  {
    const std::int64_t latest = m_breakRise + bits(kRestBits);
    const std::int64_t fall = m_edges.at(0);
    if (fall == kNever.count() && !m_edges.knows(latest))
      return false;
    if (fall > latest)
      return lonelyBreak();
    Byte byte;
    std::size_t taken = 0;
    // Long enough for the slowest sync byte that is right.
    if (!m_edges.knows(fall + bits(10.0 / (1.0 - kOff))) && m_edges.at(9) == kNever.count())
      return false;
    const auto measured = measuredBit();
    switch (read(measured.value_or(m_bit), byte, taken)) {
      case Begins::Unknown:
        return false;
      case Begins::Break:
        return lonelyBreak();
      case Begins::CutByEnd:
        beginFrame();
        endFrame(m_edges.until(), errorBit(LinError::Incomplete));
        m_edges.drop(taken);
        return true;
      case Begins::CutByBreak:
        beginFrame();
        endFrame(m_edges.at(taken), errorBit(LinError::Incomplete));
        m_edges.drop(taken);
        return true;
      case Begins::Nothing:
        m_edges.drop(taken);
        return true;
      case Begins::Byte:
        break;
    }
    beginFrame();
    m_recorder.byte(byte, m_edges);
    if (!measured || byte.value != kSync) {
      const std::int64_t end = fall + bits(10.0);
      endFrame(end, errorBit(LinError::Sync));
      m_strayUntil = end;
      m_edges.drop(taken);
      return true;
    }
    m_rate.add(Picoseconds{std::llround(*measured)});
    m_frameBit = *measured;
    took(byte, taken);
    m_state = State::Header;
    return true;
  }

  /// The bit that five falling edges give, when it is about the set one.
  std::optional<double> measuredBit()
  {
    if (m_edges.at(8) == kNever.count())
      return std::nullopt;
    const double measured = static_cast<double>(m_edges.at(8) - m_edges.at(0)) / 8.0;
    const double rate = m_bit / measured;
    return std::abs(rate - 1.0) <= kOff ? std::optional(measured) : std::nullopt;
  }

  /// No byte follows it: it may be a wake-up.
  bool lonelyBreak()
  {
    m_state = State::Idle;
    const std::int64_t length = m_breakRise - m_breakFall;
    if (length >= kShortestWakeup && length <= kLongestWakeup)
      emit(kLinWakeup, m_breakFall, m_breakRise, 0, 0, 0, {});
    return true;
  }

  bool header()
  {
    Byte byte;
    std::size_t taken = 0;
    const Begins begins = nextByte(byte, taken);
    if (begins == Begins::Unknown)
      return false;
    if (begins == Begins::Byte) {
      m_recorder.byte(byte, m_edges);
      took(byte, taken);
      m_pid = byte.value;
      m_hasId = true;
      if (linProtected(m_pid & 0x3fU) != m_pid)
        m_errors |= errorBit(LinError::Parity);
      m_state = State::Response;
    } else if (begins != Begins::Nothing || taken == 0) {
      endCut(begins, taken, errorBit(LinError::Incomplete));
    } else {
      m_edges.drop(taken);
    }
    return true;
  }

  bool response()
  {
    Byte byte;
    std::size_t taken = 0;
    const Begins begins = nextByte(byte, taken);
    if (begins == Begins::Unknown)
      return false;
    if (begins == Begins::Byte) {
      m_recorder.byte(byte, m_edges);
      took(byte, taken);
      m_data.push_back(static_cast<std::uint8_t>(byte.value));
      return true;
    }
    if (begins == Begins::Nothing && taken > 0) {
      m_edges.drop(taken);
      return true;
    }
    const bool cut = begins == Begins::CutByEnd || begins == Begins::CutByBreak;
    if (cut || m_data.size() == 1) {
      endCut(begins, taken, errorBit(LinError::Incomplete));
    } else if (m_data.empty()) {
      // The capture's end is no silence.
      const bool rested = begins == Begins::Break || m_edges.until() >= m_lastEnd + bits(kRestBits);
      // A silence carries no bytes, which is something to say; of what was cut nobody knows.
      m_flags |= rested ? kHasData : 0U;
      endCut(begins, taken, errorBit(rested ? LinError::NoResponse : LinError::Incomplete));
    } else {
      const Sum sum = judge(m_settings.checksum, m_pid, m_data);
      m_flags |= sum.flags;
      endCut(begins, taken, sum.errors);
    }
    return true;
  }

  /// What comes next in a frame. Nothing with no edges taken: rest, or the capture's end between two bytes.
  Begins nextByte(Byte& byte, std::size_t& taken)
  {
    taken = 0;
    const std::int64_t latest = m_lastEnd + bits(kRestBits);
    const std::int64_t fall = m_edges.at(0);
    if (fall == kNever.count() && !m_edges.knows(latest))
      return Begins::Unknown;
    return fall > latest ? Begins::Nothing : read(m_frameBit, byte, taken);
  }

  // ---- Frames.

  void beginFrame()
  {
    m_recorder.breakPulse(m_breakFall, m_breakRise);
    m_lastEnd = m_breakRise;
    m_hasId = false;
    m_pid = 0;
    m_flags = 0;
    m_errors = 0;
    m_data.clear();
  }

  void took(const Byte& byte, std::size_t edges)
  {
    if (!byte.stopHigh)
      m_errors |= errorBit(LinError::Framing);
    m_lastEnd = byte.end();
    m_edges.drop(edges);
  }

  /// The frame ends: where it was cut, else with its last stop bit. The break that ends it begins the next one.
  void endCut(Begins why, std::size_t taken, FrameErrors errors)
  {
    if (!m_data.empty())
      m_flags |= kHasData;
    if (why == Begins::CutByEnd)
      endFrame(m_edges.until(), errors);
    else if (why == Begins::CutByBreak)
      endFrame(m_edges.at(taken), errors);
    else
      endFrame(m_lastEnd, errors);
    m_edges.drop(taken);
  }

  void endFrame(std::int64_t end, FrameErrors errors)
  {
    const unsigned flags = m_flags | (m_hasId ? kHasId : 0U) | m_pid << kPidShift;
    emit(kLinFrame, m_breakFall, end, static_cast<std::uint16_t>(flags), static_cast<FrameErrors>(m_errors | errors),
         m_pid & 0x3fU, m_data);
    m_strayUntil = end;
    m_state = State::Idle;
  }

  void emit(FrameKind kind, std::int64_t begin, std::int64_t end, std::uint16_t flags, FrameErrors errors,
            std::uint32_t key, std::span<const std::uint8_t> payload)
  {
    m_frame = {{Picoseconds{begin}, Picoseconds{end}}, kind, flags, errors, key, payload};
    m_emitted = true;
  }

  LinSettings m_settings;
  double m_bit;  ///< ps at the set rate
  EdgeAhead m_edges;
  Recorder& m_recorder;
  State m_state = State::Idle;
  bool m_startsLow = false;
  /// Bytes without a break, or the end of a frame, reach up to here: what comes before the line has rested is no
  /// wake-up.
  std::optional<std::int64_t> m_strayUntil;
  // Of the frame.
  std::int64_t m_breakFall = 0;
  std::int64_t m_breakRise = 0;
  double m_frameBit = 0.0;
  std::int64_t m_lastEnd = 0;  ///< of the last stop bit
  bool m_hasId = false;
  std::uint32_t m_pid = 0;
  unsigned m_flags = 0;
  FrameErrors m_errors = 0;
  std::vector<std::uint8_t> m_data;
  // What a step has finished.
  Frame m_frame;
  bool m_emitted = false;
  RateMeter m_rate;
};

}  // namespace bexto::lin
