#pragma once

#include <array>
#include <cstddef>
#include <cstdint>

#include "core/decode/edge_walk.h"

namespace bexto {

/// A data line that is read byte by byte at the sampling edges of a clock: where it stands, in its stream's buffer.
struct ClockedLine {
  ClockedLine() = default;
  /// As far as is in hand. Where nothing is, the line rests: requires that it is known to, as long as it is read.
  explicit ClockedLine(const EdgeWalk& walk)
      : at(walk.at()), end(walk.inHand() == 0 ? nullptr : at + walk.inHand()), level(walk.level())
  {
    static_assert(EdgeStream::kReadableBehind >= 8);
  }

  const std::int64_t* at = nullptr;   ///< the next transition, in ps; 8 from each on can be read
  const std::int64_t* end = nullptr;  ///< reading stops before a byte behind which at is this
  bool level = false;                 ///< before *at
};

/// What a call reads at most.
constexpr std::size_t kMostClockedBytes = 64;
using ClockedBytes = std::array<std::uint8_t, kMostClockedBytes>;

/// Bytes that follow one another, of `count` lines (1 or 2): `edges` are those of the clock, 16 a byte, of which every
/// second samples, the first of them too. A sample is the level before its edge; the first of eight becomes the highest
/// bit. Stops before a byte in which a line moves more than eight times, or of which the last sample comes 2 ms and
/// more behind what is at hand. Returns how many were read of all lines, which stand behind these.
/// Requires: bytes <= kMostClockedBytes; times are rising, and not below zero.
std::size_t readClockedBytes(const std::int64_t* edges, std::size_t bytes, ClockedLine* lines, std::size_t count,
                             ClockedBytes* out);

/// The same of one line with an acknowledge bit behind each byte, that rests from each sampling edge to the edge behind
/// it: 18 edges a byte. A sample is the level after all that happens up to and at its edge; a transition at the edge
/// behind the last sample is used up. Stops before a byte in which the line does not rest. `acks`: the acknowledge
/// bits' levels.
std::size_t readAcknowledgedBytes(const std::int64_t* edges, std::size_t bytes, ClockedLine& line, ClockedBytes& out,
                                  ClockedBytes& acks);

}  // namespace bexto
