#pragma once

// A receiver on a CAN wire, for can_decoder.cpp (which keeps frames) and can_anatomy.cpp (which keeps bits). Frames
// without a fault it takes at once when no bits are kept: can_machine_whole.h.
//
// It works on runs. Between two edges the level stands, so the edges and the grid of sample points say how many equal
// bits went by; a run goes through the frame's parts in as few pieces as they allow. That is exact: a piece ends where
// a bit changes how the next ones are taken (rate switch, end of the stuffed part).
//
//   wire  ‾‾‾‾|_______________|‾‾‾‾|_______|‾‾‾      one run of 3 bits, one of 1, one of 2 ...
//   samples       ^    ^    ^    ^    ^   ^
//
// The grid is set anew by the edge of SOF and by the edge from FDF to res (hard synchronisation), and moved by every
// other edge from recessive to dominant, once between two samples and by no more than the jump width (ISO 11898-1:2015,
// 11.3.2). The jump width is all of phase segment 2, the largest that the standard allows.

#include <algorithm>
#include <array>
#include <cmath>
#include <type_traits>

#include "core/decode/bit_runs.h"
#include "core/decode/decoder.h"
#include "core/decode/rate_meter.h"
#include "core/protocol/can/can_frame.h"
#include "core/protocol/can/can_frame_reader.h"
#include "core/protocol/can/can_settings.h"
#include "core/signal/edge_stream.h"

namespace bexto::can {

/// What a sampled bit is. The bits of `Stuffed` are header, data and classic CRC, told apart by their number.
enum class Part : std::uint8_t {
  Stuffed,
  Stuff,
  StuffCount,
  Crc,
  CrcDelimiter,
  Ack,
  AckDelimiter,
  EndOfFrame,
  Flag,
  FlagDelimiter,
  Other,
};

/// Lengths in ps.
struct Timing {
  Timing(double rate, double samplePoint)
      : bit(std::max<std::int64_t>(2, std::llround(1e12 / rate))),
        before(std::llround(static_cast<double>(bit) * samplePoint)),
        after(bit - before)
  {
  }
  std::int64_t bit;
  std::int64_t before;  ///< from the begin of a bit to its sample
  std::int64_t after;   ///< from the sample to the end: phase segment 2, and so the jump width
};

/// `Observer` has: frame(const Frame&) for each frame, stopped() to end a run after it; bits(Part, level, count, first
/// sample, Timing) and edge(time) for those whose records() is true.
template <typename Observer>
class Machine : private FrameReader {
 public:
  enum class Begin { Anywhere, AtStartOfFrame, AtErrorFlag, AtOverloadFlag };

  Machine(const CanSettings& settings, const StreamInput& input, Picoseconds from, Begin begin, Observer& observer)
      : FrameReader(settings.iso),
        m_nominal(settings.bitrate, settings.samplePoint),
        m_fast(settings.fdBitrate > 0.0 ? Timing(settings.fdBitrate, settings.fdSamplePoint) : m_nominal),
        m_now(m_nominal),
        m_until(input.until),
        m_final(input.final),
        m_invert(settings.invert),
        m_edges(input.tracks.at(0), from, input.until, input.final),
        m_observer(observer),
        m_sample(from.count() + m_nominal.before)
  {
    if (begin == Begin::AtStartOfFrame) {
      rest();
      m_sample = kNever.count();
    } else if (begin != Begin::Anywhere) {
      m_state = State::Flag;
      m_frameBegin = from.count();
      m_flagKind = begin == Begin::AtErrorFlag ? kCanError : kCanOverload;
      // Its first bit has been sampled, maybe elsewhere: the flag set the grid only then.
      record(Part::Flag, false, 1);
      m_sample += m_nominal.bit;
    }
  }

  void extend(const StreamInput& input)
  {
    m_until = input.until;
    m_final = input.final;
    m_edges.extend(input.tracks.at(0), input.until, input.final);
  }

  /// Reads up to `slice` edges. False when the input is used up.
  bool run(std::size_t slice)
  {
    const std::int64_t* at = m_edges.inHand();
    bool recessive = m_edges.level() != m_invert;
    for (std::size_t i = 0; i < slice; ++i) {
      const std::int64_t t = *at;
      if (t == kNever.count()) {
        m_edges.usedUpTo(at);
        take(recessive, m_edges.horizon().count() + 1);
        if (m_final && !m_observer.stopped())
          endOfCapture();
        return false;
      }
      take(recessive, t);
      if constexpr (!Observer::records()) {
        if (m_state == State::Idle && recessive) {
          at = wholeFrames(at, i);
          if (m_observer.stopped())
            break;
        }
      }
      recessive = !recessive;
      moved(*at, recessive);
      if (*++at == kNever.count()) [[unlikely]] {
        m_edges.usedUpTo(at);
        at = m_edges.inHand();
      }
      if (m_observer.stopped())
        break;
    }
    m_edges.usedUpTo(at);
    return true;
  }

