// Rows are summed up a vector at a time. What is left at the end of a row is done with a vector that overlaps the one
// before it, of which the lanes that were summed already count as nothing.
//
// This file is compiled once for each kind of processor: foreach_target.h includes it again and again.
//
// Tested by tests/core/edge_rows_test.cpp.
#include "core/decode/row_sums.h"

#include <algorithm>
#include <limits>
#include <type_traits>

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "core/decode/row_sums.cpp"
#include <hwy/foreach_target.h>
// Behind foreach_target.h, which decides what it is to mean.
#include <hwy/highway.h>

#include "core/decode/interval_row-inl.h"

HWY_BEFORE_NAMESPACE();
namespace bexto {
namespace HWY_NAMESPACE {

using Real = hn::Repartition<double, Whole>;

template <Lie kLie>
HWY_INLINE hn::Vec<Whole> lengths(const IntervalRow& row, std::size_t at)
{
  const Intervals some = intervals<kLie>(row, at);
  return hn::Sub(some.ends, some.begins);
}

bool isShorterThanAVector(const IntervalRow& row)
{
  return row.count < hn::Lanes(Whole()) || row.stride > 2;
}

template <Lie kLie>
RowEnds endsOfVectors(const IntervalRow& row)
{
  const Whole whole;
  const std::size_t lanes = hn::Lanes(whole);
  auto least = lengths<kLie>(row, row.count - lanes);
  auto most = least;
  for (std::size_t i = 0; i + lanes <= row.count; i += lanes) {
    const auto some = lengths<kLie>(row, i);
    least = hn::Min(least, some);
    most = hn::Max(most, some);
  }
  return {hn::GetLane(hn::MinOfLanes(whole, least)), hn::GetLane(hn::MaxOfLanes(whole, most))};
}

RowEnds ends(const IntervalRow& row)
{
  if (!isShorterThanAVector(row))
    return asItLies(row, [&](auto lie) { return endsOfVectors<lie.value>(row); });
  if (row.count == 0)
    return {};
  RowEnds of{row.length(0), row.length(0)};
  for (std::size_t i = 1; i < row.count; ++i) {
    of.least = std::min(of.least, row.length(i));
    of.most = std::max(of.most, row.length(i));
  }
  return of;
}

template <Lie kLie>
std::size_t keepVectors(const IntervalRow& row, std::int64_t most, std::int64_t* begins, std::int64_t* ends,
                        std::size_t& kept)
{
  const Whole whole;
  const std::size_t lanes = hn::Lanes(whole);
  const auto longest = hn::Set(whole, most);
  std::size_t i = 0;
  for (; i + lanes <= row.count; i += lanes) {
    const Intervals some = intervals<kLie>(row, i);
    const auto isLong = hn::Gt(hn::Sub(some.ends, some.begins), longest);
    if (hn::AllFalse(whole, isLong)) [[likely]] {
      hn::StoreU(some.begins, whole, begins + kept);
      hn::StoreU(some.ends, whole, ends + kept);
      kept += lanes;
      continue;
    }
    const auto isShort = hn::Not(isLong);
    hn::CompressStore(some.begins, isShort, whole, begins + kept);
    kept += hn::CompressStore(some.ends, isShort, whole, ends + kept);
  }
  return i;
}

std::size_t keep(const IntervalRow& row, std::int64_t most, std::int64_t* begins, std::int64_t* ends)
{
  std::size_t kept = 0;
  std::size_t i = 0;
  if (!isShorterThanAVector(row))
    i = asItLies(row, [&](auto lie) { return keepVectors<lie.value>(row, most, begins, ends, kept); });
  for (; i < row.count; ++i) {
    begins[kept] = row.begin(i);
    ends[kept] = row.begin(i) + row.length(i);
    kept += row.length(i) <= most ? 1 : 0;
  }
  return kept;
}

/// For rows that are shorter than a vector, or strewn.
RowSums sumOneByOne(const IntervalRow& row, double dividend, double origin, double* putDown)
{
  RowSums sums{row.length(0), row.length(0), 0.0, 0.0};
  for (std::size_t i = 0; i < row.count; ++i) {
    const std::int64_t length = row.length(i);
    sums.least = std::min(sums.least, length);
    sums.most = std::max(sums.most, length);
    const auto value = static_cast<double>(length);
    putDown[i] = dividend != 0.0 ? dividend / value : value;
    const double by = putDown[i] - origin;
    sums.sum += by;
    sums.squares += by * by;
  }
  return sums;
}

template <Lie kLie, bool kDivides>
RowSums sum(const IntervalRow& row, double dividend, double origin, double* putDown)
{
  const Whole whole;
  const Real real;
  const std::size_t lanes = hn::Lanes(real);
  const auto from = hn::Set(real, origin);
  const auto over = hn::Set(real, dividend);
  auto least = lengths<kLie>(row, row.count - lanes);
  auto most = least;
  auto sum = hn::Zero(real);
  auto squares = hn::Zero(real);
  // Lanes that are skipped were summed up already.
  const auto take = [&](std::size_t at, auto skipped) HWY_ATTR {
    const auto length = lengths<kLie>(row, at);
    least = hn::Min(least, length);
    most = hn::Max(most, length);
    auto value = hn::ConvertTo(real, length);
    if constexpr (kDivides)
      value = hn::Div(over, value);
    hn::StoreU(value, real, putDown + at);
    const auto by = hn::IfThenZeroElse(skipped, hn::Sub(value, from));
    sum = hn::Add(sum, by);
    squares = hn::MulAdd(by, by, squares);
  };
  const auto none = hn::FirstN(real, 0);
  std::size_t i = 0;
  for (; i + lanes <= row.count; i += lanes)
    take(i, none);
  if (i < row.count)
    take(row.count - lanes, hn::FirstN(real, i + lanes - row.count));
  return {hn::GetLane(hn::MinOfLanes(whole, least)), hn::GetLane(hn::MaxOfLanes(whole, most)),
          hn::GetLane(hn::SumOfLanes(real, sum)), hn::GetLane(hn::SumOfLanes(real, squares))};
}

RowSums sums(const IntervalRow& row, double dividend, double origin, double* putDown)
{
  if (isShorterThanAVector(row))
    return sumOneByOne(row, dividend, origin, putDown);
  return asItLies(row, [&](auto lie) {
    return dividend != 0.0 ? sum<lie.value, true>(row, dividend, origin, putDown)
                           : sum<lie.value, false>(row, dividend, origin, putDown);
  });
}

template <Lie kLie>
std::size_t judgeVectors(const IntervalRow& row, double low, double high, double resolution, RowJudgement& judged)
{
  const Real real;
  const std::size_t lanes = hn::Lanes(real);
  const auto lows = hn::Set(real, low);
  const auto highs = hn::Set(real, high);
  const auto enough = hn::Set(real, resolution);
  const auto tooFar = hn::Set(real, -resolution);
  auto least = hn::Set(real, judged.least);
  std::size_t i = 0;
  for (; i + lanes <= row.count; i += lanes) {
    const auto value = hn::ConvertTo(real, lengths<kLie>(row, i));
    const auto room = hn::Min(hn::Sub(value, lows), hn::Sub(highs, value));
    least = hn::Min(least, room);
    const auto isShort = hn::Lt(room, enough);
    const std::size_t failed = hn::CountTrue(real, hn::And(isShort, hn::Le(room, tooFar)));
    judged.failed += failed;
    judged.undecided += hn::CountTrue(real, isShort) - failed;
  }
  judged.least = hn::GetLane(hn::MinOfLanes(real, least));
  return i;
}

RowJudgement judgements(const IntervalRow& row, double low, double high, double resolution)
{
  RowJudgement judged{0, 0, std::numeric_limits<double>::infinity()};
  std::size_t i = 0;
  if (!isShorterThanAVector(row))
    i = asItLies(row, [&](auto lie) { return judgeVectors<lie.value>(row, low, high, resolution, judged); });
  for (; i < row.count; ++i) {
    const auto value = static_cast<double>(row.length(i));
    const double room = std::min(value - low, high - value);
    judged.least = std::min(judged.least, room);
    const bool fails = room < resolution && room <= -resolution;
    judged.failed += fails ? 1 : 0;
    judged.undecided += room < resolution && !fails ? 1 : 0;
  }
  return judged;
}

/// How many values are at least as large as each of kEdges: all of them in registers, so that a value is loaded once.
template <std::size_t kEdges>
void atLeastSome(const double* values, std::size_t count, const double* edges, std::uint64_t* counts)
{
  const Real real;
  const Whole whole;
  const std::size_t lanes = hn::Lanes(real);
  const auto one = hn::Set(whole, 1);
  // Arrays of vectors there are none of, because not every processor says how large they are.
  const auto a = hn::Set(real, edges[0]);
  const auto b = hn::Set(real, edges[kEdges > 1 ? 1 : 0]);
  const auto c = hn::Set(real, edges[kEdges > 2 ? 2 : 0]);
  const auto d = hn::Set(real, edges[kEdges > 3 ? 3 : 0]);
  auto ofA = hn::Zero(whole);
  auto ofB = ofA;
  auto ofC = ofA;
  auto ofD = ofA;
  const auto counted = [&](auto sofar, auto value, auto edge) HWY_ATTR {
    return hn::IfThenElse(hn::RebindMask(whole, hn::Ge(value, edge)), hn::Add(sofar, one), sofar);
  };
  std::size_t i = 0;
  for (; i + lanes <= count; i += lanes) {
    const auto value = hn::LoadU(real, values + i);
    ofA = counted(ofA, value, a);
    if constexpr (kEdges > 1)
      ofB = counted(ofB, value, b);
    if constexpr (kEdges > 2)
      ofC = counted(ofC, value, c);
    if constexpr (kEdges > 3)
      ofD = counted(ofD, value, d);
  }
  const auto total = [&](auto of, std::size_t edge) HWY_ATTR {
    auto larger = static_cast<std::uint64_t>(hn::GetLane(hn::SumOfLanes(whole, of)));
    for (std::size_t k = i; k < count; ++k)
      larger += values[k] >= edges[edge] ? 1 : 0;
    counts[edge] = larger;
  };
  total(ofA, 0);
  if constexpr (kEdges > 1)
    total(ofB, 1);
  if constexpr (kEdges > 2)
    total(ofC, 2);
  if constexpr (kEdges > 3)
    total(ofD, 3);
}

void atLeast(const double* values, std::size_t count, const double* edges, std::size_t edgeCount, std::uint64_t* counts)
{
  for (; edgeCount >= 4; edgeCount -= 4, edges += 4, counts += 4)
    atLeastSome<4>(values, count, edges, counts);
  if (edgeCount == 3)
    atLeastSome<3>(values, count, edges, counts);
  else if (edgeCount == 2)
    atLeastSome<2>(values, count, edges, counts);
  else if (edgeCount == 1)
    atLeastSome<1>(values, count, edges, counts);
}

}  // namespace HWY_NAMESPACE
}  // namespace bexto
HWY_AFTER_NAMESPACE();

#if HWY_ONCE

namespace bexto {

HWY_EXPORT(atLeast);
HWY_EXPORT(ends);
HWY_EXPORT(judgements);
HWY_EXPORT(keep);
HWY_EXPORT(sums);

RowEnds endsOf(const IntervalRow& row)
{
  return HWY_DYNAMIC_DISPATCH(ends)(row);
}

std::size_t keepShort(const IntervalRow& row, std::int64_t most, std::int64_t* begins, std::int64_t* ends)
{
  return HWY_DYNAMIC_DISPATCH(keep)(row, most, begins, ends);
}

RowSums sumRow(const IntervalRow& row, double dividend, double origin, double* putDown)
{
  return HWY_DYNAMIC_DISPATCH(sums)(row, dividend, origin, putDown);
}

RowJudgement judgeRow(const IntervalRow& row, double low, double high, double resolution)
{
  return HWY_DYNAMIC_DISPATCH(judgements)(row, low, high, resolution);
}

void countFrom(const double* values, std::size_t count, const double* edges, std::size_t edgeCount,
               std::uint64_t* counts)
{
  HWY_DYNAMIC_DISPATCH(atLeast)(values, count, edges, edgeCount, counts);
}

}  // namespace bexto

#endif
