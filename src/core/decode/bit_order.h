#pragma once

#include <cstdint>

namespace bexto {

/// Which bit of a value is first on the wire: the least or the most significant one.
enum class BitOrder : std::uint8_t { Lsb, Msb };

/// The low `bits` bits of `word` the other way round; those above are 0. Requires: bits <= 32.
constexpr std::uint32_t reversedBits(std::uint32_t word, unsigned bits)
{
  std::uint32_t out = 0;
  for (unsigned i = 0; i < bits; ++i)
    out |= (word >> i & 1U) << (bits - 1 - i);
  return out;
}

}  // namespace bexto
