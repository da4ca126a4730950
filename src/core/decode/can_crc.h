#pragma once

#include <cstddef>
#include <cstdint>
#include <span>

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

/// A row of bits in the order of the wire, 64 to a word, the first in the top bit.
template <std::size_t Words>
class BitRow {
 public:
  static constexpr std::size_t kCapacity = Words * 64;

  std::size_t size() const { return m_size; }
  void clear()
  {
    const std::size_t used = (m_size + 63) / 64;
    for (std::size_t i = 0; i < used; ++i)
      m_words[i] = 0;
    m_size = 0;
  }
  /// Requires: 0 < count <= 32 and room for them.
  void append(bool level, unsigned count)
  {
    const std::size_t word = m_size / 64;
    const unsigned used = m_size % 64;
    const std::uint64_t ones = level ? ~std::uint64_t{0} << (64 - count) : 0;
    m_words[word] |= ones >> used;
    if (used + count > 64)
      m_words[word + 1] |= ones << (64 - used);
    m_size += count;
  }
  /// The low `count` bits of `bits`, the highest of them first. Requires: count < 64, and the bits above are 0.
  void appendBits(std::uint64_t bits, unsigned count)
  {
    if (count == 0)
      return;
    const std::size_t word = m_size / 64;
    const unsigned used = m_size % 64;
    const std::uint64_t first = bits << (64 - count);
    m_words[word] |= first >> used;
    // Of what does not fit, the rest; nothing when all does.
    if (used > 0)
      m_words[word + 1] |= first << (64 - used);
    m_size += count;
  }
  /// `count` bits from `at` on as a number. Requires: 0 < count <= 32.
  std::uint32_t bits(std::size_t at, unsigned count) const
  {
    const unsigned used = at % 64;
    std::uint64_t word = m_words[at / 64] << used;
    if (used + count > 64)
      word |= m_words[at / 64 + 1] >> (64 - used);
    return static_cast<std::uint32_t>(word >> (64 - count));
  }

 private:
  std::uint64_t m_words[Words + 1] = {};
  std::size_t m_size = 0;
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
