// The bus is a machine over the merged transitions of both wires. All that happens at one time happens at once: the
// machine sees the levels before and after.
//
//   SCL high before and after, SDA falls: START         SCL rises: the level of SDA after that is a bit to be
//   SCL high before and after, SDA rises: STOP          SCL falls: that bit counts
//
// A bit counts only when SCL falls again, because the rise before a STOP or a repeated START looks like one more bit.
// "Inside a byte" therefore means: 1 to 8 bits have counted since the last whole byte.
//
// Of the acknowledge bits only the unusual are stored. Nearly all transfers acknowledge every byte, or every byte but
// the last of a read; two bits of the flags say which. Any other pattern follows the data as a bit map.
//
// Tested by tests/core/i2c_test.cpp.
#include "core/decode/i2c.h"

#include <algorithm>
#include <cassert>
#include <optional>

#include "core/decode/edge_walk.h"
#include "core/decode/machine_decoder.h"
#include "core/decode/rate_meter.h"

namespace bexto {

namespace {

constexpr std::uint8_t kHasAddress = 1U << 0U;
constexpr std::uint8_t kTenBit = 1U << 1U;
constexpr std::uint8_t kRead = 1U << 2U;
constexpr std::uint8_t kAddressAck = 1U << 3U;
constexpr unsigned kEndShift = 4;
constexpr unsigned kAckShift = 6;

constexpr std::uint8_t kAllAcked = 0;
constexpr std::uint8_t kAllButLast = 1;
constexpr std::uint8_t kMapped = 2;

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
        while (m_open && m_bits == 0 && !m_hasSample && !clock.level() && quickByte(clock, data))
          i += 2 * kBitsAByte;
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
  static constexpr std::size_t kBitsAByte = 9;

