#pragma once

#include <cstddef>
#include <cstdint>

namespace bexto {

/// How the edges of a character lie on the grid of its bits, which begins with its start edge.
struct GridFit {
  std::size_t count = 0;         ///< edges
  std::int64_t lastBit = 0;      ///< whose begin the last edge is nearest to
  double furthest = 0.0;         ///< distance of an edge from its place, in bits
  std::size_t furthestEdge = 0;  ///< the first of those that are so far away
};

constexpr std::size_t kMostGridEdges = 16;  ///< a fit looks at

/// Fits the edges before `next`; kMostGridEdges can be read. Where count is kMostGridEdges there may be more.
GridFit fitToGrid(const std::int64_t* edges, std::int64_t start, std::int64_t next, double bitsPerPicosecond);

}  // namespace bexto