  Picoseconds reached() const { return std::min(m_until, Picoseconds{m_edges.next()}); }
  const RateMeter& rate() const { return m_rate; }

 private:
  enum class State : std::uint8_t {
    Integrate,     ///< waiting for eleven recessive bits
    Idle,          ///< the next falling edge begins a frame
    Sof,           ///< that edge has come, its sample has not
    Stuffed,       ///< SOF to the end of the data (FD) or of the CRC
    LastStuff,     ///< the stuff bit that five equal bits at the end of a classic CRC ask for
    FdCrc,         ///< stuff count and CRC with fixed stuff bits
    CrcDelimiter,  //
    Ack,           //
    LateAck,       ///< FD: a recessive bit where ACK was due: a second delimiter bit, or nobody answers
    AckOrFlag,     ///< FD: then a dominant one: an answer, or the flag of a sender that got none
    AckDelimiter,  //
    EndOfFrame,    //
    Intermission,  //
    WaitFlag,      ///< an error without a dominant bit: its flag comes, or eleven recessive bits
    Flag,          //
    FlagRise,      ///< a recessive bit behind it: a delimiter, when it is still there on a grid set by that edge
    FlagDelimiter,
  };

  static constexpr std::int64_t kIntegration = 11;

  /// Bits of length `bit` whose samples lie in a stretch of `d` that begins with a sample.
  static std::int64_t bitsIn(std::int64_t d, std::int64_t bit)
  {
    if (d <= 6 * bit) [[likely]]
      return 1 + (d > bit ? 1 : 0) + (d > 2 * bit ? 1 : 0) + (d > 3 * bit ? 1 : 0) + (d > 4 * bit ? 1 : 0) +
             (d > 5 * bit ? 1 : 0);
    return (d + bit - 1) / bit;
  }

  /// The level stood until `end`: takes the samples before that.
  void take(bool level, std::int64_t end)
  {
    // The run may come in pieces, when a capture grows.
    m_sampled = m_sampled || m_sample < end;
    while (m_sample < end) {
      const std::int64_t bit = m_now.bit;
      m_next = -1;
      const std::int64_t used = handle(level, bitsIn(end - m_sample, bit));
      m_sample = m_next >= 0 ? m_next : m_sample + (used - 1) * bit + m_now.bit;
    }
  }

  void moved(std::int64_t t, bool recessive)
  {
    m_observer.edge(t);
    const bool sampled = m_sampled;
    m_sampled = false;
    if (recessive) {
      m_lastRise = t;
      // A dominant spike that ends before its sample is no SOF.
      if (m_state == State::Sof) [[unlikely]] {
        m_state = State::Idle;
        m_sample = kNever.count();
      }
      return;
    }
    m_lastFall = t;
    if (m_state == State::Idle) {
      m_state = State::Sof;
      m_sample = t + m_nominal.before;
    } else if (sampled) {
      const std::int64_t error = t - (m_sample - m_now.before);
      if (m_hardNext) [[unlikely]] {
        m_sample += error;
        m_hardNext = false;
      } else {
        m_sample += std::clamp(error, -m_now.after, m_now.after);
      }
      if (m_state == State::Stuffed && !m_switched) {
        m_spanEnd = t;
        m_spanBits = m_rawBits;
      }
    }
  }

