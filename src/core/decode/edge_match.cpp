// For each interval, the number of edges up to its end is counted, all intervals in a vector at once: the difference to
// the interval before says whether there is one, and the number which.
//
// This file is compiled once for each kind of processor: foreach_target.h includes it again and again.
//
// Tested by tests/core/edge_rows_test.cpp.
#include "core/decode/edge_match.h"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "core/decode/edge_match.cpp"
#include <hwy/foreach_target.h>
// Behind foreach_target.h, which decides what it is to mean.
#include <hwy/highway.h>

#include "core/decode/interval_row-inl.h"

HWY_BEFORE_NAMESPACE();
namespace bexto {
namespace HWY_NAMESPACE {

/// What has been found so far of a row: intervals looked at, edges found. Fails: not each has one edge or none.
struct Progress {
  std::size_t intervals = 0;
  std::size_t found = 0;
  bool fails = false;
};

template <IntervalEnd kEnd>
void matchOneByOne(const IntervalRow& row, const std::int64_t* edges, const EdgeMatches& out, Progress& at)
{
  const auto isBehind = [](std::int64_t edge, std::int64_t end) {
    return kEnd == IntervalEnd::Within ? edge > end : edge >= end;
  };
  for (; at.intervals < row.count; ++at.intervals) {
    const std::int64_t begin = row.begin(at.intervals);
    const std::int64_t end = begin + row.length(at.intervals);
    const std::int64_t edge = edges[at.found];
    if (isBehind(edge, end))
      continue;
    if (edge < begin || !isBehind(edges[at.found + 1], end)) {
      at.fails = true;
      return;
    }
    out.begins[at.found] = begin;
    out.edges[at.found] = edge;
    out.ends[at.found] = end;
    ++at.found;
  }
}

#if HWY_TARGET != HWY_SCALAR

template <IntervalEnd kEnd, Lie kLie>
void matchVectors(const IntervalRow& row, const std::int64_t* edges, const EdgeMatches& out, Progress& at)
{
  constexpr Whole kWhole;
  constexpr std::size_t kLanes = hn::MaxLanes(kWhole);
  const auto last = hn::Set(kWhole, static_cast<std::int64_t>(kLanes) - 1);
  const auto one = hn::Set(kWhole, 1);
  const auto firstLane = hn::FirstN(kWhole, 1);
  // Each lane gets what the one before it has.
  const auto before = hn::IndicesFromVec(kWhole, hn::Max(hn::Sub(hn::Iota(kWhole, 0), one), hn::Zero(kWhole)));
  for (; at.intervals + kLanes <= row.count; at.intervals += kLanes) {
    const Intervals some = intervals<kLie>(row, at.intervals);
    auto upToEnd = hn::Zero(kWhole);
    for (std::size_t e = 0; e < kLanes; ++e) {
      const auto time = hn::Set(kWhole, edges[at.found + e]);
      if constexpr (kEnd == IntervalEnd::Within)
        upToEnd = hn::IfThenElse(hn::Gt(time, some.ends), upToEnd, hn::Add(upToEnd, one));
      else
        upToEnd = hn::IfThenElse(hn::Lt(time, some.ends), hn::Add(upToEnd, one), upToEnd);
    }
    const auto number = hn::IfThenZeroElse(firstLane, hn::TableLookupLanes(upToEnd, before));
    const auto count = hn::Sub(upToEnd, number);
    const auto edge =
        hn::TableLookupLanes(hn::LoadU(kWhole, edges + at.found), hn::IndicesFromVec(kWhole, hn::Min(number, last)));
    const auto has = hn::Gt(count, hn::Zero(kWhole));
    const auto isOdd = hn::Or(hn::Gt(count, one), hn::And(has, hn::Lt(edge, some.begins)));
    at.fails = !hn::AllFalse(kWhole, isOdd);
    if (at.fails) [[unlikely]]
      return;
    hn::CompressStore(some.begins, has, kWhole, out.begins + at.found);
    hn::CompressStore(edge, has, kWhole, out.edges + at.found);
    at.found += hn::CompressStore(some.ends, has, kWhole, out.ends + at.found);
  }
}

#endif

template <IntervalEnd kEnd>
std::ptrdiff_t matchAs(const IntervalRow& row, const std::int64_t* edges, const EdgeMatches& out)
{
  Progress at;
#if HWY_TARGET != HWY_SCALAR
  if (row.stride <= 2)
    asItLies(row, [&](auto lie) { matchVectors<kEnd, lie.value>(row, edges, out, at); });
#endif
  if (!at.fails)
    matchOneByOne<kEnd>(row, edges, out, at);
  // A vector looks at as many edges as it has intervals: one more in the last is seen here.
  if (!at.fails && row.count > 0) {
    const std::int64_t end = row.begin(row.count - 1) + row.length(row.count - 1);
    at.fails = kEnd == IntervalEnd::Within ? edges[at.found] <= end : edges[at.found] < end;
  }
  return at.fails ? -1 : static_cast<std::ptrdiff_t>(at.found);
}

std::ptrdiff_t match(const IntervalRow& row, const std::int64_t* edges, const EdgeMatches& out, IntervalEnd end)
{
  return end == IntervalEnd::Within ? matchAs<IntervalEnd::Within>(row, edges, out)
                                    : matchAs<IntervalEnd::Behind>(row, edges, out);
}

}  // namespace HWY_NAMESPACE
}  // namespace bexto
HWY_AFTER_NAMESPACE();

#if HWY_ONCE

namespace bexto {

HWY_EXPORT(match);

std::ptrdiff_t matchEdges(const IntervalRow& row, const std::int64_t* edges, const EdgeMatches& out, IntervalEnd end)
{
  return HWY_DYNAMIC_DISPATCH(match)(row, edges, out, end);
}

}  // namespace bexto

#endif
