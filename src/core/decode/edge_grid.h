#pragma once

#include <cstddef>
#include <cstdint>

namespace bexto {

/// The grid of a character's bits, which begins with its start edge.
struct Grid {
  double bitsPerPicosecond = 0.0;
  std::int64_t stop = 0;  ///< where its stop bit begins, in bits
};

/// How the edges of characters lie on their grids, a column each.
struct GridFits {
  double* furthest;         ///< distance of an edge from its place, in bits
  std::int64_t* last;       ///< edge
  std::int64_t* lastBit;    ///< that it begins
  const std::int64_t** at;  ///< the first of its edges behind the start edge
  std::int64_t* count;      ///< of edges behind the start edge
};

/// Edges of a character that are fitted at most.
constexpr std::size_t kMostGridEdges = 16;

/// Fits characters that follow one another, each as far as the start edge of the next: `starts` has one more than
/// `count`. `edges` begins behind the first start edge, and kMostGridEdges can be read from each on. Ends before a
/// character that asks for a closer look: edges a quarter of a bit and more from their places, or behind the begin of
/// the stop bit; there only an edge that ends a low may lie. Returns how many were fitted; `edges` is then behind the
/// next one's start edge.
std::size_t fitToGrid(const std::int64_t*& edges, const std::int64_t* starts, std::size_t count, const Grid& grid,
                      const GridFits& fits);

}  // namespace bexto