  /// `count` samples of `level` are there; returns how many of them were taken, at least one.
  std::int64_t handle(bool level, std::int64_t count)
  {
    if (m_state == State::Stuffed) [[likely]]
      return stuffed(level, static_cast<unsigned>(std::min<std::int64_t>(count, 32)));
    switch (m_state) {
      case State::Integrate:
        return integrate(level, count);
      case State::Idle:
        break;  // has no samples
      case State::Sof:
        beginFrame();
        return stuffed(level, static_cast<unsigned>(std::min<std::int64_t>(count, 32)));
      case State::Stuffed:
        break;  // see above
      case State::LastStuff:
        return lastStuff(level);
      case State::FdCrc:
        return fdCrc(level);
      case State::CrcDelimiter:
        return crcDelimiter(level);
      case State::Ack:
        return acknowledge(level);
      case State::LateAck:
        return lateAck(level);
      case State::AckOrFlag:
        return ackOrFlag(level);
      case State::AckDelimiter:
        return ackDelimiter(level);
      case State::EndOfFrame:
        return endOfFrame(level, count);
      case State::Intermission:
        return intermission(level, count);
      case State::WaitFlag:
        return waitFlag(level, count);
      case State::Flag:
      case State::FlagRise:
      case State::FlagDelimiter:
        return flag(level, count);
    }
    return count;
  }

  void record(Part part, bool level, std::int64_t count) { m_observer.bits(part, level, count, m_sample, m_now); }

  // ---- between frames

  void rest()
  {
    m_state = State::Idle;
    m_next = kNever.count();
  }

  std::int64_t integrate(bool level, std::int64_t count)
  {
    m_count = level ? m_count + count : 0;
    if (m_count >= kIntegration)
      rest();
    return count;
  }

  std::int64_t intermission(bool level, std::int64_t count)
  {
    if (!level) {
      beginFlag(kCanOverload, m_lastFall);
      synchroniseToFlag();
      record(Part::Flag, level, 1);
      return 1;
    }
    // A falling edge in the third bit is a SOF already.
    const std::int64_t used = std::min<std::int64_t>(count, 2 - m_count);
    m_count += used;
    if (m_count == 2)
      rest();
    return used;
  }

  // ---- the stuffed part

  void beginFrame()
  {
    m_state = State::Stuffed;
    m_frameBegin = m_spanEnd = m_lastFall;
    m_rawBits = m_spanBits = 0;
    m_switched = m_hardNext = false;
    clear();
  }

  std::int64_t stuffed(bool level, unsigned count)
  {
    unsigned used = 0;
    if (level != m_runLevel) {
      if (m_run == 5) {
        ++m_stuffBits;
        used = 1;
        record(Part::Stuff, level, 1);
      }
      m_runLevel = level;
      m_run = used;
      m_runBegin = m_lastFall;
      m_runFrom = m_bits.size();
    }
    unsigned taken = std::min(count - used, m_target - static_cast<unsigned>(m_bits.size()));
    const bool sixth = m_run + taken > 5;
    if (sixth) [[unlikely]]
      taken = 5 - m_run;
    if (taken > 0) {
      if (m_observer.records())
        m_observer.bits(Part::Stuffed, level, taken, m_sample + used * m_now.bit, m_now);
      m_bits.append(level, taken);
      m_run += taken;
    }
    used += taken;
    if (m_keepRaw && used > 0)
      m_raw.append(level, used);
    m_rawBits += used;
    if (sixth) [[unlikely]] {
      m_observer.bits(Part::Other, level, 1, m_sample + used * m_now.bit, m_now);
      if (!level)
        dropRun();
      m_errors |= errorBit(CanError::Stuff);
      fail(level, m_sample + used * m_now.bit, m_runBegin, 6);
      return used + 1;
    }
    while (m_bits.size() == m_target && m_state == State::Stuffed)
      reached(m_sample + (used - 1) * m_now.bit);
    return used;
  }

  // ---- frames without a fault, at once
  const std::int64_t* wholeFrames(const std::int64_t* at, std::size_t& passed);
  const std::int64_t* wholeFrame(const std::int64_t* at);
  std::size_t switchRate(const std::int64_t* at, std::size_t counted, std::size_t& lastFall);
  std::int64_t checkClassic(const std::int64_t* at, std::size_t rest, std::size_t& lastFall);
  std::int64_t checkFd(const std::int64_t* at, std::size_t rest, const Timing& data, std::size_t* lastFall);

  /// The header or the data has come to an end that changes how the next bits are taken; `sample` is the last bit's.
  void reached(std::int64_t sample)
  {
    switch (decide()) {
      case Decision::None:
        break;
      case Decision::FormatIsFd:
        m_hardNext = true;
        break;
      case Decision::ResRead:
        m_hardNext = false;
        break;
      case Decision::ProtocolException:
        protocolException(sample);
        break;
      case Decision::SwitchRate:
        m_now = m_fast;
        m_switched = true;
        break;
      case Decision::ClassicCrcRead:
        m_state = m_run == 5 ? State::LastStuff : State::CrcDelimiter;
        break;
      case Decision::FdCrcBegins:
        m_state = State::FdCrc;
        m_count = 0;
        break;
    }
  }

