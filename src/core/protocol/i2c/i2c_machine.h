#pragma once

// The bus is a machine over the merged transitions of both wires. All that happens at one time happens at once: the
// machine sees the levels before and after.
//
//   SCL high before and after, SDA falls: START         SCL rises: the level of SDA after that is a bit to be
//   SCL high before and after, SDA rises: STOP          SCL falls: that bit counts
//
// A bit counts only when SCL falls again, because the rise before a STOP or a repeated START looks like one more bit.
// "Inside a byte" therefore means: 1 to 8 bits have counted since the last whole byte.
//
// Tested by tests/core/i2c_test.cpp and tests/core/properties_test.cpp.
#include <algorithm>
#include <cassert>
#include <optional>
#include <vector>

#include "core/decode/clocked_bytes.h"
#include "core/decode/decoder.h"
#include "core/decode/edge_walk.h"
#include "core/decode/rate_meter.h"
#include "core/protocol/i2c/i2c_frame.h"
#include "core/protocol/i2c/i2c_settings.h"

namespace bexto::i2c {

/// UM10204 table 4: 1111 0XX begins a 10-bit address.
constexpr bool beginsTenBit(std::uint32_t byte)
{
  return (byte & 0xf8U) == 0xf0U;
}

struct NoRecorder {
  static constexpr bool kRecords = false;
  void start(std::int64_t /*time*/) {}
  void bit(std::int64_t /*begin*/, std::int64_t /*sample*/, std::int64_t /*end*/, bool /*level*/) {}
  void rise(std::int64_t /*time*/) {}
  void byte() {}
  void lowAddressByte() {}
};

template <typename Recorder>
class I2cMachine {
 public:
  I2cMachine(const I2cSettings& settings, const StreamInput& input, Picoseconds from, Recorder& recorder)
      : m_until(input.until),
        m_final(input.final),
        m_scl(input.tracks.at(0), from, input.until, input.final, settings.spike),
        m_sda(input.tracks.at(1), from, input.until, input.final, settings.spike),
        m_recorder(recorder)
  {
  }

  void extend(const StreamInput& input)
  {
    m_until = input.until;
    m_final = input.final;
    m_scl.extend(input.tracks.at(0), input.until, input.final);
    m_sda.extend(input.tracks.at(1), input.until, input.final);
  }

  /// A 10-bit address that an earlier transfer of the same START to STOP sent.
  void rememberTenBit(std::uint32_t address) { m_tenBit = address; }

  /// Reads up to `slice` moments, handing each transfer to `emit(const Frame&)` until that returns false. False when
  /// the input is used up.
  template <typename Emit>
  bool run(std::size_t slice, const Emit& emit)
  {
    EdgeWalk clock(m_scl);
    EdgeWalk data(m_sda);
    for (std::size_t i = 0; i < slice; ++i) {
      if constexpr (!Recorder::kRecords) {
        if (m_open && m_bits == 0 && !m_hasSample && !clock.level())
          i += quickBytes(clock, data) * kEdgesAByte;
      }
      const std::int64_t now = std::min(clock.next(), data.next());
      // The horizon moves when a stream reads on, so it is asked at the end of what is in hand only.
      if (now == kNever.count() || now > std::min(m_scl.horizon(), m_sda.horizon()).count())
        return m_final && finishAtEnd(emit);
      if (clock.next() == now) {
        // Either edge of the clock: data that moves with it is data, never a condition.
        if (data.next() == now)
          data.advance();
        clock.advance();
        if (!m_open)
          continue;
        if (clock.level()) {
          m_sample = now;
          m_sampled = data.level();
          m_hasSample = true;
          m_recorder.rise(now);
        } else {
          clockFell(now);
        }
        continue;
      }
      data.advance();
      if (!clock.level())
        continue;
      if (data.level() ? !stop(now, emit) : !start(now, emit))
        return true;
    }
    return true;
  }

  Picoseconds reached() const { return std::min(m_until, Picoseconds{std::min(m_scl.next(), m_sda.next())}); }
  const RateMeter& rate() const { return m_rate; }

