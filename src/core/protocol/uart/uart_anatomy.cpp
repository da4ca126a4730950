// A character opened up: the machine of uart_machine.h once more over its edges. Tested by tests/core/uart_test.cpp.
#include "core/protocol/uart/uart_decoder.h"
#include "core/protocol/uart/uart_machine.h"

namespace bexto {

namespace {

using namespace uart;

/// Keeps the edges of the one character, to say how long its bits really were.
class UartRecorder {
 public:
  explicit UartRecorder(const UartSettings& settings) : m_settings(settings), m_timing(settings) {}

  void edge(std::int64_t time) { m_edgeTimes.push_back(time); }
  void character(std::int64_t start, std::uint32_t raw)
  {
    m_start = start;
    m_raw = raw;
    m_seen = true;
  }

  /// Requires: character() was called, or the frame is a break.
  Anatomy anatomy(const Frame& frame) const
  {
    Anatomy out;
    out.nominalBit = m_timing.bitBegin(1);
    if (frame.kind == kUartBreak || !m_seen) {
      out.fields.push_back({Role::Start, frame.time, 0, 0, 0, true, false, 0, "START", 0});
      return out;
    }
    const bool cut = hasError(frame.errors, UartError::Incomplete);
    addBits(out, frame, cut);
    const int dataBits = m_settings.bits;
    addField(out, Role::Start, 0, 1);
    addField(out, Role::Data, 1, dataBits);
    if (m_settings.parity != UartParity::None)
      addField(out, Role::Parity, 1 + dataBits, 1);
    addField(out, Role::Stop, m_timing.bitsToStop(), m_timing.stopBitCount());
    for (Field& field : out.fields) {
      if (field.role == Role::Data && !cut)
        field.value = frame.key;
      field.wrong = (field.role == Role::Parity && hasError(frame.errors, UartError::Parity)) ||
                    (field.role == Role::Stop && hasError(frame.errors, UartError::Framing)) || !field.complete;
      if (field.wrong && field.complete)
        out.bits[field.firstBit].wrong = true;
      if (field.role == Role::Stop && field.complete)
        field.time.end = frame.time.end;
    }
    return out;
  }

 private:
  Role roleOf(int bit) const
  {
    if (bit == 0)
      return Role::Start;
    if (bit <= m_settings.bits)
      return Role::Data;
    return bit < m_timing.bitsToStop() ? Role::Parity : Role::Stop;
  }

  void addBits(Anatomy& out, const Frame& frame, bool cut) const
  {
    const Picoseconds start{m_start};
    const int count = m_timing.bitsToStop() + m_timing.stopBitCount();
    for (int i = 0; i < count; ++i) {
      Bit bit;
      bit.cell = {start + m_timing.bitBegin(i), start + m_timing.bitBegin(i + 1)};
      bit.sample = start + m_timing.bitMiddle(i);
      if (cut && bit.sample > frame.time.end)
        break;
      bit.role = roleOf(i);
      // Behind the first stop bit nothing is sampled: the next start edge may come.
      bit.level = i > m_timing.bitsToStop() || (m_raw >> static_cast<unsigned>(i) & 1U) != 0;
      measure(i, bit);
      out.bits.push_back(bit);
    }
  }

  /// A run of equal bits between two edges shares its length equally.
  void measure(int number, Bit& bit) const
  {
    const std::int64_t middle = m_start + m_timing.bitMiddle(number).count();
    const auto after = std::upper_bound(m_edgeTimes.begin(), m_edgeTimes.end(), middle);
    if (after == m_edgeTimes.end())
      return;
    const std::int64_t begin = after == m_edgeTimes.begin() ? m_start : *(after - 1);
    const double length = static_cast<double>(*after - begin);
    const auto bits = std::llround(length * m_timing.bitsPerPicosecond());
    if (bits == 0)
      return;
    const double before = static_cast<double>(bit.cell.begin.count() - begin) * m_timing.bitsPerPicosecond();
    const auto place = std::clamp<std::int64_t>(std::llround(before), 0, bits - 1);
    bit.actual = Picoseconds{(*after - begin) / bits};
    bit.actualBegin = Picoseconds{begin + (*after - begin) * place / bits};
  }

  static void addField(Anatomy& out, Role role, int first, int count)
  {
    const auto begin = static_cast<std::size_t>(first);
    if (begin >= out.bits.size())
      return;
    const std::size_t end = std::min(begin + static_cast<std::size_t>(count), out.bits.size());
    Field field{role, {out.bits[begin].cell.begin, out.bits[end - 1].cell.end}, 0, begin, end - begin, true, false};
    field.complete = end - begin == static_cast<std::size_t>(count);
    field.width = static_cast<std::uint8_t>(end - begin);
    for (std::size_t i = begin; i < end; ++i)
      field.value = field.value << 1U | (out.bits[i].level ? 1U : 0U);
    out.fields.push_back(field);
  }

  UartSettings m_settings;
  UartTiming m_timing;
  std::vector<std::int64_t> m_edgeTimes;
  std::int64_t m_start = 0;
  std::uint32_t m_raw = 0;
  bool m_seen = false;
};

}  // namespace

Anatomy uartAnatomy(const UartSettings& settings, const StreamInput& input, const Frame& frame)
{
  UartRecorder recorder(settings);
  UartMachine<UartRecorder> machine(settings, input, frame.time.begin);
  Frame again;
  machine.next(again, recorder);
  assert(again.time == frame.time && again.errors == frame.errors);
  Anatomy anatomy = recorder.anatomy(frame);
  numberFields(anatomy);
  return anatomy;
}

}  // namespace bexto
