#include "rig/uart_driver.h"

#include <bit>
#include <cmath>

namespace bexto::rig {

void UartDriver::send(std::string_view text)
{
  for (const char c : text) {
    const auto data = static_cast<unsigned char>(c);
    unsigned word = (data | 0x100U) << 1U;  // stop bit, data, start bit
    int bits = 10;
    if (m_evenParity) {
      const bool odd = (std::popcount(data) & 1) != 0;
      word = (data | (odd ? 0x300U : 0x200U)) << 1U;
      bits = 11;
    }
    for (int i = 0; i < bits; ++i)
      m_line.drive(m_now + Picoseconds{std::llround(i * m_bit)}, (word >> i & 1U) != 0);
    m_now += Picoseconds{std::llround(bits * m_bit)};
    // The firmware's interrupt is late at times.
    if (m_chance.oneIn(12))
      m_now += Picoseconds{std::llround(static_cast<double>(m_chance.between(5, 60)) * m_bit / 100)};
  }
}

}  // namespace bexto::rig
