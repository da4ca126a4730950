#pragma once

#include <optional>
#include <string>
#include <string_view>

#include "core/base/result.h"
#include "core/base/time.h"

namespace bexto {

/// A moment in seconds with its decimals in groups of three, "3.204 101 33" style, so that digits can be told apart
/// in a column. `decimals` is 0 to 12; the rest is rounded to nearest, halves away from zero.
std::string momentText(Picoseconds t, int decimals);

/// A length of time in the unit that keeps one to three digits before the point: "34.40 µs", "0 s".
/// `digits` significant digits, 2 to 15.
std::string lengthText(Picoseconds t, int digits = 4);

/// The unit symbol and power of ten that lengthText would choose: {"µs", 6} means picoseconds / 10^6.
struct TimeUnit {
  const char* symbol;
  int power;
};
TimeUnit unitFor(Picoseconds t);

/// "29.07 kHz"; 0 or less gives "–".
std::string frequencyText(double hertz, int digits = 4);

/// "24e6", "24 MHz", "250 kS/s", "1GHz": hertz; nothing else, and nothing at or below 0.
std::optional<double> parseFrequency(std::string_view text);

/// "12.5ms", "3us", "3µs", "1.5" (seconds), "-2ns". Errors: BadArgument for anything else, or beyond 100 days.
Result<Picoseconds> parseTime(std::string_view text);

}  // namespace bexto
