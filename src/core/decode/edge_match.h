#pragma once

#include <cstddef>
#include <cstdint>

#include "core/decode/interval_row.h"

namespace bexto {

/// Where the edges that were found are put, each with its interval; there is room for eight more.
struct EdgeMatches {
  std::int64_t* begins;
  std::int64_t* edges;
  std::int64_t* ends;
};

/// Whether an edge at the very end of an interval belongs to it.
enum class IntervalEnd { Within, Behind };

/// Which intervals of a row an edge falls into: intervals do not overlap; `edges` are those of another wire, rising,
/// with eight to be read behind those that matter. Puts down the intervals that have one, in order, and returns how
/// many, which is how many edges are used up. -1: an interval has several, or an edge before the last interval's end
/// lies in none; nothing that was put down then counts.
std::ptrdiff_t matchEdges(const IntervalRow& row, const std::int64_t* edges, const EdgeMatches& out, IntervalEnd end);

}  // namespace bexto
