// Tested by tests/core/can_test.cpp.
#include <cassert>

#include "core/protocol/can/can_decoder.h"
#include "core/protocol/can/can_machine.h"

namespace bexto {

namespace {

using can::Part;

/// Keeps the bits of the frame with the wanted number of frames before it; others pass.
class BitObserver {
 public:
  explicit BitObserver(std::size_t skip) : m_skip(skip) {}

  static constexpr bool records() { return true; }
  bool stopped() const { return m_found; }
  void edge(std::int64_t time) { m_edges.push_back(time); }

  void bits(Part part, bool level, std::int64_t count, std::int64_t sample, const can::Timing& timing)
  {
    // A line that is stuck low is one long flag: its first bits tell enough.
    constexpr std::int64_t kMost = 64;
    if (m_found)
      return;
    for (std::int64_t i = 0; i < std::min(count, kMost); ++i) {
      const std::int64_t at = sample + i * timing.bit;
      m_bits.push_back({part,
                        {{Picoseconds{at - timing.before}, Picoseconds{at + timing.after}},
                         Picoseconds{at},
                         Picoseconds{0},
                         level,
                         Role::Data,
                         part == Part::Other,
                         0,
                         Picoseconds{timing.bit}}});
    }
  }

  void frame(const Frame& f)
  {
    if (m_found)
      return;
    if (m_skip == 0) {
      m_found = true;
      m_frame = f;
      std::erase_if(m_bits, [&](const Taken& b) { return b.bit.sample > f.time.end && f.time.length().count() > 0; });
      if (f.time.length().count() == 0)
        m_bits.clear();
      return;
    }
    --m_skip;
    // Bits behind this frame's end began the flag that cut it.
    std::erase_if(m_bits, [&](const Taken& b) { return b.bit.sample < f.time.end; });
    for (Taken& b : m_bits) {
      b.part = Part::Flag;
      b.bit.wrong = false;
    }
  }

  const Frame& found() const { return m_frame; }

  /// `header` is nullptr for error and overload frames.
  Anatomy anatomy(const CanFrame* header)
  {
    // The rate switches at sample points, so the bits of BRS and of the CRC delimiter have a length of their own.
    for (std::size_t i = 0; i + 1 < m_bits.size(); ++i) {
      Bit& bit = m_bits[i].bit;
      if (bit.nominal == m_bits[i + 1].bit.nominal)
        continue;
      bit.cell.end = m_bits[i + 1].bit.cell.begin;
      bit.nominal = bit.cell.length();
    }
    measureBits();
    std::size_t number = 0;
    for (const Taken& taken : m_bits) {
      const Place place = placeOf(taken.part, number, header);
      Bit bit = taken.bit;
      bit.role = place.role;
      const std::size_t byte = taken.part == Part::Stuffed && header != nullptr ? byteOf(number, *header) : 0;
      if (place.role != Role::Stuff)
        addToField(place, byte, bit);
      m_out.bits.push_back(bit);
      if (taken.part == Part::Stuffed)
        ++number;
      if (m_out.nominalBit == Picoseconds{0})
        m_out.nominalBit = bit.nominal;
    }
    markFaults();
    return std::move(m_out);
  }

 private:
  struct Place {
    Role role;
    const char* name;
  };
  struct Taken {
    Part part = Part::Other;
    Bit bit;
  };

  static std::size_t headerBits(const CanFrame& h) { return h.extended ? (h.fd ? 41 : 39) : (h.fd ? 22 : 19); }

  /// Which data byte bit `number` of the stuffed part belongs to, counted from 1; 0: none.
  std::size_t byteOf(std::size_t number, const CanFrame& h) const
  {
    const std::size_t first = headerBits(h);
    const std::size_t bytes = h.hasDlc && m_frame.kind == kCanData ? canDataLength(h.dlc, h.fd) : 0;
    return number >= first && number < first + 8 * bytes ? 1 + (number - first) / 8 : 0;
  }

  /// Goes on with the last field when the bit is of the same part; a stuff bit in between belongs to it then.
  void addToField(const Place& place, std::size_t byte, const Bit& bit)
  {
    const bool goesOn =
        !m_out.fields.empty() && std::string_view(m_out.fields.back().name) == place.name && m_lastByte == byte;
    if (!goesOn)
      m_out.fields.push_back({place.role, bit.cell, 0, m_out.bits.size(), 0, true, false, 0, place.name, 0, 0,
                              place.role == Role::Stop ? "EOF" : ""});
    Field& field = m_out.fields.back();
    field.time.end = bit.cell.end;
    field.bitCount = m_out.bits.size() + 1 - field.firstBit;
    field.value = field.value << 1U | (bit.level ? 1U : 0U);
    ++field.width;
    field.wrong = field.wrong || bit.wrong;
    m_lastByte = byte;
  }

  void markFaults()
  {
    const auto mark = [this](CanError error, std::string_view name) {
      if (!hasError(m_frame.errors, error))
        return;
      for (Field& field : m_out.fields)
        field.wrong = field.wrong || field.name == name;
    };
    mark(CanError::Crc, "CRC");
    mark(CanError::StuffCount, "stuff count");
    mark(CanError::Ack, "ACK");
    for (Field& field : m_out.fields)
      field.wrong = field.wrong || (field.role == Role::Flag && m_frame.kind == kCanError);
    for (const Field& field : m_out.fields) {
      if (field.wrong && field.role == Role::Acknowledge)
        m_out.bits[field.firstBit].wrong = true;
    }
    // A byte may be whole when the capture ends; of all other fields nobody knows.
    if (!m_out.fields.empty() && hasError(m_frame.errors, CanError::Incomplete))
      m_out.fields.back().complete = m_out.fields.back().role == Role::Data && m_out.fields.back().width == 8;
    const char* const why = hasError(m_frame.errors, CanError::Stuff)  ? "stuff error"
                            : hasError(m_frame.errors, CanError::Form) ? "form error"
                                                                       : nullptr;
    if (why != nullptr)
      m_out.fields.push_back(
          {Role::Flag, {m_frame.time.end, m_frame.time.end}, 0, m_out.bits.size(), 0, true, true, 0, why, 0});
  }

