// A frame opened up: the machine of lin_machine.h once more over its edges. Tested by tests/core/lin_test.cpp.
#include "core/protocol/lin/lin_decoder.h"

#include "core/decode/machine_decoder.h"
#include "core/protocol/lin/lin_machine.h"

namespace bexto {

namespace lin {

/// Ten bits a byte: start, data lowest first, stop. Fields are the break, the sync byte, the identifier with its
/// parity, the data bytes and the checksum; start and stop bits stand between them.
class ByteRecorder {
 public:
  static constexpr int kBitsAByte = 10;

  void breakPulse(std::int64_t fall, std::int64_t rise)
  {
    m_out = {};
    m_bytes = 0;
    m_out.fields.push_back({Role::Start, {Picoseconds{fall}, Picoseconds{rise}}, 0, 0, 0, true, false, 0, "break", 0});
  }

  void byte(const Byte& byte, EdgeAhead& edges)
  {
    const std::size_t first = m_out.bits.size();
    for (int i = 0; i < kBitsAByte; ++i) {
      Bit bit;
      bit.cell = {Picoseconds{byte.at(i)}, Picoseconds{byte.at(i + 1)}};
      bit.sample = Picoseconds{byte.at(i + 0.5)};
      bit.nominal = Picoseconds{std::llround(byte.bit)};
      bit.level = i == 0                ? false
                  : i == kBitsAByte - 1 ? byte.stopHigh
                                        : (byte.value >> static_cast<unsigned>(i - 1) & 1U) != 0;
      bit.role = i == 0 ? Role::Start : i == kBitsAByte - 1 ? Role::Stop : Role::Data;
      bit.wrong = i == kBitsAByte - 1 && !byte.stopHigh;
      measure(bit, byte, edges);
      m_out.bits.push_back(bit);
    }
    m_out.nominalBit = Picoseconds{std::llround(byte.bit)};
    addFields(byte.value, first + 1);
    ++m_bytes;
  }

  /// Requires: the machine came to the end of the frame.
  Anatomy anatomy(const Frame& frame)
  {
    if (frame.kind == kLinWakeup) {
      m_out = {};
      m_out.fields.push_back({Role::Start, frame.time, 0, 0, 0, true, false, 0, "wake-up", 0});
      return m_out;
    }
    const LinFrame f = linFrame(frame);
    for (Field& field : m_out.fields) {
      if (field.role == Role::Delimiter)
        field.wrong = hasError(frame.errors, LinError::Sync);
      if (field.role == Role::Parity)
        field.wrong = hasError(frame.errors, LinError::Parity);
    }
    if (f.hasChecksum && !m_out.fields.empty()) {
      Field& last = m_out.fields.back();
      last.role = Role::Check;
      last.name = "checksum";
      last.brief = "";
      last.wrong = hasError(frame.errors, LinError::Checksum);
      setRole(last, Role::Check);
    }
    if (hasError(frame.errors, LinError::Incomplete))
      m_out.fields.push_back(
          {Role::Flag, {frame.time.end, frame.time.end}, 0, m_out.bits.size(), 0, true, true, 0, "cut", 0});
    for (const Field& field : m_out.fields) {
      if (field.wrong && field.bitCount > 0)
        m_out.bits[field.firstBit].wrong = true;
    }
    return m_out;
  }

 private:
  void setRole(const Field& field, Role role)
  {
    for (std::size_t i = field.firstBit; i < field.firstBit + field.bitCount; ++i)
      m_out.bits[i].role = role;
  }

  void addField(Role role, const char* name, std::uint32_t value, std::size_t firstBit, std::size_t count)
  {
    m_out.fields.push_back({role,
                            {m_out.bits[firstBit].cell.begin, m_out.bits[firstBit + count - 1].cell.end},
                            value,
                            firstBit,
                            count,
                            true,
                            false,
                            0,
                            name,
                            static_cast<std::uint8_t>(count)});
    setRole(m_out.fields.back(), role);
  }

  void addFields(std::uint32_t value, std::size_t firstBit)
  {
    if (m_bytes == 0) {
      addField(Role::Delimiter, "sync", value, firstBit, 8);
    } else if (m_bytes == 1) {
      addField(Role::Address, "identifier", value & 0x3fU, firstBit, 6);
      addField(Role::Parity, "parity", value >> 6U, firstBit + 6, 2);
    } else {
      addField(Role::Data, "", value, firstBit, 8);
    }
  }

  /// Equal bits between two edges share what lies between equally. The stop bit of a byte ends where nothing tells.
  static void measure(Bit& bit, const Byte& byte, EdgeAhead& edges)
  {
    std::int64_t before = byte.start;
    std::size_t k = 1;
    for (; edges.at(k) <= bit.sample.count(); ++k)
      before = edges.at(k);
    const std::int64_t after = edges.at(k);
    if (after == kNever.count() || after > byte.end() + std::llround(byte.bit / 2))
      return;
    const auto count = std::max<std::int64_t>(1, std::llround(static_cast<double>(after - before) / byte.bit));
    const auto place = std::clamp<std::int64_t>(
        std::llround(static_cast<double>(bit.cell.begin.count() - before) / byte.bit), 0, count - 1);
    bit.actual = Picoseconds{(after - before) / count};
    bit.actualBegin = Picoseconds{before + (after - before) * place / count};
  }

  Anatomy m_out;
  std::size_t m_bytes = 0;
};

}  // namespace lin

Anatomy linAnatomy(const LinSettings& settings, const StreamInput& input, const Frame& frame)
{
  lin::ByteRecorder recorder;
  lin::LinMachine<lin::ByteRecorder> machine(settings, input, frame.time.begin, recorder);
  Anatomy anatomy = readAgain(machine, frame, [&recorder](const Frame& again) { return recorder.anatomy(again); });
  numberFields(anatomy);
  return anatomy;
}

}  // namespace bexto
