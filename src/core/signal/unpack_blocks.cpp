// A row of deltas is a prefix sum. Within a vector it takes a logarithm of shifted additions; from vector to vector
// only the last sum is carried on, so the additions of one vector overlap with those of the next.
//
// What moves lanes is scarce in a processor (one such step a cycle), so two-byte deltas are summed in pairs, and the
// first of a pair is had from the second by taking that away again:
//
//     deltas          d0 d1      d2 d3      d4 d5          d6 d7
//     pairs             p0         p1         p2             p3            p0 = d0+d1 …
//     + one lane        p0       p0+p1      p1+p2          p2+p3
//     + two lanes       p0       p0+p1   p0+p1+p2    p0+p1+p2+p3           and four more where a vector has eight
//     times         p0-d1 p0  …
//
// Sums of 64 two-byte deltas fit 32 bits, so they are made in those, and widened only when they become times: first +
// sum * unit, with the 32 x 32 bit product that all processors have. That product takes every other lane, which is why
// even and odd pairs part there and are woven together again as they are stored.
//
// A unit of more than 32 bits (a file whose tick is 10 ms and more) goes the plain way. The few deltas that did not fit
// their row are added to all that is behind them at the end; but where there is one in a narrow row, which pauses of
// real traffic make of every other, that one is added on the way: the steps behind it begin with it, and what is behind
// it in its own step is picked out by masks.
//
// This file is compiled once for each kind of processor: foreach_target.h includes it again and again.
//
// Tested by tests/core/edge_track_test.cpp.
#include "core/signal/unpack_blocks.h"

#include <cstring>
#include <limits>

// Vectors stand in arrays here, which those without a fixed size cannot.
#define HWY_DISABLED_TARGETS (HWY_SVE | HWY_SVE2 | HWY_SVE_256 | HWY_SVE2_128)
#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "core/signal/unpack_blocks.cpp"
#include <hwy/foreach_target.h>
// Behind foreach_target.h, which decides what it is to mean.
#include <hwy/highway.h>

