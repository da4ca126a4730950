// A row of deltas is a prefix sum. Within a vector it takes a logarithm of shifted additions; from vector to vector
// only the last sum is carried on, so the additions of one vector overlap with those of the next.
//
//     deltas          d0      d1          d2             d3
//     + one lane      d0   d0+d1       d1+d2          d2+d3
//     + two lanes     d0   d0+d1    d0+d1+d2    d0+d1+d2+d3       and four lanes more where a vector has eight
//
// Sums of two-byte deltas fit 32 bits (64 of them), so they are made in those, and widened only when they become times:
// first + sum * unit, with the 32 x 32 bit product that all processors have. A unit of more than 32 bits (a file whose
// tick is 10 ms and more) goes the plain way.
//
// Where a block has escapes (a pause), the vectors go up to the next one, and it is taken alone. The end of a row that
// has no escapes is done by a last vector that overlaps the one before: it begins with a time that is already known.
//
// This file is compiled once for each kind of processor: foreach_target.h includes it again and again.
//
// Tested by tests/core/edge_track_test.cpp.
#include "core/signal/unpack_deltas.h"

#include <cstring>
#include <limits>

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "core/signal/unpack_deltas.cpp"
#include <hwy/foreach_target.h>
// Behind foreach_target.h, which decides what it is to mean.
#include <hwy/highway.h>

HWY_BEFORE_NAMESPACE();
namespace bexto {
namespace HWY_NAMESPACE {

namespace hn = hwy::HWY_NAMESPACE;

#if HWY_TARGET != HWY_SCALAR

using Sums = hn::CappedTag<std::uint32_t, 8>;        ///< four or eight lanes
using Words = hn::Rebind<std::uint16_t, Sums>;       ///< as many
using Times = hn::Repartition<std::uint64_t, Sums>;  ///< half as many
using HalfSums = hn::Half<Sums>;

constexpr std::size_t kLanes = hn::MaxLanes(Sums());
constexpr bool kTwoBlocks = kLanes > 4;  ///< of 128 bits, within which lanes are shifted

/// The last lane of the vector in all lanes.
template <class D, class V>
HWY_INLINE V lastOf(D d, V sums)
{
  constexpr int kLast = 16 / static_cast<int>(sizeof(hn::TFromD<D>)) - 1;
  const V last = hn::Broadcast<kLast>(sums);
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
    constexpr int kLast = 16 / static_cast<int>(sizeof(hn::TFromD<D>)) - 1;
    const V other = hn::SwapAdjacentBlocks(hn::Broadcast<kLast>(sums));
    return hn::Add(sums, hn::OddEvenBlocks(other, hn::Zero(d)));
  } else {
    return sums;
  }
}

/// Writes times from sums: first + sum * unit.
template <class V>
HWY_INLINE void store(V sums, hn::Vec<Times> first, hn::Vec<Sums> unit, std::int64_t* out)
{
  const Times times;
  const Sums d;
  auto* const to = reinterpret_cast<std::uint64_t*>(out);
  const auto low = hn::PromoteTo(times, hn::LowerHalf(HalfSums(), sums));
  const auto high = hn::PromoteTo(times, hn::UpperHalf(HalfSums(), sums));
  hn::StoreU(hn::Add(first, hn::MulEven(hn::BitCast(d, low), unit)), times, to);
  hn::StoreU(hn::Add(first, hn::MulEven(hn::BitCast(d, high), unit)), times, to + kLanes / 2);
}

/// Goes along one row of two-byte deltas.
class NarrowRow {
 public:
  HWY_INLINE NarrowRow(const std::uint8_t* from, std::int64_t unit) : m_from(from), m_unit(unit) {}

  /// As many whole vectors of `left` deltas as there are before one with an escape. out[0] is the time before.
  template <bool kEscapes>
  HWY_INLINE std::size_t vectors(std::size_t left, std::int64_t* out)
  {
    const Sums d;
    const Words words;
    const auto first = hn::Set(Times(), static_cast<std::uint64_t>(*out));
    const auto unit = hn::Set(d, static_cast<std::uint32_t>(m_unit));
    const auto escape = hn::Set(words, std::numeric_limits<std::uint16_t>::max());
    auto carry = hn::Zero(d);
    std::size_t done = 0;
    for (; done + kLanes <= left; done += kLanes) {
      const auto deltas = hn::LoadU(words, reinterpret_cast<const std::uint16_t*>(m_from));
      if constexpr (kEscapes) {
        if (!hn::AllFalse(words, hn::Eq(deltas, escape)))
          break;
      }
      auto sums = hn::PromoteTo(d, deltas);
      sums = hn::Add(sums, hn::ShiftLeftLanes<1>(d, sums));
      sums = hn::Add(sums, hn::ShiftLeftLanes<2>(d, sums));
      sums = joinBlocks(d, sums);
      store(hn::Add(sums, carry), first, unit, out + 1 + done);
      carry = hn::Add(carry, lastOf(d, sums));
      m_from += kLanes * sizeof(std::uint16_t);
    }
    return done;
  }

