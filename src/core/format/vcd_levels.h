#pragma once

#include <array>
#include <cstdint>
#include <string_view>

namespace bexto {

/// What a letter of a value says of the wire.
enum Level : std::int8_t { kLow = 0, kHigh = 1, kUnknown = -1, kNoLevel = -2 };

using Levels = std::array<Level, 256>;  ///< of each letter

constexpr Levels levelsOf(std::string_view low, std::string_view high, std::string_view unknown)
{
  Levels levels{};
  levels.fill(kNoLevel);
  for (const char c : low)
    levels[static_cast<unsigned char>(c)] = kLow;
  for (const char c : high)
    levels[static_cast<unsigned char>(c)] = kHigh;
  for (const char c : unknown)
    levels[static_cast<unsigned char>(c)] = kUnknown;
  return levels;
}

/// H and L are the weak levels that VHDL simulators write, with U, W and - for what they do not know either.
inline constexpr Levels kLevels = levelsOf("0lL", "1hH", "xXzZuUwW-");
/// Of the ports of an extended dump (18.4.3.2): what drives them from inside, from outside, or both.
inline constexpr Levels kPortLevels = levelsOf("DdLl0", "UuHh1", "NZXT?FAaBbCcf");

}  // namespace bexto