 private:
  static constexpr std::size_t kEdgesAByte = 18;

  /// Whole bytes with their acknowledges, led by the clock: at each rise SDA is asked, and it must rest until the fall.
  /// As many as follow one another and are in hand. Returns how many; none where anything happens besides.
  std::size_t quickBytes(EdgeWalk& clock, EdgeWalk& data)
  {
    if (data.inHand() == 0)
      return 0;
    const std::int64_t* const edges = clock.at();
    ClockedLine line(data);
    const std::size_t count =
        readAcknowledgedBytes(edges, std::min(clock.inHand() / kEdgesAByte, kMostClockedBytes), line, m_bytes, m_acks);
    if (count == 0)
      return 0;
    m_lastFall = edges[count * kEdgesAByte - 1];
    m_measured.come(count, [&](std::size_t i) {
      const std::int64_t* const rises = edges + i * kEdgesAByte;
      m_rate.add(Picoseconds{(rises[kEdgesAByte - 2] - rises[0]) / 8});
    });
    std::size_t i = 0;
    for (; i < count && (!m_hasAddress || m_expectLow); ++i)
      byteCame(m_bytes[i], m_acks[i] == 0);
    for (std::size_t of = i; of < count; ++of) {
      if (m_acks[of] != 0)
        m_nacks.push_back(m_data.size() + of - i);
    }
    m_data.insert(m_data.end(), m_bytes.data() + i, m_bytes.data() + count);
    // Last, because others may come where these stood.
    clock.jump(edges + count * kEdgesAByte);
    data.jump(line.at);
    return count;
  }

  void clockFell(std::int64_t now)
  {
    if (m_hasSample) {
      m_recorder.bit(m_lastFall, m_sample, now, m_sampled);
      m_hasSample = false;
      if (m_bits == 0)
        m_firstSample = m_sample;
      m_shift = m_shift << 1U | (m_sampled ? 1U : 0U);
      if (++m_bits == 9)
        wholeByte();
    }
    m_lastFall = now;
  }

  void wholeByte()
  {
    m_measured.come(1, [&](std::size_t) { m_rate.add(Picoseconds{(m_sample - m_firstSample) / 8}); });
    const std::uint32_t bits = m_shift;
    m_bits = 0;
    m_shift = 0;
    byteCame(bits >> 1U & 0xffU, (bits & 1U) == 0);
  }

  void byteCame(std::uint32_t byte, bool ack)
  {
    if (!m_hasAddress) {
      addressByte(byte, ack);
      return;
    }
    if (m_expectLow) {
      m_expectLow = false;
      m_recorder.lowAddressByte();
      m_address = (m_address & 3U) << 8U | byte;
      m_isTenBit = true;
      m_addressAck = m_addressAck && ack;
      m_tenBit = m_addressAck ? std::optional(m_address) : std::nullopt;
      return;
    }
    m_recorder.byte();
    if (!ack)
      m_nacks.push_back(m_data.size());
    m_data.push_back(static_cast<std::uint8_t>(byte));
  }

  void addressByte(std::uint32_t byte, bool ack)
  {
    m_hasAddress = true;
    m_address = byte >> 1U;
    m_read = (byte & 1U) != 0;
    m_addressAck = ack;
    m_isTenBit = beginsTenBit(byte) && m_read && m_tenBit && *m_tenBit >> 8U == (m_address & 3U);
    if (m_isTenBit)
      m_address = *m_tenBit;
    else
      m_tenBit.reset();
    // Whether or not it was acknowledged: a controller that bit-bangs often goes on.
    m_expectLow = beginsTenBit(byte) && !m_read;
    m_recorder.byte();
  }

