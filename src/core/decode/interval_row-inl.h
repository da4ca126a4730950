// How rows of intervals come into vectors. Included by the sources that are compiled once for each kind of processor,
// and each time anew.

#if defined(BEXTO_INTERVAL_ROW_INL) == defined(HWY_TARGET_TOGGLE)
#ifdef BEXTO_INTERVAL_ROW_INL
#undef BEXTO_INTERVAL_ROW_INL
#else
#define BEXTO_INTERVAL_ROW_INL
#endif

#include <hwy/highway.h>

#include <type_traits>

#include "core/decode/interval_row.h"

HWY_BEFORE_NAMESPACE();
namespace bexto {
namespace HWY_NAMESPACE {

namespace hn = hwy::HWY_NAMESPACE;

using Whole = hn::CappedTag<std::int64_t, 8>;

/// How the times of a row lie in memory.
enum class Lie { Dense, Woven, Strewn };

/// Woven: begins and ends in turn, which come in one load.
HWY_INLINE Lie lieOf(const IntervalRow& row)
{
  return row.stride == 1 ? Lie::Dense : row.stride == 2 && row.ends == row.begins + 1 ? Lie::Woven : Lie::Strewn;
}

struct Intervals {
  hn::Vec<Whole> begins;
  hn::Vec<Whole> ends;
};

/// Those from `at` on, one a lane. Strewn ones have a stride of 2.
template <Lie kLie>
HWY_INLINE Intervals intervals(const IntervalRow& row, std::size_t at)
{
  const Whole whole;
  Intervals some;
  if constexpr (kLie == Lie::Dense) {
    some.begins = hn::LoadU(whole, row.begins + at);
    some.ends = hn::LoadU(whole, row.ends + at);
  } else if constexpr (kLie == Lie::Woven) {
    hn::LoadInterleaved2(whole, row.begins + 2 * at, some.begins, some.ends);
  } else {
    hn::Vec<Whole> between;
    hn::LoadInterleaved2(whole, row.begins + 2 * at, some.begins, between);
    hn::LoadInterleaved2(whole, row.ends + 2 * at, some.ends, between);
  }
  return some;
}

/// Calls `use` with how the row lies as a constant.
template <class Use>
HWY_INLINE auto asItLies(const IntervalRow& row, const Use& use)
{
  switch (lieOf(row)) {
    case Lie::Dense:
      return use(std::integral_constant<Lie, Lie::Dense>());
    case Lie::Woven:
      return use(std::integral_constant<Lie, Lie::Woven>());
    case Lie::Strewn:
      break;
  }
  return use(std::integral_constant<Lie, Lie::Strewn>());
}

}  // namespace HWY_NAMESPACE
}  // namespace bexto
HWY_AFTER_NAMESPACE();

#endif
