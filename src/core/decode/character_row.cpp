// Where a character ends only its edges tell, and the next one waits for that; so this is found first, by comparing
// nothing but falls, a few characters ahead. Their bits are read four characters at a time, step by step side by side:
// by eighths of a bit, in which edges are given places as in protocol/uart/uart_machine.h. Between these steps, which
// wait for nothing, the next ends are looked for: both in turn keep the processor busy, one behind the other would not,
// because it looks ahead no further than about a hundred instructions that wait.
//
// This file is compiled once for each kind of processor: foreach_target.h includes it again and again.
//
// Tested by tests/core/quick_paths_test.cpp and tests/core/character_row_test.cpp.
#include "core/decode/character_row.h"

#include <algorithm>
#include <bit>
#include <cmath>

// Vectors stand in arrays here, which those without a fixed size cannot.
#define HWY_DISABLED_TARGETS (HWY_SVE | HWY_SVE2 | HWY_SVE_256 | HWY_SVE2_128)
#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "core/decode/character_row.cpp"
#include <hwy/foreach_target.h>
// Behind foreach_target.h, which decides what it is to mean.
#include <hwy/highway.h>

HWY_BEFORE_NAMESPACE();
namespace bexto {
namespace HWY_NAMESPACE {

#if HWY_TARGET != HWY_SCALAR

namespace hn = hwy::HWY_NAMESPACE;

constexpr std::size_t kEdges = 8;  ///< of a character that are read by vectors
constexpr std::size_t kGroup = 4;  ///< characters side by side

using Near = hn::CappedTag<std::int32_t, kEdges>;
using Far = hn::Repartition<std::int64_t, Near>;
using Real = hn::Repartition<float, Near>;
using Four = hn::Full128<std::int32_t>;
constexpr std::size_t kLanes = hn::MaxLanes(Near());
constexpr std::size_t kParts = kEdges / kLanes;

/// Flips of 8 lanes, xored in four.
template <class V>
HWY_INLINE hn::Vec<Four> folded(const V* parts)
{
  if constexpr (kParts == 1)
    return hn::Xor(hn::LowerHalf(Four(), parts[0]), hn::UpperHalf(Four(), parts[0]));
  else
    return hn::Xor(parts[0], parts[1]);
}

/// Puts down the bits of four characters as the first eight edges say. Returns how many of the first ones need no
/// closer look for these. `meanwhile` is called four times.
template <typename Meanwhile>
HWY_INLINE std::size_t readFour(const std::int64_t* const* starts, const CharacterRowReader::Grid& grid,
                                std::uint32_t* bits, const Meanwhile& meanwhile)
{
  constexpr Near kNear;
  constexpr Far kFar;
  constexpr Real kReal;
  constexpr Four kFour;
  const hn::RebindToUnsigned<Near> unsignedNear;
  hn::Vec<Near> low[kGroup][kParts];
  hn::Vec<Near> high[kGroup][kParts];
#pragma GCC unroll 4
  for (std::size_t c = 0; c < kGroup; ++c) {
    const auto start = hn::Set(kFar, *starts[c]);
    for (std::size_t p = 0; p < kParts; ++p) {
      const std::int64_t* const edges = starts[c] + 1 + p * kLanes;
      const auto first = hn::ShiftRightSame(hn::Sub(hn::LoadU(kFar, edges), start), grid.shift);
      const auto second = hn::ShiftRightSame(hn::Sub(hn::LoadU(kFar, edges + kLanes / 2), start), grid.shift);
      low[c][p] = hn::ConcatEven(kNear, hn::BitCast(kNear, second), hn::BitCast(kNear, first));
      high[c][p] = hn::ConcatOdd(kNear, hn::BitCast(kNear, second), hn::BitCast(kNear, first));
    }
  }
  meanwhile();
  const auto farthest = hn::Set(unsignedNear, 0x7fffffffU);
  hn::Vec<Near> distance[kGroup][kParts];
#pragma GCC unroll 4
  for (std::size_t c = 0; c < kGroup; ++c) {
    for (std::size_t p = 0; p < kParts; ++p) {
      const auto isFar = hn::VecFromMask(kNear, hn::Gt(high[c][p], hn::Zero(kNear)));
      distance[c][p] = hn::BitCast(kNear, hn::Min(hn::BitCast(unsignedNear, hn::Or(low[c][p], isFar)), farthest));
    }
  }
  meanwhile();
  const auto scale = hn::Set(kReal, grid.eighths);
  const auto over = hn::Set(kNear, grid.shiftedOver);
  hn::Vec<Near> eighth[kGroup][kParts];
  hn::Vec<Near> counts[kGroup][kParts];
#pragma GCC unroll 4
  for (std::size_t c = 0; c < kGroup; ++c) {
    for (std::size_t p = 0; p < kParts; ++p) {
      counts[c][p] = hn::VecFromMask(kNear, hn::Gt(over, distance[c][p]));
      eighth[c][p] = hn::NearestInt(hn::Mul(hn::ConvertTo(kReal, distance[c][p]), scale));
    }
  }
  meanwhile();
  hn::Vec<Near> bad[kGroup];
  hn::Vec<Four> flips[kGroup];
#pragma GCC unroll 4
  for (std::size_t c = 0; c < kGroup; ++c) {
    bad[c] = hn::Zero(kNear);
    hn::Vec<Near> flipped[kParts];
    for (std::size_t p = 0; p < kParts; ++p) {
      const auto place = eighth[c][p];
      // Below zero: at the third, fourth or fifth eighth of a bit; before the look at the start bit; too late.
      const auto look = hn::Sub(hn::And(hn::Add(place, hn::Set(kNear, 5)), hn::Set(kNear, 7)), hn::Set(kNear, 3));
      const auto early = hn::Sub(place, hn::Set(kNear, 6));
      const auto late = hn::Sub(hn::Set(kNear, grid.lastSafe), place);
      // A character without an edge may be a break: its first counts in any case.
      const auto asked = p == 0 ? hn::Or(counts[c][p], hn::VecFromMask(kNear, hn::FirstN(kNear, 1))) : counts[c][p];
      bad[c] = hn::Or(bad[c], hn::And(asked, hn::Or(look, hn::Or(early, late))));
      const auto bit = hn::ShiftRight<3>(hn::Add(place, hn::Set(kNear, 4)));
      flipped[p] = hn::Shl(counts[c][p], hn::And(counts[c][p], bit));
    }
    flips[c] = folded(flipped);
  }
  meanwhile();
  const auto pair0 =
      hn::Xor(hn::InterleaveLower(kFour, flips[0], flips[1]), hn::InterleaveUpper(kFour, flips[0], flips[1]));
  const auto pair1 =
      hn::Xor(hn::InterleaveLower(kFour, flips[2], flips[3]), hn::InterleaveUpper(kFour, flips[2], flips[3]));
  const hn::Repartition<std::int64_t, Four> two;
  const auto lower = hn::InterleaveLower(two, hn::BitCast(two, pair0), hn::BitCast(two, pair1));
  const auto upper = hn::InterleaveUpper(two, hn::BitCast(two, pair0), hn::BitCast(two, pair1));
  hn::StoreU(hn::BitCast(kFour, hn::Xor(lower, upper)), kFour, reinterpret_cast<std::int32_t*>(bits));
  const auto any = hn::Or(hn::Or(bad[0], bad[1]), hn::Or(bad[2], bad[3]));
  if (hn::AllFalse(kNear, hn::Lt(any, hn::Zero(kNear)))) [[likely]]
    return kGroup;
  std::size_t good = 0;
  while (hn::AllFalse(kNear, hn::Lt(bad[good], hn::Zero(kNear))))
    ++good;
  return good;
}

/// The edges behind the eighth, one by one. False: one of them needs a closer look.
template <std::size_t kFalls>
HWY_INLINE bool readRest(const std::int64_t* start, const CharacterRowReader::Grid& grid, std::uint32_t& bits)
{
  for (std::size_t i = kEdges + 1; i < 2 * kFalls + 2; ++i) {
    const std::int64_t distance = start[i] - *start;
    if (distance >= grid.over)
      return true;
    const auto place = static_cast<std::int32_t>(std::lrint(static_cast<double>(distance) * grid.eighthsPerPicosecond));
    if (place > grid.lastSafe || ((place + 5) & 7) < 3)
      return false;
    bits ^= ~0U << static_cast<unsigned>((place + 4) >> 3);
  }
  return true;
}

/// kFalls: as many as a character can have behind its start edge.
template <std::size_t kFalls>
std::size_t readRow(const std::int64_t* at, const std::int64_t* end, const CharacterRowReader::Grid& grid,
                    CharacterRow& row)
{
  const std::int64_t** next = row.starts.data();
  *next = at;
  const std::int64_t** const full = next + CharacterRow::kMost;
  const std::int64_t* const last = end - static_cast<std::ptrdiff_t>(2 * kFalls + 2);
  // Finds where the next one ends.
  const auto find = [&] {
    if (next == full || at >= last)
      return;
    const std::int64_t over = *at + grid.over;
    std::size_t falls = 1;
#pragma GCC unroll 5
    for (std::size_t i = 1; i <= kFalls; ++i)
      falls += at[2 * i] < over ? 1 : 0;
    const std::int64_t* const behind = at + 2 * falls;
    // More edges than it can have.
    if (*behind < over) {
      at = last;
      return;
    }
    at = behind;
    *++next = at;
  };
  for (std::size_t i = 0; i < kGroup; ++i)
    find();
  std::size_t c = 0;
  for (const std::int64_t** first = row.starts.data(); first < next; first += kGroup, c += kGroup) {
    const auto found = static_cast<std::size_t>(next - first);
    const std::int64_t* starts[kGroup];
    for (std::size_t i = 0; i < kGroup; ++i)
      starts[i] = first[std::min(i, found - 1)];
    std::uint32_t* const bits = row.bits.data() + c;
    std::size_t good = std::min(readFour(starts, grid, bits, find), found);
    for (std::size_t i = 0; i < good; ++i) {
      if (starts[i][kEdges + 1] - *starts[i] < grid.over && !readRest<kFalls>(starts[i], grid, bits[i]))
        good = i;
    }
    if (good < kGroup)
      return c + good;
  }
  return c;
}

#endif

std::size_t readCharacters([[maybe_unused]] const std::int64_t* at, [[maybe_unused]] const std::int64_t* end,
                           [[maybe_unused]] const CharacterRowReader::Grid& grid, [[maybe_unused]] bool isLong,
                           [[maybe_unused]] CharacterRow& row)
{
#if HWY_TARGET != HWY_SCALAR
  return isLong ? readRow<5>(at, end, grid, row) : readRow<4>(at, end, grid, row);
#else
  row.starts[0] = at;
  return 0;
#endif
}

}  // namespace HWY_NAMESPACE
}  // namespace bexto
HWY_AFTER_NAMESPACE();

#if HWY_ONCE

namespace bexto {

HWY_EXPORT(readCharacters);

CharacterRowReader::CharacterRowReader(const CharacterShape& shape) : m_grid{}, m_isLong(shape.bitsToStop > 9)
{
  const double perPicosecond = 8.0 * shape.bitsPerPicosecond;
  m_grid.over = shape.over;
  m_grid.shift = std::max(0, static_cast<int>(std::bit_width(static_cast<std::uint64_t>(shape.over))) - 30);
  // One more: what is cut off must not make an edge too late.
  m_grid.shiftedOver = static_cast<std::int32_t>(shape.over >> m_grid.shift) + 1;
  m_grid.eighths = static_cast<float>(std::ldexp(perPicosecond, m_grid.shift));
  m_grid.eighthsPerPicosecond = perPicosecond;
  m_grid.lastSafe = static_cast<std::int32_t>(std::lround(static_cast<double>(shape.resume) * perPicosecond)) - 2;
}

std::size_t CharacterRowReader::read(const std::int64_t* at, const std::int64_t* end, CharacterRow& row) const
{
  return HWY_DYNAMIC_DISPATCH(readCharacters)(at, end, m_grid, m_isLong, row);
}

}  // namespace bexto

#endif