  std::int64_t lastStuff(bool level)
  {
    if (level == m_runLevel) {
      record(Part::Other, level, 1);
      if (!level)
        dropRun();
      m_errors |= errorBit(CanError::Stuff);
      fail(level, m_sample, m_runBegin, 6);
      return 1;
    }
    record(Part::Stuff, level, 1);
    m_runLevel = level;
    m_state = State::CrcDelimiter;
    return 1;
  }

  // ---- the CRC of FD frames: a fixed stuff bit, then four bits, and so on

  std::int64_t fdCrc(bool level)
  {
    const std::int64_t place = m_count++;
    if (place % 5 == 0) {
      record(Part::Stuff, level, 1);
      if (!fixedStuffBit(level)) {
        m_errors |= errorBit(CanError::Form);
        fail(level, m_sample, m_sample - m_now.before, 1);
      }
      return 1;
    }
    record(isStuffCountNext() ? Part::StuffCount : Part::Crc, level, 1);
    if (checkBit(level))
      m_state = State::CrcDelimiter;
    return 1;
  }

  // ---- after the CRC
  std::int64_t crcDelimiter(bool level);
  std::int64_t acknowledge(bool level);
  void nobodyAnswers();
  std::int64_t lateAck(bool level);
  std::int64_t ackOrFlag(bool level);
  std::int64_t ackDelimiter(bool level);
  std::int64_t endOfFrame(bool level, std::int64_t count);
  // ---- errors
  /// Something is wrong with the bit sampled at `sample`. When it is dominant the flag begins at `flagBegin`; else it
  /// is still to come, and `recessive` such bits have been seen in a row.
  void fail(bool level, std::int64_t sample, std::int64_t flagBegin, std::int64_t recessive);
  void cut(std::int64_t flagBegin);
  void protocolException(std::int64_t sample);
  std::int64_t waitFlag(bool level, std::int64_t count);
  void beginFlag(FrameKind kind, std::int64_t at);
  /// So that the flag can be read again without what came before it.
  void synchroniseToFlag();
  std::int64_t flag(bool level, std::int64_t count);
  // ---- output
  void emitFlag(std::int64_t end, std::uint16_t errors);
  void emitFrame(std::int64_t end);
  bool isMeasuredNext() const;
  void measure();
  void endOfCapture();

  Timing m_nominal;
  Timing m_fast;
  Timing m_now;
  Picoseconds m_until;
  bool m_final;
  bool m_invert;
  EdgeStream m_edges;
  Observer& m_observer;

  // Of the grid.
  std::int64_t m_sample;     ///< the next one
  std::int64_t m_next = -1;  ///< where a handler wants the next sample instead; -1: on the grid
  std::int64_t m_lastFall = 0;
  std::int64_t m_lastRise = 0;
  bool m_sampled = false;   ///< since the last edge
  bool m_hardNext = false;  ///< the next falling edge sets the grid anew

  State m_state = State::Integrate;
  std::int64_t m_count = 0;  ///< of bits, in the states that count
  std::int64_t m_cutEnd = 0;
  FrameKind m_flagKind = kCanError;
  std::int64_t m_frameBegin = 0;

  // Of the frame, beside what its reader keeps.
  std::int64_t m_runBegin = 0;  ///< of a dominant run
  bool m_switched = false;      ///< to the rate of the data phase, or back from it
  unsigned m_rawBits = 0;
  std::int64_t m_spanEnd = 0;  ///< the last falling edge at the nominal rate, and the bits up to it
  unsigned m_spanBits = 0;
  std::uint64_t m_frames = 0;
  RateMeter m_rate;

  /// Of frames that are taken at once.
  struct Whole {
    BitRunGrid nominal;
    BitRunGrid fast;
    BitRuns runs = {};
    std::size_t counted = 0;  ///< of the frame that was looked at last
  };
  struct None {
    None(const BitRunGrid& /*nominal*/, const BitRunGrid& /*fast*/) {}
  };
  std::conditional_t<Observer::records(), None, Whole> m_whole{BitRunGrid(m_nominal.bit, m_nominal.before),
                                                               BitRunGrid(m_fast.bit, m_fast.before)};
};

}  // namespace bexto::can

#include "core/protocol/can/can_machine_end.h"
#include "core/protocol/can/can_machine_whole.h"