  const std::uint8_t* m_from;
  std::int64_t m_unit;
};

void unpackPlain(const std::uint8_t* from, std::int64_t unit, std::int64_t first, std::size_t count, std::int64_t* out)
{
  const std::size_t deltas = count - 1;
  if (unit > std::numeric_limits<std::uint32_t>::max() || deltas < kLanes)
    return unpackDeltasOneByOne<std::uint16_t>(from, unit, first, count, out);
  out[0] = first;
  const std::size_t done = NarrowRow(from, unit).vectors<false>(deltas, out);
  const std::size_t last = deltas - kLanes;
  if (done < deltas)
    NarrowRow(from + last * sizeof(std::uint16_t), unit).vectors<false>(kLanes, out + last);
}

void unpackNarrow(const std::uint8_t* from, std::int64_t unit, std::int64_t first, std::size_t count, std::int64_t* out)
{
  if (unit > std::numeric_limits<std::uint32_t>::max())
    return unpackDeltasOneByOne<std::uint16_t>(from, unit, first, count, out);
  const std::size_t deltas = count - 1;
  out[0] = first;
  NarrowRow row(from, unit);
  std::size_t i = 0;
  while (i < deltas) {
    i += row.vectors<true>(deltas - i, out + i);
    // Up to and with the next escape, or to the end.
    for (bool escaped = false; i < deltas && !escaped; ++i) {
      std::uint16_t word;
      std::memcpy(&word, row.m_from, sizeof(word));
      row.m_from += sizeof(word);
      std::int64_t delta = word;
      escaped = word == std::numeric_limits<std::uint16_t>::max();
      if (escaped) {
        std::memcpy(&delta, row.m_from, sizeof(delta));
        row.m_from += sizeof(delta);
      }
      out[i + 1] = out[i] + delta * unit;
    }
  }
}

/// Four-byte deltas sum up to more than 32 bits: the products first, then the sums, in 64.
void unpackWide(const std::uint8_t* from, std::int64_t unit, std::int64_t first, std::size_t count, std::int64_t* out)
{
  if (unit > std::numeric_limits<std::uint32_t>::max())
    return unpackDeltasOneByOne<std::uint32_t>(from, unit, first, count, out);
  constexpr std::size_t kStep = kLanes / 2;
  constexpr std::uint32_t kEscape = std::numeric_limits<std::uint32_t>::max();
  const Times times;
  const HalfSums words;
  const auto factor = hn::Set(Sums(), static_cast<std::uint32_t>(unit));
  const auto escape = hn::Set(words, kEscape);
  const std::size_t deltas = count - 1;
  out[0] = first;
  std::size_t i = 0;
  while (i < deltas) {
    auto carry = hn::Set(times, static_cast<std::uint64_t>(out[i]));
    for (; i + kStep <= deltas; i += kStep) {
      const auto row = hn::LoadU(words, reinterpret_cast<const std::uint32_t*>(from));
      if (!hn::AllFalse(words, hn::Eq(row, escape)))
        break;
      auto sums = hn::MulEven(hn::BitCast(Sums(), hn::PromoteTo(times, row)), factor);
      sums = hn::Add(sums, hn::ShiftLeftLanes<1>(times, sums));
      sums = joinBlocks(times, sums);
      hn::StoreU(hn::Add(sums, carry), times, reinterpret_cast<std::uint64_t*>(out + i + 1));
      carry = hn::Add(carry, lastOf(times, sums));
      from += kStep * sizeof(std::uint32_t);
    }
    for (bool escaped = false; i < deltas && !escaped; ++i) {
      std::uint32_t word;
      std::memcpy(&word, from, sizeof(word));
      from += sizeof(word);
      std::int64_t delta = word;
      escaped = word == kEscape;
      if (escaped) {
        std::memcpy(&delta, from, sizeof(delta));
        from += sizeof(delta);
      }
      out[i + 1] = out[i] + delta * unit;
    }
  }
}

#else

void unpackPlain(const std::uint8_t* from, std::int64_t unit, std::int64_t first, std::size_t count, std::int64_t* out)
{
  unpackDeltasOneByOne<std::uint16_t>(from, unit, first, count, out);
}
void unpackNarrow(const std::uint8_t* from, std::int64_t unit, std::int64_t first, std::size_t count, std::int64_t* out)
{
  unpackDeltasOneByOne<std::uint16_t>(from, unit, first, count, out);
}
void unpackWide(const std::uint8_t* from, std::int64_t unit, std::int64_t first, std::size_t count, std::int64_t* out)
{
  unpackDeltasOneByOne<std::uint32_t>(from, unit, first, count, out);
}

#endif

}  // namespace HWY_NAMESPACE
}  // namespace bexto
HWY_AFTER_NAMESPACE();

#if HWY_ONCE

namespace bexto {

HWY_EXPORT(unpackPlain);
HWY_EXPORT(unpackNarrow);
HWY_EXPORT(unpackWide);

void unpackPlainDeltas(const std::uint8_t* from, std::int64_t unit, std::int64_t first, std::size_t count,
                       std::int64_t* out)
{
  HWY_DYNAMIC_DISPATCH(unpackPlain)(from, unit, first, count, out);
}

void unpackNarrowDeltas(const std::uint8_t* from, std::int64_t unit, std::int64_t first, std::size_t count,
                        std::int64_t* out)
{
  HWY_DYNAMIC_DISPATCH(unpackNarrow)(from, unit, first, count, out);
}

void unpackWideDeltas(const std::uint8_t* from, std::int64_t unit, std::int64_t first, std::size_t count,
                      std::int64_t* out)
{
  HWY_DYNAMIC_DISPATCH(unpackWide)(from, unit, first, count, out);
}

}  // namespace bexto

#endif
