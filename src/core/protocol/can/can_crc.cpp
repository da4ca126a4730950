#include "core/protocol/can/can_crc.h"

#include <array>

namespace bexto {

namespace {

struct Polynomial {
  unsigned width;
  std::uint32_t terms;  ///< without the highest
};

constexpr Polynomial polynomialOf(CanCrc crc)
{
  switch (crc) {
    case CanCrc::Crc15:
      return {15, 0x4599};
    case CanCrc::Crc17:
      return {17, 0x1685b};
    case CanCrc::Crc21:
      return {21, 0x102899};
  }
  return {};
}

using Table = std::array<std::uint32_t, 256>;

constexpr Table makeTable(CanCrc crc)
{
  const Polynomial p = polynomialOf(crc);
  const std::uint32_t terms = p.terms << (32 - p.width);
  Table table{};
  for (std::uint32_t i = 0; i < 256; ++i) {
    std::uint32_t r = i << 24U;
    for (int bit = 0; bit < 8; ++bit)
      r = (r << 1U) ^ ((r >> 31U) != 0 ? terms : 0);
    table[i] = r;
  }
  return table;
}

constexpr std::array<Table, 3> kTables{makeTable(CanCrc::Crc15), makeTable(CanCrc::Crc17), makeTable(CanCrc::Crc21)};

}  // namespace

unsigned widthOf(CanCrc crc)
{
  return polynomialOf(crc).width;
}

CanCrcRegister::CanCrcRegister(CanCrc crc, std::uint32_t initial)
    : m_table(kTables[static_cast<std::size_t>(crc)].data()),
      m_polynomial(polynomialOf(crc).terms << (32 - widthOf(crc))),
      m_width(widthOf(crc)),
      m_register(initial << (32 - widthOf(crc)))
{
}

void CanCrcRegister::bit(bool level)
{
  const bool out = (m_register >> 31U != 0) != level;
  m_register = (m_register << 1U) ^ (out ? m_polynomial : 0);
}

void CanCrcRegister::byte(std::uint8_t eight)
{
  m_register = (m_register << 8U) ^ m_table[(m_register >> 24U) ^ eight];
}

std::uint32_t CanCrcRegister::value() const
{
  return m_register >> (32 - m_width);
}

}  // namespace bexto
