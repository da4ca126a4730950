#pragma once

// A receiver on a CAN wire, for decode/can.cpp (which keeps frames) and decode/can_anatomy.cpp (which keeps bits).
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

#include "core/decode/can.h"
#include "core/decode/can_crc.h"
#include "core/decode/rate_meter.h"
#include "core/signal/edge_stream.h"

namespace bexto::can {

// Frame::flags of data and remote frames.
inline constexpr unsigned kExtended = 1U << 0U;
inline constexpr unsigned kFd = 1U << 1U;
inline constexpr unsigned kBrs = 1U << 2U;
inline constexpr unsigned kEsi = 1U << 3U;
inline constexpr unsigned kAck = 1U << 4U;
inline constexpr unsigned kReachShift = 5;  ///< 3 bits: a Reach
inline constexpr unsigned kDlcShift = 8;    ///< 4 bits
inline constexpr unsigned kAckRead = 1U << 12U;
inline constexpr unsigned kCrcRead = 1U << 13U;  ///< the payload ends with three bytes of CRC, low one first
inline constexpr std::size_t kCrcBytes = 3;

/// How much of the header has been read.
enum class Reach : std::uint8_t { Nothing, Ide, Id, Format, Brs, Esi, Dlc };

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

inline constexpr unsigned kPerBitShift = 60;

/// Lengths in ps.
struct Timing {
  Timing(double rate, double samplePoint)
      : bit(std::max<std::int64_t>(2, std::llround(1e12 / rate))),
        before(std::llround(static_cast<double>(bit) * samplePoint)),
        after(bit - before),
        // (d - 1) * perBit >> kPerBitShift is (d - 1) / bit, exactly, for d up to five bits: 2^60 > 5 * bit^2.
        perBit(bit < 400000000 ? (std::uint64_t{1} << kPerBitShift) / static_cast<std::uint64_t>(bit) + 1 : 0)
  {
  }
  std::int64_t bit;
  std::int64_t before;   ///< from the begin of a bit to its sample
  std::int64_t after;    ///< from the sample to the end: phase segment 2, and so the jump width
  std::uint64_t perBit;  ///< instead of a division by `bit`; 0 when the bit is too long for that
};

/// `Observer` has: frame(const Frame&) for each frame, stopped() to end a run after it; bits(Part, level, count, first
/// sample, Timing) and edge(time) for those whose records() is true.
template <typename Observer>
class Machine {
 public:
  enum class Begin { Anywhere, AtStartOfFrame, AtErrorFlag, AtOverloadFlag };

  Machine(const CanSettings& settings, const StreamInput& input, Picoseconds from, Begin begin, Observer& observer)
      : m_iso(settings.iso),
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
      m_flagKind = begin == Begin::AtErrorFlag ? FrameKind::Error : FrameKind::Overload;
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
      if constexpr (!Observer::records()) {
        if (m_state == State::Stuffed && !recessive && m_runLevel && !m_sampled && !m_hardNext) {
          const std::int64_t* const from = at;
          at = quickRuns(at);
          recessive = recessive != (((at - from) & 1) != 0);
          i += static_cast<std::size_t>(at - from);
          if (at != from && *at == kNever.count()) {
            m_edges.usedUpTo(at);
            at = m_edges.inHand();
          }
        }
      }
      const std::int64_t t = *at;
      if (t == kNever.count()) {
        m_edges.usedUpTo(at);
        take(recessive, m_edges.horizon().count() + 1);
        if (m_final && !m_observer.stopped())
          endOfCapture();
        return false;
      }
      take(recessive, t);
      recessive = !recessive;
      moved(t, recessive);
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
    FlagDelimiter,
  };