  /// Equal bits between two edges share what lies between in proportion. Where the line rests longer than the frame
  /// lasts, nothing tells.
  void measureBits()
  {
    for (std::size_t i = 0; i < m_bits.size();) {
      const auto after = std::upper_bound(m_edges.begin(), m_edges.end(), m_bits[i].bit.sample.count());
      const std::int64_t end = after == m_edges.end() ? kNever.count() : *after;
      Picoseconds nominal{0};
      std::size_t last = i;
      for (; last < m_bits.size() && m_bits[last].bit.sample.count() < end; ++last)
        nominal += m_bits[last].bit.nominal;
      if (after != m_edges.end() && after != m_edges.begin()) {
        const double share = static_cast<double>(end - *(after - 1)) / static_cast<double>(nominal.count());
        double begin = static_cast<double>(*(after - 1));
        for (std::size_t k = i; k < last && share <= 2.0; ++k) {
          m_bits[k].bit.actualBegin = Picoseconds{std::llround(begin)};
          begin += share * static_cast<double>(m_bits[k].bit.nominal.count());
          m_bits[k].bit.actual = Picoseconds{std::llround(share * static_cast<double>(m_bits[k].bit.nominal.count()))};
        }
      }
      i = last;
    }
  }

  Place placeOf(std::size_t n, const CanFrame& h) const
  {
    if (n == 0)
      return {Role::Start, "SOF"};
    if (n < 12)
      return {Role::Address, "identifier"};
    if (n == 12)
      return {Role::Control, h.extended ? "SRR" : h.fd ? "RRS" : "RTR"};
    if (n == 13)
      return {Role::Control, "IDE"};
    std::size_t at = n - 14;
    if (h.extended) {
      if (at < 18)
        return {Role::Address, "identifier extension"};
      if (at == 18)
        return {Role::Control, h.fd ? "RRS" : "RTR"};
      at -= 19;
    }
    static constexpr std::array<const char*, 4> kFd{"FDF", "res", "BRS", "ESI"};
    static constexpr std::array<const char*, 2> kClassic{"r1", "r0"};
    if (h.fd && at < 4)
      return {Role::Control, kFd.at(at)};
    if (!h.fd && at == 0 && !h.extended)
      return {Role::Control, "FDF"};
    if (!h.fd && h.extended && at < 2)
      return {Role::Control, kClassic.at(at)};
    if (n < headerBits(h))
      return {Role::Length, "DLC"};
    return byteOf(n, h) > 0 ? Place{Role::Data, ""} : Place{Role::Check, "CRC"};
  }

  Place placeOf(Part part, std::size_t number, const CanFrame* header) const
  {
    switch (part) {
      case Part::Stuffed:
        return header == nullptr ? Place{Role::Data, ""} : placeOf(number, *header);
      case Part::Stuff:
        return {Role::Stuff, "stuff"};
      case Part::StuffCount:
        return {Role::Check, "stuff count"};
      case Part::Crc:
        return {Role::Check, "CRC"};
      case Part::CrcDelimiter:
        return {Role::Delimiter, "CRC delimiter"};
      case Part::Ack:
        return {Role::Acknowledge, "ACK"};
      case Part::AckDelimiter:
        return {Role::Delimiter, "ACK delimiter"};
      case Part::EndOfFrame:
        return {Role::Stop, "end of frame"};
      case Part::Flag:
        return {Role::Flag, "flag"};
      case Part::FlagDelimiter:
        return {Role::Delimiter, "delimiter"};
      case Part::Other:
        break;
    }
    return {Role::Flag, "wrong bit"};
  }
  Anatomy m_out;
  std::size_t m_skip;
  bool m_found = false;
  Frame m_frame;
  std::vector<Taken> m_bits;
  std::vector<std::int64_t> m_edges;
  std::size_t m_lastByte = 0;
};

}  // namespace

Anatomy canAnatomy(const CanSettings& settings, const StreamInput& input, const FrameIndex& frames,
                   std::uint64_t number)
{
  using Machine = can::Machine<BitObserver>;
  const Frame frame = frames.frame(number);
  Frame first = frame;
  Machine::Begin begin = Machine::Begin::AtStartOfFrame;
  if (frame.kind == kCanOverload)
    begin = Machine::Begin::AtOverloadFlag;
  if (frame.kind == kCanError) {
    begin = Machine::Begin::AtErrorFlag;
    // The flag that cut a frame is read on the grid of that frame.
    if (number > 0) {
      const Frame before = frames.frame(number - 1);
      if (canHasHeader(before) && before.time.end == frame.time.begin) {
        first = before;
        begin = Machine::Begin::AtStartOfFrame;
      }
    }
  }
  BitObserver observer(first.time.begin == frame.time.begin && first.kind == frame.kind ? 0 : 1);
  Machine machine(settings, input, first.time.begin, begin, observer);
  while (!observer.stopped() && machine.run(4096)) {
  }
  assert(observer.stopped() && observer.found().time == frame.time && observer.found().errors == frame.errors);
  const bool hasHeader = canHasHeader(frame);
  const CanFrame header = hasHeader ? canFrame(frame) : CanFrame{};
  Anatomy anatomy = observer.anatomy(hasHeader ? &header : nullptr);
  numberFields(anatomy);
  return anatomy;
}

}  // namespace bexto