  template <typename Emit>
  bool start(std::int64_t now, const Emit& emit)
  {
    bool goOn = true;
    if (m_open) {
      std::uint16_t errors = 0;
      if (!m_hasAddress)
        errors |= errorBit(I2cError::Incomplete);
      if (m_bits > 0)
        errors |= errorBit(I2cError::UnexpectedStart);
      goOn = finish(now, I2cEnd::Restart, errors, emit);
    }
    m_open = true;
    m_start = now;
    m_lastFall = now;
    m_recorder.start(now);
    return goOn;
  }

  template <typename Emit>
  bool stop(std::int64_t now, const Emit& emit)
  {
    if (!m_open)
      return true;
    std::uint16_t errors = 0;
    if (m_bits > 0)
      errors = errorBit(I2cError::Incomplete) | errorBit(I2cError::UnexpectedStart);
    else if (!m_hasAddress)
      errors = errorBit(I2cError::Incomplete);
    m_tenBit.reset();
    return finish(now, I2cEnd::Stop, errors, emit);
  }

  template <typename Emit>
  bool finishAtEnd(const Emit& emit)
  {
    if (m_open)
      finish(m_until.count(), I2cEnd::None, errorBit(I2cError::Incomplete), emit);
    return false;
  }

  template <typename Emit>
  bool finish(std::int64_t now, I2cEnd end, std::uint16_t errors, const Emit& emit)
  {
    Frame frame;
    frame.time = {Picoseconds{m_start}, Picoseconds{now}};
    frame.kind = kI2cTransfer;
    frame.errors = errors;
    unsigned flags = static_cast<unsigned>(end) << kEndShift;
    if (m_hasAddress) {
      frame.key = m_address;
      flags |= kHasAddress | (m_isTenBit ? kTenBit : 0U) | (m_read ? kRead : 0U) | (m_addressAck ? kAddressAck : 0U);
      if (!m_addressAck)
        frame.errors |= errorBit(I2cError::Nack);
      flags |= static_cast<unsigned>(storeAcks()) << kAckShift;
    }
    frame.flags = static_cast<std::uint8_t>(flags);
    frame.payload = m_data;
    const bool goOn = emit(frame);
    m_open = m_hasAddress = m_expectLow = m_hasSample = m_isTenBit = false;
    m_bits = 0;
    m_shift = 0;
    m_data.clear();
    m_nacks.clear();
    return goOn;
  }

  /// Which form the acknowledge bits have; appends the bit map to the data when there is one.
  std::uint8_t storeAcks()
  {
    if (m_nacks.empty())
      return kAllAcked;
    if (m_nacks.size() == 1 && m_nacks.front() + 1 == m_data.size())
      return kAllButLast;
    const std::size_t bytes = m_data.size();
    m_data.resize(bytes + (bytes + 7) / 8);
    for (const std::size_t nack : m_nacks)
      m_data[bytes + nack / 8] = static_cast<std::uint8_t>(m_data[bytes + nack / 8] | 1U << (nack % 8));
    return kMapped;
  }

  Picoseconds m_until;
  bool m_final;
  EdgeStream m_scl;
  EdgeStream m_sda;
  Recorder& m_recorder;

  // Of the bus: an address that 10-bit reads may refer to, valid until STOP.
  std::optional<std::uint32_t> m_tenBit;
  // Of the transfer.
  bool m_open = false;
  bool m_hasAddress = false;
  bool m_isTenBit = false;
  bool m_read = false;
  bool m_addressAck = false;
  bool m_expectLow = false;  ///< the next byte is the low one of a 10-bit address
  std::uint32_t m_address = 0;
  std::int64_t m_start = 0;
  std::vector<std::uint8_t> m_data;
  std::vector<std::size_t> m_nacks;
  // Of the byte.
  unsigned m_bits = 0;
  std::uint32_t m_shift = 0;
  std::int64_t m_firstSample = 0;
  // Of the bit.
  std::int64_t m_lastFall = 0;
  std::int64_t m_sample = 0;
  bool m_hasSample = false;
  bool m_sampled = false;

  ClockedBytes m_bytes;
  ClockedBytes m_acks;
  MeasuredOnes m_measured;
  RateMeter m_rate;
};

}  // namespace bexto::i2c
