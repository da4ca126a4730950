// Sums, exclusive ors and cyclic redundancy checks as sheets describe them: by width, polynomial, initial value,
// reflection and final exclusive or. A byte at a time through a table that is made once for each polynomial. Tested by
// tests/core/checksum_test.cpp.
#include <algorithm>
#include <map>
#include <mutex>

#include "core/device/sheet.h"

namespace bexto {

namespace {

using Table = std::array<std::uint32_t, 256>;

std::uint32_t reversed(std::uint32_t value, unsigned bits)
{
  std::uint32_t out = 0;
  for (unsigned i = 0; i < bits; ++i)
    out |= (value >> i & 1U) << (bits - 1 - i);
  return out;
}

std::uint32_t mask(unsigned width)
{
  return width >= 32 ? 0xffffffffU : (1U << width) - 1;
}

/// Never thrown away: there are as many as sheets have polynomials.
const Table& tableOf(unsigned width, std::uint32_t polynomial, bool reflected)
{
  static std::mutex access;
  static std::map<std::tuple<unsigned, std::uint32_t, bool>, Table> tables;
  const std::lock_guard lock(access);
  const auto [found, fresh] = tables.try_emplace({width, polynomial, reflected});
  if (fresh) {
    const std::uint32_t reversedPolynomial = reversed(polynomial, width);
    for (std::uint32_t byte = 0; byte < 256; ++byte) {
      std::uint32_t value = reflected ? byte : byte << (width - 8);
      for (int bit = 0; bit < 8; ++bit) {
        if (reflected)
          value = (value & 1U) != 0 ? value >> 1U ^ reversedPolynomial : value >> 1U;
        else
          value = ((value >> (width - 1) & 1U) != 0 ? value << 1U ^ polynomial : value << 1U) & mask(width);
      }
      found->second[byte] = value;
    }
  }
  return found->second;
}

/// A place counted from the begin, or from the end when negative; -1 when it is outside.
std::int64_t placeIn(std::int32_t at, std::size_t size)
{
  const std::int64_t place = at < 0 ? static_cast<std::int64_t>(size) + at : at;
  return place < 0 || place > static_cast<std::int64_t>(size) ? -1 : place;
}

}  // namespace

std::uint32_t SheetChecksum::of(std::span<const std::uint8_t> bytes) const
{
  std::uint32_t value = initial;
  switch (kind) {
    case Kind::Sum:
      for (const std::uint8_t b : bytes)
        value += b;
      value = (negated ? 0U - value : value) & mask(width);
      break;
    case Kind::Xor:
      for (const std::uint8_t b : bytes)
        value ^= b;
      value = (negated ? ~value : value) & 0xffU;
      break;
    case Kind::Crc: {
      const Table& table = tableOf(width, polynomial, reflected);
      if (reflected) {
        value = reversed(value, width);
        for (const std::uint8_t b : bytes)
          value = value >> 8U ^ table[(value ^ b) & 0xffU];
      } else {
        for (const std::uint8_t b : bytes)
          value = ((width > 8 ? value << 8U : 0U) ^ table[(value >> (width - 8) ^ b) & 0xffU]) & mask(width);
      }
      break;
    }
  }
  return (value ^ finalXor) & mask(width);
}

bool SheetChecksum::holds(std::span<const std::uint8_t> message) const
{
  const std::int64_t own = placeIn(at, message.size());
  const std::int64_t begin = placeIn(from, message.size());
  const std::int64_t end = until == 0 ? own : placeIn(until, message.size());
  if (own < 0 || begin < 0 || end < begin || own + bytes() > static_cast<std::int64_t>(message.size()))
    return false;
  BitPlace place;
  place.byte = static_cast<std::int32_t>(own);
  place.bytes = bytes();
  place.bits = width;
  place.big = big;
  const auto said = bitsAt(place, message);
  return said && *said == of(message.subspan(static_cast<std::size_t>(begin), static_cast<std::size_t>(end - begin)));
}

}  // namespace bexto
