#include "rig/i2c_driver.h"

#include <algorithm>

namespace bexto::rig {

void I2cDriver::start()
{
  if (m_clockLow) {
    m_sda.drive(m_now + m_pace.dataAfterFall, true);
    m_now += phase(m_pace.low);
    m_scl.drive(m_now, true);
    m_now += phase(m_pace.high);
  }
  m_sda.drive(m_now, false);
  m_now += phase(m_pace.high);
  m_scl.drive(m_now, false);
  m_clockLow = true;
}

void I2cDriver::stop()
{
  m_sda.drive(m_now + m_pace.dataAfterFall, false);
  m_now += phase(m_pace.low);
  m_scl.drive(m_now, true);
  m_now += phase(m_pace.high);
  m_sda.drive(m_now, true);
  m_clockLow = false;
  m_now += m_pace.low;
}

void I2cDriver::bit(bool level)
{
  m_sda.drive(m_now + phase(m_pace.dataAfterFall), level);
  m_now += phase(m_pace.low) + m_extraLow;
  m_extraLow = Picoseconds{0};
  m_scl.drive(m_now, true);
  m_now += phase(m_pace.high);
  m_scl.drive(m_now, false);
}

void I2cDriver::bits(std::uint8_t value, int count)
{
  for (int i = 0; i < count; ++i)
    bit((value >> (7 - i) & 1) != 0);
}

void I2cDriver::byte(std::uint8_t value, bool acknowledged)
{
  bits(value, 8);
  bit(!acknowledged);
}

void I2cDriver::giveUp(Picoseconds clockComesBack)
{
  m_sda.drive(m_now + m_pace.dataAfterFall, true);
  m_now += clockComesBack;
  m_scl.drive(m_now, true);
  m_now += phase(m_pace.high);
  m_sda.drive(m_now, false);
  m_now += phase(m_pace.high);
  m_scl.drive(m_now, false);
}

void I2cDriver::write(std::uint8_t address, std::span<const std::uint8_t> bytes)
{
  start();
  byte(static_cast<std::uint8_t>(address << 1U), true);
  for (const std::uint8_t b : bytes)
    byte(b, true);
}

void I2cDriver::read(std::uint8_t address, std::span<const std::uint8_t> bytes)
{
  start();
  byte(static_cast<std::uint8_t>(address * 2 + 1), true);
  for (std::size_t i = 0; i < bytes.size(); ++i)
    byte(bytes[i], i + 1 < bytes.size());
}

}  // namespace bexto::rig