  static constexpr std::int64_t kIntegration = 11;
  static constexpr unsigned kIde = 13;  ///< number of the IDE bit
  /// The bit that m_target counts up to.
  enum class Stop : std::uint8_t { Format, Res, Brs, Dlc, End };

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
      beginFlag(FrameKind::Overload, m_lastFall);
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
    m_bits.clear();
    m_raw.clear();
    m_keepRaw = true;
    m_rawBits = m_spanBits = 0;
    m_run = 0;
    m_runLevel = true;
    m_stuffBits = 0;
    m_target = 15;
    m_stop = Stop::Format;
    m_extended = m_remote = m_fd = m_brs = m_esi = m_switched = false;
    m_ack = m_ackRead = m_crcRead = m_hardNext = false;
    m_dlc = m_length = 0;
    m_errors = 0;
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
      m_errors |= errorBit(FrameError::Stuff);
      fail(level, m_sample + used * m_now.bit, m_runBegin, 6);
      return used + 1;
    }
    while (m_bits.size() == m_target && m_state == State::Stuffed)
      reached(m_sample + (used - 1) * m_now.bit);
    return used;
  }

  /// Whole runs of the stuffed part that decide nothing and break no rule, and the edges between them: what take(),
  /// stuffed() and moved() do, on numbers that stay in registers. The first run is dominant. Returns the edge
  /// that it could not go on from.
  const std::int64_t* quickRuns(const std::int64_t* at)
  {
    const std::int64_t bit = m_now.bit;
    const std::int64_t before = m_now.before;
    const std::int64_t jump = m_now.after;
    const std::int64_t longest = m_now.perBit > 0 ? 5 * bit : 0;
    const std::uint64_t perBit = m_now.perBit;
    const auto target = static_cast<std::size_t>(m_target);
    std::int64_t sample = m_sample;
    std::int64_t spanEnd = m_spanEnd;
    unsigned run = m_run;
    unsigned rawBits = m_rawBits;
    unsigned spanBits = m_spanBits;
    unsigned stuffBits = m_stuffBits;
    // Bits that are not in the rows yet, and how many there may be.
    constexpr unsigned kMostHeld = 54;
    std::uint64_t bits = 0;
    std::uint64_t raw = 0;
    unsigned heldBits = 0;
    unsigned heldRaw = 0;
    std::size_t size = m_bits.size();
    const auto putAway = [&] {
      m_bits.appendBits(bits, heldBits);
      if (m_keepRaw)
        m_raw.appendBits(raw, heldRaw);
      bits = raw = 0;
      heldBits = heldRaw = 0;
    };
    const std::int64_t* const first = at;
    // One run; false when it has to be looked at more closely.
    const auto step = [&](bool recessive) {
      const std::int64_t d = *at - sample;
      if (d <= 0 || d > longest) [[unlikely]]
        return false;
      const unsigned count = 1U + static_cast<unsigned>(static_cast<std::uint64_t>(d - 1) * perBit >> kPerBitShift);
      const unsigned stuff = run == 5 ? 1U : 0U;
      const unsigned taken = count - stuff;
      if (size + taken >= target) [[unlikely]]
        return false;
      size += taken;
      stuffBits += stuff;
      rawBits += count;
      heldBits += taken;
      heldRaw += count;
      run = count;
      if (recessive) {
        bits = ((bits + 1) << taken) - 1;
        raw = ((raw + 1) << count) - 1;
        spanEnd = *at;
        spanBits = rawBits;
        // A branch that is always the same way: so the next sample need not wait for this one.
        sample += static_cast<std::int64_t>(count) * bit;
        const std::int64_t error = *at - (sample - before);
        if (error >= -jump && error <= jump) [[likely]]
          sample = *at + before;
        else
          sample += error < 0 ? -jump : jump;
      } else {
        bits <<= taken;
        raw <<= count;
        sample += static_cast<std::int64_t>(count) * bit;
      }
      ++at;
      return true;
    };
    bool recessive = false;
    while (step(false)) {
      recessive = true;
      if (heldRaw >= kMostHeld) [[unlikely]]
        putAway();
      if (!step(true))
        break;
      recessive = false;
    }
    if (at == first)
      return at;
    putAway();
    m_sample = sample;
    m_run = run;
    m_runLevel = !recessive;
    m_rawBits = rawBits;
    m_stuffBits = stuffBits;
    // The last falling edge, if any: with the level high now, it is the one before the last.
    const std::int64_t* const fall = recessive ? at - 2 : at - 1;
    if (fall >= first)
      m_lastFall = *fall;
    if (recessive)
      m_runBegin = m_lastFall;  // a run may yet go on, behind a glitch
    if (!m_switched) {
      m_spanEnd = spanEnd;
      m_spanBits = spanBits;
    }
    return at;
  }

  /// The row has come to the next bit that decides how those after it are taken; `sample` is that bit's. What only has
  /// to be known in the end, such as the identifier, waits for that: each stop costs more than several runs.
  void reached(std::int64_t sample)
  {
    const bool last = m_bits.bits(m_target - 1, 1) != 0;
    switch (m_stop) {
      case Stop::Format:
        if (!m_extended && m_bits.bits(kIde, 1) != 0) {
          m_extended = true;
          m_target = 34;
          break;
        }
        m_fd = last;
        m_remote = !m_fd && m_bits.bits(m_extended ? 32 : 12, 1) != 0;
        m_keepRaw = m_fd;
        m_hardNext = m_fd;
        m_stop = m_fd ? Stop::Res : Stop::Dlc;
        m_target = m_fd ? resPosition() : headerEnd();
        break;
      case Stop::Res:
        m_hardNext = false;
        if (last) {
          protocolException(sample);
          break;
        }
        m_stop = Stop::Brs;
        m_target = resPosition() + 1;
        break;
      case Stop::Brs:
        m_brs = last;
        if (m_brs) {
          m_now = m_fast;
          m_switched = true;
        }
        m_stop = Stop::Dlc;
        m_target = headerEnd();
        break;
      case Stop::Dlc:
        m_esi = m_fd && m_bits.bits(m_target - 5, 1) != 0;
        m_header = m_target;
        m_dlc = m_bits.bits(m_header - 4, 4);
        m_length = m_remote ? 0 : canDataLength(m_dlc, m_fd);
        m_stop = Stop::End;
        m_target = m_header + 8 * m_length + (m_fd ? 0 : widthOf(CanCrc::Crc15));
        break;
      case Stop::End:
        if (m_fd)
          beginFdCrc();
        else
          endClassicCrc();
        break;
    }
  }

  /// How much of the header was read, by the number of its bits; fills in what no stop has asked for.
  Reach reach()
  {
    const std::size_t size = m_bits.size();
    if (size <= kIde)
      return Reach::Nothing;
    if (m_stop == Stop::Format) {
      m_extended = m_bits.bits(kIde, 1) != 0;
      return m_extended && size < 32 ? Reach::Ide : Reach::Id;
    }
    if (m_stop == Stop::End)
      return Reach::Dlc;
    if (!m_fd || m_stop <= Stop::Brs)
      return Reach::Format;
    m_esi = size >= resPosition() + 2 && m_bits.bits(resPosition() + 1, 1) != 0;
    return size >= resPosition() + 2 ? Reach::Esi : Reach::Brs;
  }

  /// Bits of an FD frame up to and with res.
  unsigned resPosition() const { return m_extended ? 35 : 16; }

  /// Bits up to and with the DLC. Requires: the format is known.
  unsigned headerEnd() const { return m_fd ? resPosition() + 6 : m_extended ? 39 : 19; }

  void endClassicCrc()
  {
    const std::size_t covered = m_header + std::size_t{8} * m_length;
    m_crc = m_bits.bits(covered, widthOf(CanCrc::Crc15));
    m_crcRead = true;
    if (crcOf(CanCrcRegister(CanCrc::Crc15), m_bits, covered) != m_crc)
      m_errors |= errorBit(FrameError::Crc);
    m_state = m_run == 5 ? State::LastStuff : State::CrcDelimiter;
  }

  std::int64_t lastStuff(bool level)
  {
    if (level == m_runLevel) {
      record(Part::Other, level, 1);
      m_errors |= errorBit(FrameError::Stuff);
      fail(level, m_sample, m_runBegin, 6);
      return 1;
    }
    record(Part::Stuff, level, 1);
    m_runLevel = level;
    m_state = State::CrcDelimiter;
    return 1;
  }

  // ---- the CRC of FD frames: a fixed stuff bit, then four bits, and so on

  void beginFdCrc()
  {
    m_state = State::FdCrc;
    m_count = 0;
    m_check = 0;
    m_lastLevel = m_runLevel;
  }

  CanCrc crcKind() const { return m_length > 16 ? CanCrc::Crc21 : CanCrc::Crc17; }

  std::int64_t fdCrc(bool level)
  {
    const std::int64_t place = m_count++;
    if (place % 5 == 0) {
      record(Part::Stuff, level, 1);
      if (level == m_lastLevel) {
        m_errors |= errorBit(FrameError::Form);
        fail(level, m_sample, m_sample - m_now.before, 1);
      }
      m_lastLevel = level;
      return 1;
    }
    const std::int64_t countBits = m_iso ? 4 : 0;
    const std::int64_t taken = place - place / 5;  // with this one
    record(taken <= countBits ? Part::StuffCount : Part::Crc, level, 1);
    m_check = m_check << 1U | (level ? 1U : 0U);
    m_lastLevel = level;
    if (taken == countBits + widthOf(crcKind()))
      endFdCrc();
    return 1;
  }

  void endFdCrc()
  {
    const unsigned width = widthOf(crcKind());
    m_crc = static_cast<std::uint32_t>(m_check & ((std::uint64_t{1} << width) - 1));
    m_crcRead = true;
    CanCrcRegister crc(crcKind(), m_iso ? 1U << (width - 1) : 0);
    if (!m_iso) {
      if (crcOf(crc, m_raw, m_raw.size()) != m_crc)
        m_errors |= errorBit(FrameError::Crc);
    } else {
      // Stuff bits modulo 8 in Gray code and an even parity bit; the CRC covers them as they were sent.
      const auto sent = static_cast<std::uint32_t>(m_check >> width);
      m_raw.append((sent & 8U) != 0, 1);
      m_raw.append((sent & 4U) != 0, 1);
      m_raw.append((sent & 2U) != 0, 1);
      m_raw.append((sent & 1U) != 0, 1);
      if (crcOf(crc, m_raw, m_raw.size()) != m_crc)
        m_errors |= errorBit(FrameError::Crc);
      const std::uint32_t number = m_stuffBits % 8;
      const std::uint32_t gray = number ^ number >> 1U;
      const std::uint32_t parity = (gray ^ gray >> 1U ^ gray >> 2U) & 1U;
      if (sent != (gray << 1U | parity))
        m_errors |= errorBit(FrameError::StuffCount);
    }
    m_state = State::CrcDelimiter;
  }

  // ---- after the CRC

  std::int64_t crcDelimiter(bool level)
  {
    record(Part::CrcDelimiter, level, 1);
    if (!level) {
      // The falling edge is the bit's own when the bit before was recessive.
      const bool before = m_fd ? m_lastLevel : m_runLevel;
      m_errors |= errorBit(FrameError::Form);
      fail(level, m_sample, before ? m_lastFall : m_sample - m_now.before, 1);
      return 1;
    }
    m_now = m_nominal;
    m_state = State::Ack;
    return 1;
  }

  std::int64_t acknowledge(bool level)
  {
    record(Part::Ack, level, 1);
    m_count = 1;
    if (!level) {
      m_ack = m_ackRead = true;
      m_state = State::AckDelimiter;
    } else if (m_fd) {
      m_state = State::LateAck;
    } else {
      nobodyAnswers();
      m_state = State::AckDelimiter;
    }
    return 1;
  }

  void nobodyAnswers()
  {
    m_ackRead = true;
    m_ack = false;
    m_errors |= errorBit(FrameError::Ack);
  }

  std::int64_t lateAck(bool level)
  {
    if (level) {
      record(Part::AckDelimiter, level, 1);
      nobodyAnswers();
      m_state = State::EndOfFrame;
      m_count = 0;
      return 1;
    }
    record(Part::Ack, level, 1);
    m_runBegin = m_lastFall;
    m_count = 1;
    m_state = State::AckOrFlag;
    return 1;
  }

  std::int64_t ackOrFlag(bool level)
  {
    if (level) {
      record(Part::AckDelimiter, level, 1);
      m_ack = m_ackRead = true;
      m_state = State::EndOfFrame;
      m_count = 0;
      return 1;
    }
    record(Part::Ack, level, 1);
    if (++m_count > 2) {
      nobodyAnswers();
      cut(m_runBegin);
    }
    return 1;
  }

  std::int64_t ackDelimiter(bool level)
  {
    if (level) {
      record(Part::AckDelimiter, level, 1);
      m_state = State::EndOfFrame;
      m_count = 0;
      return 1;
    }
    if (m_ack && m_fd && m_count == 1) {
      record(Part::Ack, level, 1);
      m_count = 2;
      return 1;
    }
    record(Part::AckDelimiter, level, 1);
    if (m_ack && !checkFailed())
      m_errors |= errorBit(FrameError::Form);
    cut(m_ack ? m_sample - m_now.before : m_lastFall);
    return 1;
  }

  bool checkFailed() const { return (m_errors & (errorBit(FrameError::Crc) | errorBit(FrameError::StuffCount))) != 0; }

  std::int64_t endOfFrame(bool level, std::int64_t count)
  {
    constexpr std::int64_t kLength = 7;
    if (level) {
      const std::int64_t used = std::min(count, kLength - m_count);
      record(Part::EndOfFrame, level, used);
      m_count += used;
      if (m_count == kLength) {
        emitFrame(m_sample + (used - 1) * m_now.bit + m_now.after);
        m_state = State::Intermission;
        m_count = 0;
      }
      return used;
    }
    record(m_count == kLength - 1 ? Part::EndOfFrame : Part::Other, level, 1);
    if (m_count == kLength - 1) {
      // To receivers the frame is valid by now; a dominant last bit asks for a pause (10.4.5).
      emitFrame(m_sample + m_now.after);
      beginFlag(FrameKind::Overload, m_lastFall);
      synchroniseToFlag();
      return 1;
    }
    if (!checkFailed())
      m_errors |= errorBit(FrameError::Form);
    cut(m_lastFall);
    return 1;
  }

  // ---- errors

  /// Something is wrong with the bit sampled at `sample`. When it is dominant the flag begins at `flagBegin`; else it
  /// is still to come, and `recessive` such bits have been seen in a row.
  void fail(bool level, std::int64_t sample, std::int64_t flagBegin, std::int64_t recessive)
  {
    if (!level) {
      cut(flagBegin);
      return;
    }
    m_cutEnd = sample + m_now.after;
    m_now = m_nominal;
    m_state = State::WaitFlag;
    m_count = recessive;
  }

  void cut(std::int64_t flagBegin)
  {
    emitFrame(flagBegin);
    beginFlag(FrameKind::Error, flagBegin);
  }

  void protocolException(std::int64_t sample)
  {
    m_errors |= errorBit(FrameError::Form);
    m_hardNext = false;
    emitFrame(sample + m_now.after);
    m_state = State::Integrate;
    m_count = m_run;
  }

  std::int64_t waitFlag(bool level, std::int64_t count)
  {
    if (!level) {
      record(Part::Flag, level, 1);
      cut(m_lastFall);
      return 1;
    }
    m_count += count;
    if (m_count >= kIntegration) {
      emitFrame(m_cutEnd);
      rest();
    }
    return count;
  }

  void beginFlag(FrameKind kind, std::int64_t at)
  {
    m_state = State::Flag;
    m_now = m_nominal;
    m_flagKind = kind;
    m_frameBegin = at;
    m_errors = 0;
    m_hardNext = false;
    m_count = 0;
  }

  /// So that the flag can be read again without what came before it.
  void synchroniseToFlag() { m_next = m_lastFall + m_now.before + m_now.bit; }

  std::int64_t flag(bool level, std::int64_t count)
  {
    constexpr std::int64_t kDelimiter = 8;
    if (!level) {
      if (m_state == State::FlagDelimiter) {
        emitFlag(m_lastFall, 0);
        beginFlag(FrameKind::Error, m_lastFall);
        synchroniseToFlag();
        count = 1;
      }
      record(Part::Flag, level, count);
      return count;
    }
    if (m_state == State::Flag) {
      m_state = State::FlagDelimiter;
      m_count = 0;
    }
    const std::int64_t used = std::min(count, kDelimiter - m_count);
    record(Part::FlagDelimiter, level, used);
    m_count += used;
    if (m_count == kDelimiter) {
      emitFlag(m_sample + (used - 1) * m_now.bit + m_now.after, 0);
      m_state = State::Intermission;
      m_count = 0;
    }
    return used;
  }

  // ---- output

  void emitFlag(std::int64_t end, std::uint16_t errors)
  {
    Frame frame;
    frame.time = {Picoseconds{m_frameBegin}, Picoseconds{end}};
    frame.kind = m_flagKind;
    frame.errors = errors;
    m_observer.frame(frame);
  }

  void emitFrame(std::int64_t end)
  {
    Frame frame;
    frame.time = {Picoseconds{m_frameBegin}, Picoseconds{end}};
    frame.kind = m_remote ? FrameKind::Remote : FrameKind::Data;
    frame.errors = m_errors;
    const Reach read = reach();
    unsigned flags = static_cast<unsigned>(read) << kReachShift | m_dlc << kDlcShift;
    flags |= (m_extended ? kExtended : 0U) | (m_fd ? kFd : 0U) | (m_brs ? kBrs : 0U) | (m_esi ? kEsi : 0U);
    flags |= (m_ack ? kAck : 0U) | (m_ackRead ? kAckRead : 0U) | (m_crcRead ? kCrcRead : 0U);
    frame.flags = static_cast<std::uint16_t>(flags);
    if (read >= Reach::Id)
      frame.key = m_extended ? m_bits.bits(1, 11) << 18U | m_bits.bits(14, 18) : m_bits.bits(1, 11);
    frame.payload = payload();
    // Only from frames of which every bit was understood.
    if (m_errors == 0 && m_spanBits > 8)
      measure();
    m_observer.frame(frame);
  }

  void measure()
  {
    constexpr std::uint64_t kAll = 256;
    if (++m_frames <= kAll || m_frames % 16 == 0)
      m_rate.add(Picoseconds{(m_spanEnd - m_frameBegin) / static_cast<std::int64_t>(m_spanBits)});
  }

  std::span<const std::uint8_t> payload()
  {
    std::size_t bytes = 0;
    if (m_stop == Stop::End)
      bytes = std::min<std::size_t>(m_length, (m_bits.size() - m_header) / 8);
    std::size_t i = 0;
    for (; i + 4 <= bytes; i += 4) {
      const std::uint32_t four = m_bits.bits(m_header + 8 * i, 32);
      m_payload[i] = static_cast<std::uint8_t>(four >> 24U);
      m_payload[i + 1] = static_cast<std::uint8_t>(four >> 16U);
      m_payload[i + 2] = static_cast<std::uint8_t>(four >> 8U);
      m_payload[i + 3] = static_cast<std::uint8_t>(four);
    }
    for (; i < bytes; ++i)
      m_payload[i] = static_cast<std::uint8_t>(m_bits.bits(m_header + 8 * i, 8));
    if (m_crcRead) {
      for (unsigned byte = 0; byte < kCrcBytes; ++byte)
        m_payload[bytes++] = static_cast<std::uint8_t>(m_crc >> (8 * byte));
    }
    return std::span(m_payload).first(bytes);
  }

  void endOfCapture()
  {
    const std::int64_t end = m_until.count();
    switch (m_state) {
      case State::Integrate:
      case State::Idle:
      case State::Sof:
      case State::Intermission:
        break;
      case State::WaitFlag:
        emitFrame(std::min(m_cutEnd, end));
        break;
      case State::Flag:
      case State::FlagDelimiter:
        emitFlag(end, errorBit(FrameError::Incomplete));
        break;
      default:
        m_ack = m_ack || m_state == State::AckOrFlag;
        m_ackRead = m_ackRead || m_state == State::AckOrFlag;
        m_errors |= errorBit(FrameError::Incomplete);
        emitFrame(end);
    }
    m_state = State::Integrate;
    m_count = 0;
  }

  bool m_iso;
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
  bool m_sampled = false;   ///< since the last edge
  bool m_hardNext = false;  ///< the next falling edge sets the grid anew

  State m_state = State::Integrate;
  std::int64_t m_count = 0;  ///< of bits, in the states that count
  std::int64_t m_cutEnd = 0;
  FrameKind m_flagKind = FrameKind::Error;
  std::int64_t m_frameBegin = 0;

  // Of the frame.
  BitRow<11> m_bits;  ///< header, data, classic CRC; without stuff bits
  BitRow<13> m_raw;   ///< the same with stuff bits, for the CRCs of FD
  bool m_keepRaw = false;
  unsigned m_rawBits = 0;
  unsigned m_target = 0;  ///< length of m_bits at which something is decided
  unsigned m_run = 0;     ///< equal bits in a row
  bool m_runLevel = true;
  std::int64_t m_runBegin = 0;  ///< of a dominant run
  unsigned m_stuffBits = 0;
  Stop m_stop = Stop::Format;
  bool m_extended = false;
  bool m_remote = false;
  bool m_fd = false;
  bool m_brs = false;
  bool m_esi = false;
  bool m_switched = false;
  bool m_ack = false;
  bool m_ackRead = false;
  bool m_crcRead = false;
  unsigned m_dlc = 0;
  unsigned m_length = 0;
  unsigned m_header = 0;
  std::uint64_t m_check = 0;
  bool m_lastLevel = true;
  std::uint32_t m_crc = 0;
  std::uint16_t m_errors = 0;
  std::array<std::uint8_t, 64 + kCrcBytes> m_payload{};

  std::int64_t m_spanEnd = 0;
  unsigned m_spanBits = 0;
  std::uint64_t m_frames = 0;
  RateMeter m_rate;
};

}  // namespace bexto::can
