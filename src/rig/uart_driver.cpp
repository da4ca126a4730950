#include "rig/uart_driver.h"

#include <cmath>

namespace bexto::rig {

void UartDriver::send(std::string_view text)
{
  for (const char c : text) {
    const unsigned word = (static_cast<unsigned char>(c) | 0x100U) << 1U;  // stop bit, data, start bit
    for (int i = 0; i < 10; ++i)
      m_line.drive(m_now + Picoseconds{std::llround(i * m_bit)}, (word >> i & 1U) != 0);
    m_now += Picoseconds{std::llround(10 * m_bit)};
    // The firmware's interrupt is late at times.
    if (m_chance.oneIn(12))
      m_now += Picoseconds{std::llround(static_cast<double>(m_chance.between(5, 60)) * m_bit / 100)};
  }
}

}  // namespace bexto::rig
