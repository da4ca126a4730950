#pragma once

#include <bit>
#include <cstdint>
#include <cstring>

namespace bexto {

/// Eight characters at once. `digits` says how many of them, from the first on, are decimal digits; those are the
/// number.
struct EightCharacters {
  unsigned digits = 0;
  std::uint64_t number = 0;
};

inline EightCharacters readEight(const char* from)
{
  static_assert(std::endian::native == std::endian::little);
  std::uint64_t bytes = 0;
  std::memcpy(&bytes, from, sizeof(bytes));
  bytes ^= 0x3030303030303030U;  // a digit is now 0 to 9
  const std::uint64_t others = ((bytes + 0x7676767676767676U) | bytes) & 0x8080808080808080U;
  EightCharacters out;
  out.digits = others == 0 ? 8 : static_cast<unsigned>(std::countr_zero(others)) / 8;
  if (out.digits == 0)
    return out;
  // Zeros in front, then neighbours join: ones to tens, tens to thousands, and so on.
  bytes <<= 64 - 8 * out.digits;
  bytes = bytes * 10 + (bytes >> 8U);
  bytes = ((bytes & 0x000000ff000000ffU) * 0x000f424000000064U +
           ((bytes >> 16U) & 0x000000ff000000ffU) * 0x0000271000000001U) >>
          32U;
  out.number = bytes & 0xffffffffU;
  return out;
}

}  // namespace bexto
