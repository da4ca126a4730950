#pragma once

#include <chrono>
#include <cstdint>
#include <limits>

namespace bexto {

/// A moment or a length of time, in whole picoseconds; moments count from the capture's start.
///
/// 64 bits reach 106 days. `std::chrono` gives the arithmetic, the comparisons and the conversion from
/// `1ms` and the like without loss; `count()` is for inner loops and for files.
using Picoseconds = std::chrono::duration<std::int64_t, std::pico>;

/// "There is no such moment": later than any other. Used as the end of edge buffers too.
inline constexpr Picoseconds kNever{std::numeric_limits<std::int64_t>::max()};

/// Half-open: begin is inside, end is not. Empty when begin >= end.
struct TimeRange {
  Picoseconds begin{0};
  Picoseconds end{0};

  // All of these are cheap and take part in constant expressions.
  constexpr bool empty() const { return begin >= end; }
  constexpr Picoseconds length() const { return end - begin; }
  constexpr bool contains(Picoseconds t) const { return t >= begin && t < end; }
  constexpr bool overlaps(const TimeRange& o) const { return begin < o.end && o.begin < end; }
  constexpr bool operator==(const TimeRange&) const = default;
};

/// For people and for rates: a double keeps 15 digits, so beyond a few hours picoseconds are lost.
constexpr double toSeconds(Picoseconds t)
{
  return static_cast<double>(t.count()) * 1e-12;
}

}  // namespace bexto
