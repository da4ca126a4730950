// All edges that a character may have are looked at at once, because where they end nobody can predict; those that come
// too late count as lying on their place.
//
// This file is compiled once for each kind of processor: foreach_target.h includes it again and again.
//
// Tested by tests/core/edge_rows_test.cpp.
#include "core/decode/edge_grid.h"

#include <cmath>

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "core/decode/edge_grid.cpp"
#include <hwy/foreach_target.h>
// Behind foreach_target.h, which decides what it is to mean.
#include <hwy/highway.h>

HWY_BEFORE_NAMESPACE();
namespace bexto {
namespace HWY_NAMESPACE {

namespace hn = hwy::HWY_NAMESPACE;

GridFit fit(const std::int64_t* edges, std::int64_t start, std::int64_t next, double bitsPerPicosecond)
{
  const hn::CappedTag<std::int64_t, 8> whole;
  const hn::Repartition<double, decltype(whole)> real;
  const std::size_t lanes = hn::Lanes(whole);
  const auto from = hn::Set(whole, start);
  const auto end = hn::Set(whole, next);
  const auto rate = hn::Set(real, bitsPerPicosecond);
  GridFit of;
  for (std::size_t i = 0; i < kMostGridEdges; i += lanes) {
    const auto time = hn::LoadU(whole, edges + i);
    const auto counts = hn::Lt(time, end);
    const auto bits = hn::Mul(hn::ConvertTo(real, hn::IfThenElseZero(counts, hn::Sub(time, from))), rate);
    const auto off = hn::Abs(hn::Sub(bits, hn::Round(bits)));
    const double furthest = hn::GetLane(hn::MaxOfLanes(real, off));
    if (furthest > of.furthest) {
      of.furthest = furthest;
      of.furthestEdge = i + static_cast<std::size_t>(hn::FindFirstTrue(real, hn::Eq(off, hn::Set(real, furthest))));
    }
    const std::size_t count = hn::CountTrue(whole, counts);
    of.count += count;
    if (count < lanes)
      break;
  }
  if (of.count > 0)
    of.lastBit = std::lrint(static_cast<double>(edges[of.count - 1] - start) * bitsPerPicosecond);
  return of;
}

}  // namespace HWY_NAMESPACE
}  // namespace bexto
HWY_AFTER_NAMESPACE();

#if HWY_ONCE

namespace bexto {

HWY_EXPORT(fit);

GridFit fitToGrid(const std::int64_t* edges, std::int64_t start, std::int64_t next, double bitsPerPicosecond)
{
  return HWY_DYNAMIC_DISPATCH(fit)(edges, start, next, bitsPerPicosecond);
}

}  // namespace bexto

#endif
