// A transfer opened up: the machine of i2c_machine.h once more over its edges. Tested by tests/core/i2c_test.cpp.
#include "core/protocol/i2c/i2c_decoder.h"

#include "core/decode/machine_decoder.h"
#include "core/protocol/i2c/i2c_machine.h"

namespace bexto {

using namespace i2c;

namespace {

class I2cRecorder {
 public:
  static constexpr bool kRecords = true;
  void start(std::int64_t time)
  {
    if (!m_out.fields.empty())
      return;
    m_out.fields.push_back(
        {Role::Start, {Picoseconds{time}, Picoseconds{time}}, 0, 0, 0, true, false, 0, "START", 0, 0, "S"});
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
    const bool unexpected = hasError(frame.errors, I2cError::UnexpectedStart);
    if (i2cTransfer(frame).end == I2cEnd::Stop || unexpected) {
      // UM10204 writes S and P for the conditions.
      const bool stop = i2cTransfer(frame).end == I2cEnd::Stop;
      m_out.fields.push_back({stop ? Role::Stop : Role::Start,
                              {high, frame.time.end},
                              0,
                              m_out.bits.size(),
                              0,
                              true,
                              unexpected,
                              0,
                              stop ? "STOP" : "START",
                              0,
                              0,
                              stop ? "P" : "S"});
    }
    if (hasError(frame.errors, I2cError::Nack)) {
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

Anatomy i2cAnatomy(const I2cSettings& settings, const StreamInput& input, const Frame& frame)
{
  I2cRecorder recorder;
  I2cMachine<I2cRecorder> machine(settings, input, frame.time.begin, recorder);
  const I2cTransfer transfer = i2cTransfer(frame);
  if (transfer.tenBit && transfer.read)
    machine.rememberTenBit(transfer.address);
  Anatomy anatomy = readAgain(machine, frame, [&recorder](const Frame& again) { return recorder.anatomy(again); });
  numberFields(anatomy);
  return anatomy;
}

}  // namespace bexto
