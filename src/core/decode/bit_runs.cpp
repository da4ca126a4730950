// Where each falling edge sets the grid, what is between two of them depends on nothing before: a vector counts several
// runs at once. A rise and the next fall are both measured from the fall before them:
//
//     wire      ‾‾|______________|‾‾‾‾‾‾|____
//     samples         ^    ^    ^    ^
//     to the rise     1    2    3                 3 bits low
//     to the fall     1    2    3    4            4 - 3 = 1 bit high
//
// The division by the length of a bit is a multiplication of 32 bits, the only one that all processors have, and exact
// for what a pair of runs may last.
//
// This file is compiled once for each kind of processor: foreach_target.h includes it again and again.
//
// Tested by tests/core/edge_rows_test.cpp.
#include "core/decode/bit_runs.h"

#include <bit>
#include <limits>

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "core/decode/bit_runs.cpp"
#include <hwy/foreach_target.h>
// Behind foreach_target.h, which decides what it is to mean.
#include <hwy/highway.h>

#ifndef BEXTO_BIT_RUNS_NUMBERS
#define BEXTO_BIT_RUNS_NUMBERS
namespace bexto {

struct GridNumbers {
  std::int64_t bit;
  std::int64_t before;
  std::uint32_t perBit;
  int shift;
};

}  // namespace bexto
#endif

HWY_BEFORE_NAMESPACE();
namespace bexto {
namespace HWY_NAMESPACE {

namespace hn = hwy::HWY_NAMESPACE;

constexpr auto kLongest = static_cast<std::uint64_t>(BitRunGrid::kLongest);

#if HWY_TARGET == HWY_SCALAR

std::size_t countRuns(const std::int64_t* edges, const GridNumbers& grid, std::size_t most, std::uint64_t* sent,
                      std::uint64_t* told)
{
  std::uint64_t low = 0;
  for (std::size_t i = 0; i < most; ++i) {
    const bool high = i % 2 != 0;
    const std::int64_t length = edges[i + 1] - edges[high ? i - 1 : i];
    const std::int64_t d = length - grid.before - 1;
    if (d < 0 || d > 11 * grid.bit)
      return i;
    const std::uint64_t samples = static_cast<std::uint64_t>(d / grid.bit) + 1;
    const std::uint64_t bits = high ? samples - low : samples;
    const bool late = high && length - static_cast<std::int64_t>(samples) * grid.bit > grid.bit - grid.before;
    if (bits < 1 || bits > kLongest || late)
      return i;
    low = samples;
    sent[i] = bits;
    told[i] = bits - (sent[static_cast<std::ptrdiff_t>(i) - 1] == kLongest ? 1 : 0);
  }
  return most;
}

#else

std::size_t countRuns(const std::int64_t* edges, const GridNumbers& grid, std::size_t most, std::uint64_t* sent,
                      std::uint64_t* told)
{
  const hn::CappedTag<std::int64_t, 8> whole;
  const hn::RebindToUnsigned<decltype(whole)> bits;
  const hn::Repartition<std::uint32_t, decltype(whole)> halves;
  const std::size_t lanes = hn::Lanes(whole);
  // Of every second lane, in which the recessive runs are.
  const auto high = hn::Ne(hn::And(hn::Iota(whole, 0), hn::Set(whole, 1)), hn::Zero(whole));
  const auto first = hn::Set(whole, grid.before + 1);
  const auto furthest = hn::Set(whole, 11 * grid.bit);
  const auto perBit = hn::BitCast(halves, hn::Set(bits, grid.perBit));
  const auto bit = hn::BitCast(halves, hn::Set(bits, static_cast<std::uint64_t>(grid.bit)));
  const auto one = hn::Set(whole, 1);
  const auto lowOne = hn::IfThenZeroElse(high, one);
  const auto longest = hn::Set(whole, BitRunGrid::kLongest);
  // How late a fall may be, and no limit for a rise.
  const auto late = hn::IfThenElse(high, hn::Set(whole, 2 * (grid.bit - grid.before) - 1),
                                   hn::Set(whole, std::numeric_limits<std::int64_t>::max() / 2));
  std::size_t counted = most;
  for (std::size_t i = 0; i < most; i += lanes) {
    const auto begins = hn::LoadU(whole, edges + i);
    const auto ends = hn::LoadU(whole, edges + i + 1);
    const auto length = hn::Sub(hn::Sub(ends, hn::InterleaveLower(whole, begins, begins)), first);
    const auto places =
        hn::ShiftRightSame(hn::MulEven(hn::BitCast(halves, length), perBit), grid.shift);  // samples, less one
    const auto run =
        hn::Add(hn::Sub(hn::BitCast(whole, places), hn::BitCast(whole, hn::ShiftLeftLanes<1>(bits, places))), lowOne);
    hn::StoreU(hn::BitCast(bits, run), bits, sent + i);
    // What is below zero where the run asks for a closer look.
    const auto lateness = hn::Sub(length, hn::BitCast(whole, hn::MulEven(hn::BitCast(halves, places), bit)));
    const auto wrong =
        hn::Or(hn::Or(hn::Or(length, hn::Sub(furthest, length)), hn::Or(hn::Sub(run, one), hn::Sub(longest, run))),
               hn::Sub(late, lateness));
    const auto isWrong = hn::MaskFromVec(hn::BroadcastSignBit(wrong));
    if (const std::intptr_t at = hn::FindFirstTrue(whole, isWrong); at >= 0) {
      counted = i + static_cast<std::size_t>(at);
      break;
    }
  }
  if (counted > most)
    counted = most;
  const auto full = hn::Set(bits, kLongest);
  for (std::size_t i = 0; i < counted; i += lanes) {
    const auto before = hn::LoadU(bits, sent + i - 1);
    const auto run = hn::LoadU(bits, sent + i);
    hn::StoreU(hn::Add(run, hn::VecFromMask(bits, hn::Eq(before, full))), bits, told + i);
  }
  return counted;
}

#endif

}  // namespace HWY_NAMESPACE
}  // namespace bexto
HWY_AFTER_NAMESPACE();

#if HWY_ONCE

namespace bexto {

HWY_EXPORT(countRuns);

BitRunGrid::BitRunGrid(std::int64_t bit, std::int64_t before) : m_bit(bit), m_before(before)
{
  // With 2^shift / bit < perBit <= 2^shift / bit + 1 the division is exact for d as long as d * bit < 2^shift.
  constexpr std::int64_t kMostBit = std::int64_t{1} << 24U;
  if (bit < 2 || bit >= kMostBit || before <= 0 || before >= bit)
    return;
  m_shift = 30 + static_cast<int>(std::bit_width(static_cast<std::uint64_t>(bit)));
  m_perBit = static_cast<std::uint32_t>((std::uint64_t{1} << static_cast<unsigned>(m_shift)) /
                                        static_cast<std::uint64_t>(bit)) +
             1;
}

std::size_t BitRunGrid::count(const std::int64_t* edges, BitRuns& runs, std::size_t from) const
{
  const GridNumbers numbers{m_bit, m_before, m_perBit, m_shift};
  if (from >= BitRuns::kMost)
    return 0;
  return HWY_DYNAMIC_DISPATCH(countRuns)(edges, numbers, BitRuns::kMost - from, runs.sent() + from, runs.told() + from);
}

}  // namespace bexto

#endif