HWY_BEFORE_NAMESPACE();
namespace bexto {
namespace HWY_NAMESPACE {

#if HWY_TARGET != HWY_SCALAR

namespace hn = hwy::HWY_NAMESPACE;

using Sums = hn::CappedTag<std::uint32_t, 8>;        ///< four or eight lanes
using Times = hn::Repartition<std::uint64_t, Sums>;  ///< half as many
using HalfSums = hn::Half<Sums>;
using HalfTimes = hn::Half<Times>;

constexpr std::size_t kLanes = hn::MaxLanes(Sums());
constexpr bool kTwoBlocks = kLanes > 4;  ///< of 128 bits, within which lanes are shifted

/// The last lane of the vector in all lanes.
template <class D, class V>
HWY_INLINE V lastOf(D d, V sums)
{
  const V last = hn::Broadcast<16 / static_cast<int>(sizeof(hn::TFromD<D>)) - 1>(sums);
  if constexpr (kTwoBlocks)
    return hn::ConcatUpperUpper(d, last, last);
  else
    return last;
}

/// What the lower block sums up to, added to the upper one.
template <class D, class V>
HWY_INLINE V joinBlocks(D d, V sums)
{
  if constexpr (kTwoBlocks) {
    const V last = hn::Broadcast<16 / static_cast<int>(sizeof(hn::TFromD<D>)) - 1>(sums);
    return hn::Add(sums, hn::ConcatLowerLower(d, last, hn::Zero(d)));
  } else {
    return sums;
  }
}

/// The block of 128 bits whose number is `kBlock`, for blocks that are two lanes of a vector of times.
template <int kBlock, class V>
HWY_INLINE void storeBlock(V times, std::uint64_t* out)
{
  constexpr hn::Full128<std::uint64_t> kTwo;
  if constexpr (!kTwoBlocks)
    hn::StoreU(times, kTwo, out);
  else if constexpr (kBlock == 0)
    hn::StoreU(hn::LowerHalf(HalfTimes(), times), kTwo, out);
  else
    hn::StoreU(hn::UpperHalf(HalfTimes(), times), kTwo, out);
}

/// start + sum * unit of every other lane: of the even ones, or of the odd ones.
HWY_INLINE hn::Vec<Times> evenTimes(hn::Vec<Sums> sums, hn::Vec<Sums> unit, hn::Vec<Times> start)
{
  return hn::Add(start, hn::MulEven(sums, unit));
}
HWY_INLINE hn::Vec<Times> oddTimes(hn::Vec<Sums> sums, hn::Vec<Sums> unit, hn::Vec<Times> start)
{
  return evenTimes(hn::BitCast(Sums(), hn::ShiftRight<32>(hn::BitCast(Times(), sums))), unit, start);
}

constexpr std::size_t kNarrowStep = 2 * kLanes;  ///< times that one step of a narrow row makes

/// Read from kNarrowStep - n on: n times no, then yes.
struct FromOn {
  std::uint64_t masks[2 * kNarrowStep] = {};
  constexpr FromOn()
  {
    for (std::size_t i = kNarrowStep; i < 2 * kNarrowStep; ++i)
      masks[i] = ~std::uint64_t{0};
  }
};
alignas(64) constexpr FromOn kFromOn;

/// Adds what a pause lasts to the times of `index`'s step that are not before it.
HWY_INLINE void moveRestOfStep(std::size_t index, std::uint64_t by, std::uint64_t* out)
{
  const Times times;
  const std::size_t before = index % kNarrowStep;
  const auto all = hn::Set(times, by);
  const std::uint64_t* const masks = kFromOn.masks + kNarrowStep - before;
  std::uint64_t* const step = out + (index - before);
  for (std::size_t i = 0; i < kNarrowStep; i += kLanes / 2)
    hn::StoreU(hn::Add(hn::LoadU(times, step + i), hn::And(hn::LoadU(times, masks + i), all)), times, step + i);
}

/// A row of two-byte deltas, the first of which is 0. With `kPause`, one lasts `pause` more: that of the time
/// `pauseIndex`.
template <bool kPause>
HWY_INLINE void unpackNarrow(const std::uint8_t* row, std::uint32_t unit, std::int64_t first, std::size_t pauseIndex,
                             std::uint64_t pause, std::uint64_t* out)
{
  const Sums sums;
  const Times times;
  const auto begin = static_cast<std::uint64_t>(first);
  const auto factor = hn::Set(sums, unit);
  const auto low = hn::Set(sums, 0xffffU);
  // Two loops: what one step waits for in the first is done while others go on, which they could not if each step also
  // waited for its times.
  constexpr std::size_t kSteps = kBlockEdges / kNarrowStep;
  hn::Vec<Sums> secondsOf[kSteps];
  hn::Vec<Sums> pairsOf[kSteps];
#pragma GCC unroll 8
  for (std::size_t s = 0; s < kSteps; ++s) {
    const auto deltas =
        hn::LoadU(sums, reinterpret_cast<const std::uint32_t*>(row + s * kNarrowStep * sizeof(std::uint16_t)));
    secondsOf[s] = hn::ShiftRight<16>(deltas);
    auto pairs = hn::Add(hn::And(deltas, low), secondsOf[s]);
    pairs = hn::Add(pairs, hn::ShiftLeftLanes<1>(sums, pairs));
    pairs = hn::Add(pairs, hn::ShiftLeftLanes<2>(sums, pairs));
    pairsOf[s] = joinBlocks(sums, pairs);
  }
  auto carry = hn::Zero(sums);
#pragma GCC unroll 8
  for (std::size_t s = 0; s < kSteps; ++s) {
    const std::size_t i = s * kNarrowStep;
    const auto start = hn::Set(times, begin + (kPause && i > pauseIndex ? pause : 0));
    const auto behind = hn::Add(pairsOf[s], carry);
    const auto between = hn::Sub(behind, secondsOf[s]);
    carry = hn::Add(carry, lastOf(sums, pairsOf[s]));
    const auto even0 = evenTimes(between, factor, start);
    const auto even1 = evenTimes(behind, factor, start);
    const auto odd0 = oddTimes(between, factor, start);
    const auto odd1 = oddTimes(behind, factor, start);
    // Each holds two times of the first block, and two of the second.
    const auto pair0 = hn::InterleaveLower(times, even0, even1);
    const auto pair1 = hn::InterleaveLower(times, odd0, odd1);
    const auto pair2 = hn::InterleaveUpper(times, even0, even1);
    const auto pair3 = hn::InterleaveUpper(times, odd0, odd1);
    std::uint64_t* const to = out + i;
    storeBlock<0>(pair0, to);
    storeBlock<0>(pair1, to + 2);
    storeBlock<0>(pair2, to + 4);
    storeBlock<0>(pair3, to + 6);
    if constexpr (kTwoBlocks) {
      storeBlock<1>(pair0, to + 8);
      storeBlock<1>(pair1, to + 10);
      storeBlock<1>(pair2, to + 12);
      storeBlock<1>(pair3, to + 14);
    }
  }
  if constexpr (kPause)
    moveRestOfStep(pauseIndex, pause, out);
}

/// Four-byte deltas sum up to more than 32 bits: the products first, then the sums, in 64.
HWY_INLINE void unpackWide(const std::uint8_t* row, std::uint32_t unit, std::int64_t first, std::uint64_t* out)
{
  constexpr std::size_t kStep = kLanes / 2;
  const Times times;
  const HalfSums words;
  const auto factor = hn::Set(Sums(), unit);
  auto carry = hn::Set(times, static_cast<std::uint64_t>(first));
  for (std::size_t i = 0; i < kBlockEdges; i += kStep) {
    const auto deltas = hn::LoadU(words, reinterpret_cast<const std::uint32_t*>(row + i * sizeof(std::uint32_t)));
    auto sums = hn::MulEven(hn::BitCast(Sums(), hn::PromoteTo(times, deltas)), factor);
    sums = hn::Add(sums, hn::ShiftLeftLanes<1>(times, sums));
    sums = joinBlocks(times, sums);
    hn::StoreU(hn::Add(sums, carry), times, out + i);
    carry = hn::Add(carry, lastOf(times, sums));
  }
}

/// Adds what a pause lasts to all times from `index` on. Goes through all: where a pause lies nobody can predict, and a
/// loop that began there would cost more than it saves.
HWY_INLINE void moveOn(std::uint64_t index, std::uint64_t by, std::uint64_t* out)
{
  constexpr std::size_t kStep = kLanes / 2;
  const Times times;
  const hn::RebindToSigned<Times> numbers;
  const auto all = hn::Set(times, by);
  const auto step = hn::Set(numbers, static_cast<std::int64_t>(kStep));
  // Below zero where a time is behind the pause: a comparison that all processors have.
  auto before = hn::Sub(hn::Set(numbers, static_cast<std::int64_t>(index) - 1), hn::Iota(numbers, 0));
  for (std::size_t i = 0; i < kBlockEdges; i += kStep, before = hn::Sub(before, step)) {
    const auto part = hn::And(hn::BitCast(times, hn::BroadcastSignBit(before)), all);
    hn::StoreU(hn::Add(hn::LoadU(times, out + i), part), times, out + i);
  }
}

#endif

void unpackWhole(const BlockLayout* layouts, const std::int64_t* firsts, std::size_t blocks, const std::uint8_t* bytes,
                 std::int64_t* out)
{
#if HWY_TARGET != HWY_SCALAR
  int power = 0;
  std::int64_t unit = 1;
#endif
  constexpr std::size_t kAhead = 2048;  // bytes: what a call usually asks for
  for (std::size_t b = 0; b < blocks; ++b, out += kBlockEdges) {
    const BlockLayout& layout = layouts[b];
    // Between one call and the next the processor has forgotten that it goes on here.
    __builtin_prefetch(bytes + layout.offset + kAhead);
    __builtin_prefetch(bytes + layout.offset + kAhead + 64);
#if HWY_TARGET != HWY_SCALAR
    if (layout.power != power) {
      power = layout.power;
      unit = tenToThe(power);
    }
    if (unit <= std::numeric_limits<std::uint32_t>::max()) {
      auto* const to = reinterpret_cast<std::uint64_t*>(out);
      const std::uint8_t* const row = bytes + layout.row();
      if (layout.width == 2 && layout.pauses == 0) {
        unpackNarrow<false>(row, static_cast<std::uint32_t>(unit), firsts[b], 0, 0, to);
        continue;
      }
      std::size_t i = 0;
      if (layout.width == 2) {
        const BlockPause pause = pauseOf(layout, bytes, i++);
        const auto by = static_cast<std::uint64_t>(pause.ticks * unit);
        unpackNarrow<true>(row, static_cast<std::uint32_t>(unit), firsts[b], pause.index, by, to);
      } else {
        unpackWide(row, static_cast<std::uint32_t>(unit), firsts[b], to);
      }
      for (; i < layout.pauses; ++i) {
        const BlockPause pause = pauseOf(layout, bytes, i);
        moveOn(pause.index, static_cast<std::uint64_t>(pause.ticks * unit), to);
      }
      continue;
    }
#endif
    unpackOneByOne(layout, bytes, firsts[b], kBlockEdges, out);
  }
}

}  // namespace HWY_NAMESPACE
}  // namespace bexto
HWY_AFTER_NAMESPACE();

#if HWY_ONCE

namespace bexto {

HWY_EXPORT(unpackWhole);

void unpackWholeBlocks(const BlockLayout* layouts, const std::int64_t* firsts, std::size_t blocks,
                       const std::uint8_t* bytes, std::int64_t* out)
{
  HWY_DYNAMIC_DISPATCH(unpackWhole)(layouts, firsts, blocks, bytes, out);
}

}  // namespace bexto

#endif
