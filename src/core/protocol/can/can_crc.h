#pragma once

#include <cstddef>
#include <cstdint>

#include "core/decode/bit_row.h"

namespace bexto {

/// The three CRCs of CAN (ISO 11898-1:2015, 10.4.2.6 "CRC sequence").
enum class CanCrc : std::uint8_t {
  Crc15,  ///< classic frames: x^15+x^14+x^10+x^8+x^7+x^4+x^3+1
  Crc17,  ///< FD frames up to 16 data bytes: x^17+x^16+x^14+x^13+x^11+x^6+x^4+x^3+x+1
  Crc21,  ///< longer FD frames: x^21+x^20+x^13+x^11+x^7+x^4+x^3+1
};

/// Bits of the CRC: 15, 17 or 21.
unsigned widthOf(CanCrc crc);

/// A CRC under way. Bits are taken in the order of the wire.
class CanCrcRegister {
 public:
  explicit CanCrcRegister(CanCrc crc, std::uint32_t initial = 0);
  void bit(bool level);
  void byte(std::uint8_t eight);
  std::uint32_t value() const;

 private:
  const std::uint32_t* m_table;
  std::uint32_t m_polynomial;  ///< in the top bits of 32, as the register
  unsigned m_width;
  std::uint32_t m_register;
};

/// The CRC of the first `count` bits. Requires: count <= row.size().
template <std::size_t Words>
std::uint32_t crcOf(CanCrcRegister crc, const BitRow<Words>& row, std::size_t count)
{
  const std::size_t loose = count % 8;
  for (std::size_t i = 0; i < loose; ++i)
    crc.bit(row.bits(i, 1) != 0);
  for (std::size_t i = loose; i < count; i += 8)
    crc.byte(static_cast<std::uint8_t>(row.bits(i, 8)));
  return crc.value();
}

}  // namespace bexto