  /// A whole byte with its acknowledge, led by the clock: at each rise SDA is asked, and it must rest until the fall.
  /// False, and nothing is read, when it does not, or when the byte is not whole in hand.
  bool quickByte(EdgeWalk& clock, EdgeWalk& data)
  {
    if (clock.inHand() < 2 * kBitsAByte || data.inHand() == 0)
      return false;
    const std::int64_t* const edges = clock.at();
    const std::int64_t* const dataEnd = data.at() + data.inHand();
    const std::int64_t* sda = data.at();
    bool level = data.level();
    bool rests = true;
    std::uint32_t bits = 0;
    for (std::size_t i = 0; i < kBitsAByte; ++i) {
      const std::int64_t rise = edges[2 * i];
      // Mostly SDA has moved once or not at all since: a step nobody can predict is no branch.
      const bool steps = *sda <= rise;
      sda += steps ? 1 : 0;
      level = level != steps;
      while (*sda <= rise)
        [[unlikely]]
        {
          ++sda;
          level = !level;
        }
      rests = rests && *sda >= edges[2 * i + 1];
      bits = bits << 1U | (level ? 1U : 0U);
    }
    const std::int64_t fall = edges[2 * kBitsAByte - 1];
    if (!rests || sda + 1 >= dataEnd)
      return false;
    if (*sda == fall)
      ++sda;
    clock.jump(edges + 2 * kBitsAByte);
    data.jump(sda);
    m_firstSample = edges[0];
    m_sample = edges[2 * kBitsAByte - 2];
    m_lastFall = fall;
    m_shift = bits;
    wholeByte();
    return true;
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
    // One byte in sixteen is enough once there are some.
    constexpr std::uint64_t kAll = 256;
    if (++m_bytes <= kAll || m_bytes % 16 == 0)
      m_rate.add(Picoseconds{(m_sample - m_firstSample) / 8});
    const std::uint32_t byte = m_shift >> 1U & 0xffU;
    const bool ack = (m_shift & 1U) == 0;
    m_bits = 0;
    m_shift = 0;
    if (!m_hasAddress) {
      addressByte(byte, ack);
      return;
    }
    if (m_expectLow) {
      m_expectLow = false;
      m_recorder.lowAddressByte();
      m_address = (m_address & 3U) << 8U | byte;
      m_isTenBit = true;
      m_addressAck = ack;
      m_tenBit = ack ? std::optional(m_address) : std::nullopt;
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
    m_expectLow = beginsTenBit(byte) && !m_read && ack;
    m_recorder.byte();
  }

  template <typename Emit>
  bool start(std::int64_t now, const Emit& emit)
  {
    bool goOn = true;
    if (m_open) {
      std::uint16_t errors = 0;
      if (!m_hasAddress)
        errors |= errorBit(FrameError::Incomplete);
      if (m_bits > 0)
        errors |= errorBit(FrameError::UnexpectedStart);
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
      errors = errorBit(FrameError::Incomplete) | errorBit(FrameError::UnexpectedStart);
    else if (!m_hasAddress)
      errors = errorBit(FrameError::Incomplete);
    m_tenBit.reset();
    return finish(now, I2cEnd::Stop, errors, emit);
  }

  template <typename Emit>
  bool finishAtEnd(const Emit& emit)
  {
    if (m_open)
      finish(m_until.count(), I2cEnd::None, errorBit(FrameError::Incomplete), emit);
    return false;
  }

  template <typename Emit>
  bool finish(std::int64_t now, I2cEnd end, std::uint16_t errors, const Emit& emit)
  {
    Frame frame;
    frame.time = {Picoseconds{m_start}, Picoseconds{now}};
    frame.kind = FrameKind::Transfer;
    frame.errors = errors;
    unsigned flags = static_cast<unsigned>(end) << kEndShift;
    if (m_hasAddress) {
      frame.key = m_address;
      flags |= kHasAddress | (m_isTenBit ? kTenBit : 0U) | (m_read ? kRead : 0U) | (m_addressAck ? kAddressAck : 0U);
      if (!m_addressAck)
        frame.errors |= errorBit(FrameError::Nack);
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

  std::uint64_t m_bytes = 0;
  RateMeter m_rate;
};

class I2cRecorder {
 public:
  static constexpr bool kRecords = true;
  void start(std::int64_t time)
  {
    if (!m_out.fields.empty())
      return;
    m_out.fields.push_back({Role::Start, {Picoseconds{time}, Picoseconds{time}}, 0, 0, 0, true, false});
  }

  void bit(std::int64_t begin, std::int64_t sample, std::int64_t end, bool level)
  {
    if (m_out.bits.empty() && !m_out.fields.empty())
      m_out.fields.front().time.end = Picoseconds{begin};
    m_out.bits.push_back({{Picoseconds{begin}, Picoseconds{end}},
                          Picoseconds{sample},
                          Picoseconds{end - begin},
                          level,
                          Role::Data,
                          false,
                          0,
                          Picoseconds{0},
                          Picoseconds{begin}});
  }

  void rise(std::int64_t time) { m_lastRise = time; }
  void byte() { addByte(m_byteNumber == 0 ? Role::Address : Role::Data, m_byteNumber == 0); }
  void lowAddressByte() { addByte(Role::Address, false); }

  Anatomy anatomy(const Frame& frame)
  {
    if (m_taken < m_out.bits.size()) {
      const Role role = m_byteNumber == 0 ? Role::Address : Role::Data;
      addField(role, m_taken, m_out.bits.size() - m_taken);
      m_out.fields.back().complete = false;
      m_out.fields.back().wrong = true;
    }
    // A STOP or repeated START takes place while SCL is high: from its last rise on.
    const Picoseconds high = std::max(Picoseconds{m_lastRise}, frame.time.begin);
    if (!m_out.bits.empty() && m_out.bits.front().actual > Picoseconds{0})
      m_out.nominalBit = typicalLength(m_out.bits);
    const bool unexpected = hasError(frame.errors, FrameError::UnexpectedStart);
    if (i2cTransfer(frame).end == I2cEnd::Stop || unexpected) {
      Field end{i2cTransfer(frame).end == I2cEnd::Stop ? Role::Stop : Role::Start,
                {high, frame.time.end},
                0,
                m_out.bits.size(),
                0,
                true,
                unexpected};
      m_out.fields.push_back(end);
    }
    if (hasError(frame.errors, FrameError::Nack)) {
      const auto ack = std::find_if(m_out.fields.begin(), m_out.fields.end(),
                                    [&](const Field& f) { return f.role == Role::Acknowledge && f.value == 1; });
      if (ack != m_out.fields.end()) {
        ack->wrong = true;
        m_out.bits[ack->firstBit].wrong = true;
      }
    }
    return m_out;
  }

 private:
  void addByte(Role role, bool withDirection)
  {
    const std::size_t first = m_taken;
    addField(role, first, withDirection ? 7 : 8);
    if (withDirection)
      addField(Role::Direction, first + 7, 1);
    addField(Role::Acknowledge, first + 8, 1);
    ++m_byteNumber;
  }

  void addField(Role role, std::size_t first, std::size_t count)
  {
    Field field{role, {m_out.bits[first].cell.begin, m_out.bits[first + count - 1].cell.end}, 0, first, count, true,
                false};
    field.width = static_cast<std::uint8_t>(count);
    for (std::size_t i = first; i < first + count; ++i) {
      field.value = field.value << 1U | (m_out.bits[i].level ? 1U : 0U);
      m_out.bits[i].role = role;
    }
    m_taken = first + count;
    m_out.fields.push_back(field);
  }

  Anatomy m_out;
  std::size_t m_taken = 0;  ///< bits that belong to a field
  std::size_t m_byteNumber = 0;
  std::int64_t m_lastRise = 0;
};

}  // namespace

bool I2cTransfer::ackOf(std::size_t i) const
{
  if (ackForm == kMapped)
    return (ackMap[i / 8] >> (i % 8) & 1U) == 0;
  return ackForm == kAllAcked || i + 1 != data.size();
}

I2cTransfer i2cTransfer(const Frame& frame)
{
  I2cTransfer t;
  t.hasAddress = (frame.flags & kHasAddress) != 0;
  t.address = frame.key;
  t.tenBit = (frame.flags & kTenBit) != 0;
  t.read = (frame.flags & kRead) != 0;
  t.addressAck = (frame.flags & kAddressAck) != 0;
  t.end = static_cast<I2cEnd>(frame.flags >> kEndShift & 3U);
  t.ackForm = static_cast<std::uint8_t>(frame.flags >> kAckShift);
  t.data = frame.payload;
  if (t.ackForm == kMapped) {
    // n bytes and a map of (n + 7) / 8: the one n for that sum.
    const std::size_t n = frame.payload.size() * 8 / 9;
    t.data = frame.payload.first(n);
    t.ackMap = frame.payload.subspan(n);
  }
  return t;
}

std::unique_ptr<Decoder> makeI2cDecoder(const I2cSettings& settings, const StreamInput& input)
{
  return std::make_unique<MachineDecoder<I2cMachine<NoRecorder>, NoRecorder>>(settings, input);
}

Anatomy i2cAnatomy(const I2cSettings& settings, const StreamInput& input, const Frame& frame)
{
  I2cRecorder recorder;
  I2cMachine<I2cRecorder> machine(settings, input, frame.time.begin, recorder);
  const I2cTransfer transfer = i2cTransfer(frame);
  if (transfer.tenBit && transfer.read)
    machine.rememberTenBit(transfer.address);
  Anatomy anatomy;
  bool found = false;
  while (!found && machine.run(4096, [&](const Frame& again) {
    assert(again.time == frame.time && again.errors == frame.errors && again.key == frame.key);
    found = true;
    anatomy = recorder.anatomy(again);
    return false;
  })) {
  }
  return anatomy;
}

}  // namespace bexto
