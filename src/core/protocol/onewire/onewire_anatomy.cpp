// A transaction opened up: the machine of onewire_machine.h once more over its edges. Tested by
// tests/core/onewire_test.cpp.
#include <algorithm>

#include "core/decode/machine_decoder.h"
#include "core/protocol/onewire/onewire_decoder.h"
#include "core/protocol/onewire/onewire_machine.h"

namespace bexto {

namespace onewire {

/// A bit for each slot. Fields are the reset, the presence pulse, the ROM command, the bytes of the ROM and those
/// behind it; of a search, where each place takes three slots, the byte that was chosen.
class SlotRecorder {
 public:
  void reset(const Low& low)
  {
    m_out = {};
    m_out.fields.push_back(pulse(Role::Start, low, "reset"));
  }
  void presence(const Low& low) { m_out.fields.push_back(pulse(Role::Acknowledge, low, "presence")); }
  void slot(const Low& low, bool one, const Timing& timing)
  {
    // One that came before the slot was over ends it.
    if (!m_out.bits.empty())
      m_out.bits.back().cell.end = std::min(m_out.bits.back().cell.end, Picoseconds{low.fall});
    Bit bit;
    bit.cell = {Picoseconds{low.fall}, Picoseconds{std::max(low.rise, low.fall + timing.slot)}};
    bit.sample = Picoseconds{std::min(low.fall + timing.longestOne, bit.cell.end.count())};
    bit.level = one;
    m_out.bits.push_back(bit);
  }

  /// Requires: the machine came to the end of the frame.
  Anatomy anatomy(const Frame& frame)
  {
    const OneWireTransaction t = oneWireTransaction(frame);
    m_at = 0;
    if (m_out.bits.empty()) {
      // nothing was asked
    } else if (!t.command) {
      addField(Role::Control, "ROM command", 8, 1);
    } else {
      addField(Role::Control, "ROM command", 8, 1);
      const Follows follows = followsCommand(*t.command);
      if (follows != Follows::Data)
        addRom(t, follows == Follows::Search ? 3 : 1, hasError(frame.errors, OneWireError::Crc));
      while (m_at < m_out.bits.size())
        addField(Role::Data, "", 8, 1);
    }
    if (hasError(frame.errors, OneWireError::Incomplete))
      m_out.fields.push_back(
          {Role::Flag, {frame.time.end, frame.time.end}, 0, m_out.bits.size(), 0, true, true, 0, "cut", 0});
    return m_out;
  }

 private:
  static Field pulse(Role role, const Low& low, const char* name)
  {
    return {role, {Picoseconds{low.fall}, Picoseconds{low.rise}}, 0, 0, 0, true, false, 0, name, 0};
  }

  void addRom(const OneWireTransaction& t, std::size_t slotsABit, bool isWrong)
  {
    const std::size_t end = m_at + slotsABit * kRomBits;
    for (std::size_t byte = 0; byte < kRomBytes && m_at < std::min(end, m_out.bits.size()); ++byte) {
      const bool isCheck = byte + 1 == kRomBytes;
      addField(isCheck ? Role::Check : Role::Address,
               byte == 0 ? "family code"
               : isCheck ? "CRC"
                         : "serial number",
               8, slotsABit);
      m_out.fields.back().wrong = isCheck && isWrong && !t.rom.empty();
      if (m_out.fields.back().wrong)
        m_out.bits[m_out.fields.back().firstBit].wrong = true;
    }
  }

  /// The next slots, as many as there are. The last of a bit's slots says what it is.
  void addField(Role role, const char* name, std::size_t bitCount, std::size_t slotsABit)
  {
    Field field;
    field.role = role;
    field.name = name;
    field.firstBit = m_at;
    field.bitCount = std::min(bitCount * slotsABit, m_out.bits.size() - m_at);
    field.complete = field.bitCount == bitCount * slotsABit;
    field.width = static_cast<std::uint8_t>(bitCount);
    for (std::size_t i = 0; i < field.bitCount; ++i) {
      Bit& bit = m_out.bits[m_at + i];
      bit.role = role;
      if (i % slotsABit + 1 == slotsABit && bit.level)
        field.value |= 1U << i / slotsABit;
    }
    m_at += field.bitCount;
    field.time = {m_out.bits[field.firstBit].cell.begin, m_out.bits[m_at - 1].cell.end};
    m_out.fields.push_back(field);
  }

  Anatomy m_out;
  std::size_t m_at = 0;  ///< the first slot that is in no field
};

}  // namespace onewire

Anatomy oneWireAnatomy(const OneWireSettings& settings, const StreamInput& input, const Frame& frame)
{
  onewire::SlotRecorder recorder;
  // What came before it is not read again: its reset says how fast it began.
  onewire::OneWireMachine<onewire::SlotRecorder> machine(settings, input, frame.time.begin, recorder,
                                                         oneWireTransaction(frame).isOverdrive);
  Anatomy anatomy = readAgain(machine, frame, [&recorder](const Frame& again) { return recorder.anatomy(again); });
  numberFields(anatomy);
  return anatomy;
}

}  // namespace bexto
