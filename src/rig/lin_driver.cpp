// Encodes what src/core/protocol/lin decodes, and shares nothing with it on purpose: each is the other's test.
#include "rig/lin_driver.h"

#include <vector>

namespace bexto::rig {

std::uint8_t linPid(std::uint8_t id)
{
  const auto bit = [id](int i) { return (id >> i & 1) != 0; };
  const bool p0 = (bit(0) != bit(1)) != (bit(2) != bit(4));
  const bool p1 = (bit(1) != bit(3)) == (bit(4) != bit(5));
  return static_cast<std::uint8_t>((id & 0x3f) + (p0 ? 0x40 : 0) + (p1 ? 0x80 : 0));
}

std::uint8_t linSum(LinSum model, std::uint8_t pid, std::span<const std::uint8_t> data)
{
  // Modulo 255, with 255 in place of 0 where there was anything to sum: that is what carrying round comes to.
  unsigned sum = model == LinSum::Enhanced ? pid : 0U;
  for (const std::uint8_t b : data)
    sum += b;
  const unsigned rest = sum % 255U;
  return static_cast<std::uint8_t>(255U - (rest == 0 && sum > 0 ? 255U : rest));
}

void LinDriver::hold(bool level, double length)
{
  m_line.drive(now(), level);
  m_now += length;
}

void LinDriver::breakPulse(double bits, double delimiterBits)
{
  const double bit = 1e12 / m_pace.commander;
  hold(false, bits * bit);
  hold(true, delimiterBits * bit);
}

void LinDriver::low(Picoseconds length)
{
  hold(false, static_cast<double>(length.count()));
  hold(true, 0.0);
}

void LinDriver::byte(std::uint8_t value, double rate, bool stopHigh)
{
  const double bit = 1e12 / rate;
  hold(false, bit);
  for (int i = 0; i < 8; ++i)
    hold((value >> i & 1) != 0, bit);
  hold(stopHigh, bit);
  m_line.drive(now(), true);
}

void LinDriver::header(std::uint8_t pid)
{
  breakPulse(m_pace.breakBits, m_pace.delimiterBits);
  byte(0x55, m_pace.commander);
  byte(pid, m_pace.commander);
}

void LinDriver::response(std::span<const std::uint8_t> bytes, bool fromCommander)
{
  const double rate = fromCommander ? m_pace.commander : m_pace.responder;
  rest(m_pace.responseSpace);
  for (std::size_t i = 0; i < bytes.size(); ++i) {
    if (i > 0)
      rest(m_pace.byteSpace);
    byte(bytes[i], rate);
  }
}

void LinDriver::frame(std::uint8_t id, std::span<const std::uint8_t> data, LinSum model, bool fromCommander)
{
  const std::uint8_t pid = linPid(id);
  std::vector<std::uint8_t> bytes(data.begin(), data.end());
  bytes.push_back(linSum(model, pid, data));
  header(pid);
  response(bytes, fromCommander);
}

}  // namespace bexto::rig
