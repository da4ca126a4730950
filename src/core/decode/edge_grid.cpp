// All edges that a character may have are looked at at once, because where they end nobody can predict; those that come
// too late count as lying on their place.
//
// This file is compiled once for each kind of processor: foreach_target.h includes it again and again.
//
// Tested by tests/core/edge_rows_test.cpp.
#include "core/decode/edge_grid.h"

#include <array>

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "core/decode/edge_grid.cpp"
#include <hwy/foreach_target.h>
// Behind foreach_target.h, which decides what it is to mean.
#include <hwy/highway.h>

HWY_BEFORE_NAMESPACE();
namespace bexto {
namespace HWY_NAMESPACE {

namespace hn = hwy::HWY_NAMESPACE;

std::size_t fit(const std::int64_t*& edges, const std::int64_t* starts, std::size_t count, const Grid& grid,
                const GridFits& fits)
{
  constexpr double kNear = 0.25;
  const hn::CappedTag<std::int64_t, 8> whole;
  const hn::Repartition<double, decltype(whole)> real;
  const std::size_t lanes = hn::Lanes(whole);
  const auto rate = hn::Set(real, grid.bitsPerPicosecond);
  // The bits that its edges begin, the start edge the first.
  std::array<double, kMostGridEdges + 1> bits;
  bits[0] = 0.0;
  const auto stop = static_cast<double>(grid.stop);
  for (std::size_t c = 0; c < count; ++c) {
    const auto from = hn::Set(whole, starts[c]);
    const auto end = hn::Set(whole, starts[c + 1]);
    auto furthest = hn::Zero(real);
    std::size_t size = 0;
    for (std::size_t i = 0; i < kMostGridEdges; i += lanes) {
      const auto time = hn::LoadU(whole, edges + i);
      const auto counts = hn::Lt(time, end);
      const auto place = hn::Mul(hn::ConvertTo(real, hn::IfThenElseZero(counts, hn::Sub(time, from))), rate);
      const auto bit = hn::Round(place);
      hn::StoreU(bit, real, bits.data() + 1 + i);
      furthest = hn::Max(furthest, hn::Abs(hn::Sub(place, bit)));
      const std::size_t some = hn::CountTrue(whole, counts);
      size += some;
      if (some < lanes)
        break;
    }
    const double off = hn::GetLane(hn::MaxOfLanes(real, furthest));
    const double lastBit = bits[size];
    // All in one, because where a character ends nobody can predict.
    const bool isLow = (size % 2 != 0) & (bits[size - (size > 0 ? 1 : 0)] < stop);
    const bool isInTime = (lastBit < stop) | ((lastBit == stop) & isLow);
    const bool isWhole = (size > 0) & (size < kMostGridEdges) & (edges[size] == starts[c + 1]);
    if (!(isInTime & isWhole & (off < kNear)))
      return c;
    fits.furthest[c] = off;
    fits.last[c] = edges[size - 1];
    fits.lastBit[c] = static_cast<std::int64_t>(lastBit);
    fits.at[c] = edges;
    fits.count[c] = static_cast<std::int64_t>(size);
    edges += size + 1;
  }
  return count;
}

}  // namespace HWY_NAMESPACE
}  // namespace bexto
HWY_AFTER_NAMESPACE();

#if HWY_ONCE

namespace bexto {

HWY_EXPORT(fit);

std::size_t fitToGrid(const std::int64_t*& edges, const std::int64_t* starts, std::size_t count, const Grid& grid,
                      const GridFits& fits)
{
  return HWY_DYNAMIC_DISPATCH(fit)(edges, starts, count, grid, fits);
}

}  // namespace bexto

#endif
