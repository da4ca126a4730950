#pragma once

#include <cstddef>
#include <cstdint>

#include "core/decode/interval_row.h"

namespace bexto {

/// The ends of a row of lengths, in ps.
struct RowEnds {
  std::int64_t least = 0;
  std::int64_t most = 0;
};

/// Of none, zeros.
RowEnds endsOf(const IntervalRow& row);

/// Puts down those that are no longer than `most`, in order, and returns how many. There is room for eight more.
std::size_t keepShort(const IntervalRow& row, std::int64_t most, std::int64_t* begins, std::int64_t* ends);

/// What a row of lengths comes to.
struct RowSums {
  std::int64_t least;  ///< length
  std::int64_t most;
  double sum;      ///< of how far what was put down is from the origin
  double squares;  ///< of the same
};

/// Puts the lengths down as floating point numbers, or, with a `dividend` other than 0, that over each of them; and
/// sums up how far those are from `origin`. The order of the additions, and with it the last bits of the sums, depend
/// on the processor. Requires: count > 0.
RowSums sumRow(const IntervalRow& row, double dividend, double origin, double* putDown);

/// How a row stands to its limits.
struct RowJudgement {
  std::uint64_t failed;
  std::uint64_t undecided;
  double least;  ///< room that a length has to the nearer limit
};

/// Judges each length, as judge() does. Requires: count > 0.
RowJudgement judgeRow(const IntervalRow& row, double low, double high, double resolution);

/// How many of the values are at least as large as each of the edges.
void countFrom(const double* values, std::size_t count, const double* edges, std::size_t edgeCount,
               std::uint64_t* counts);

}  // namespace bexto
