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

/// The sum, or the last moment there is on that side where it does not fit. For what is reckoned beyond a capture's
/// ends: margins, zoom, ticks. A capture of a hundred days leaves no room for them.
constexpr Picoseconds plus(Picoseconds a, Picoseconds b)
{
  std::int64_t sum = 0;
  if (__builtin_add_overflow(a.count(), b.count(), &sum))
    sum = b.count() < 0 ? std::numeric_limits<std::int64_t>::min() : std::numeric_limits<std::int64_t>::max();
  return Picoseconds{sum};
}
/// The same for a difference.
constexpr Picoseconds minus(Picoseconds a, Picoseconds b)
{
  std::int64_t difference = 0;
  if (__builtin_sub_overflow(a.count(), b.count(), &difference))
    difference = b.count() > 0 ? std::numeric_limits<std::int64_t>::min() : std::numeric_limits<std::int64_t>::max();
  return Picoseconds{difference};
}
/// So many picoseconds, or the last there are on that side.
constexpr Picoseconds wholePicoseconds(double ps)
{
  // The largest double below 2^63.
  constexpr double kMost = 9223372036854774784.0;
  const double held = ps > kMost ? kMost : ps < -kMost ? -kMost : ps;
  return Picoseconds{static_cast<std::int64_t>(held < 0.0 ? held - 0.5 : held + 0.5)};
}
/// `b` after `a`, exact to the double's 15 digits wherever the two lie.
constexpr double distance(Picoseconds a, Picoseconds b)
{
  std::int64_t difference = 0;
  if (__builtin_sub_overflow(b.count(), a.count(), &difference))
    return static_cast<double>(b.count()) - static_cast<double>(a.count());
  return static_cast<double>(difference);
}

/// Half-open: begin is inside, end is not. Empty when begin >= end.
struct TimeRange {
  Picoseconds begin{0};
  Picoseconds end{0};

  // All of these are cheap and take part in constant expressions.
  constexpr bool empty() const { return begin >= end; }
  constexpr Picoseconds length() const { return minus(end, begin); }
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
