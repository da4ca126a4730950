#pragma once

#include <cstddef>
#include <cstdint>

namespace bexto {

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
  /// Takes the last bits away, whatever they are. Requires: size <= size().
  void truncate(std::size_t size)
  {
    for (std::size_t word = (size + 63) / 64; word < (m_size + 63) / 64; ++word)
      m_words[word] = 0;
    if (size % 64 != 0)
      m_words[size / 64] &= ~std::uint64_t{0} << (64 - size % 64);
    m_size = size;
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

}  // namespace bexto
