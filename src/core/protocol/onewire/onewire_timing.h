#pragma once

#include <cstdint>

namespace bexto::onewire {

/// When things happen on a 1-Wire line at one of its two speeds. All in ps. The customary figures of its devices, with
/// the room that a reader has to give: how long what was read really was is for the checks.
struct Timing {
  std::int64_t shortestReset;     ///< a low that is as long is a reset
  std::int64_t latestPresence;    ///< behind the reset's end
  std::int64_t shortestPresence;  ///< low
  std::int64_t longestPresence;
  std::int64_t longestOne;  ///< a low that is no longer is a 1
  std::int64_t slot;        ///< it takes, from its falling edge
};

inline constexpr std::int64_t kMicrosecond = 1'000'000;
/// Shorter lows are slots; a reset is 480 µs and more.
inline constexpr Timing kStandard{240 * kMicrosecond + 1, 60 * kMicrosecond, 60 * kMicrosecond,
                                  240 * kMicrosecond,     18 * kMicrosecond, 60 * kMicrosecond};
inline constexpr Timing kOverdrive{48 * kMicrosecond, 6 * kMicrosecond,     8 * kMicrosecond,
                                   24 * kMicrosecond, 5 * kMicrosecond / 2, 6 * kMicrosecond};
/// A line that is high for so long rests: what ended before has ended.
inline constexpr std::int64_t kRest = 2000 * kMicrosecond;

}  // namespace bexto::onewire
