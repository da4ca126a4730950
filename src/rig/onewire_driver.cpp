// Encodes what src/core/protocol/onewire decodes, and shares nothing with it on purpose: each is the other's test.
#include "rig/onewire_driver.h"

#include <algorithm>

namespace bexto::rig {

using namespace std::chrono_literals;

OneWirePace standardOneWire()
{
  return {500us, 30us, 120us, 420us, 70us, 6us, 62us};
}

OneWirePace overdriveOneWire()
{
  return {60us, 2us, 12us, 50us, 10us, 1us, 7500ns};
}

std::uint8_t oneWireCrc(std::span<const std::uint8_t> bytes)
{
  // Division by x⁸+x⁵+x⁴+1, the lowest bit of each byte first, a bit at a time.
  bool rest[8] = {};
  for (const std::uint8_t byte : bytes) {
    for (int i = 0; i < 8; ++i) {
      const bool carry = rest[7] != ((byte >> i & 1) != 0);
      for (int k = 7; k > 0; --k)
        rest[k] = rest[k - 1];
      rest[0] = carry;
      rest[4] = rest[4] != carry;
      rest[5] = rest[5] != carry;
    }
  }
  // The rest is sent highest power first, and bytes lowest bit first.
  std::uint8_t crc = 0;
  for (int i = 0; i < 8; ++i)
    crc = static_cast<std::uint8_t>(crc | (rest[7 - i] ? 1 << i : 0));
  return crc;
}

OneWireRom oneWireRom(std::uint8_t family, std::uint64_t serial)
{
  OneWireRom rom{family};
  for (std::size_t i = 1; i < 7; ++i)
    rom[i] = static_cast<std::uint8_t>(serial >> 8 * (i - 1));
  rom[7] = oneWireCrc({rom.data(), 7});
  return rom;
}

void OneWireDriver::low(Picoseconds length)
{
  m_line.drive(m_now, false);
  m_now += length;
  m_line.drive(m_now, true);
}

void OneWireDriver::reset(bool isAnswered)
{
  low(m_pace.resetLow);
  const Picoseconds end = m_now;
  if (isAnswered) {
    m_now += m_pace.presenceDelay;
    low(m_pace.presenceLow);
  }
  waitUntil(end + m_pace.afterReset);
}

void OneWireDriver::bit(bool one)
{
  const Picoseconds end = m_now + m_pace.slot;
  low(one ? m_pace.lowOfOne : m_pace.lowOfZero);
  waitUntil(end);
}

void OneWireDriver::byte(std::uint8_t value)
{
  for (int i = 0; i < 8; ++i)
    bit((value >> i & 1) != 0);
}

void OneWireDriver::bytes(std::span<const std::uint8_t> values)
{
  for (const std::uint8_t value : values)
    byte(value);
}

void OneWireDriver::search(std::span<const OneWireRom> present, const OneWireRom& chosen)
{
  std::vector<OneWireRom> answering(present.begin(), present.end());
  for (std::size_t place = 0; place < 64; ++place) {
    const auto bitOf = [place](const OneWireRom& rom) { return (rom[place / 8] >> place % 8 & 1) != 0; };
    // Whoever answers 0 pulls the line low.
    bit(std::all_of(answering.begin(), answering.end(), bitOf));
    bit(std::none_of(answering.begin(), answering.end(), bitOf));
    bit(bitOf(chosen));
    std::erase_if(answering, [&](const OneWireRom& rom) { return bitOf(rom) != bitOf(chosen); });
  }
}

}  // namespace bexto::rig
