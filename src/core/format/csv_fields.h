#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "core/base/utc_text.h"

namespace bexto {

/// ASCII letters small.
std::string csvLower(std::string_view text);
/// Without blanks and tabs around it.
std::string_view csvTrimmed(std::string_view text);
/// "us": 6, in powers of ten of a picosecond; nullopt for what is no unit of time. Small letters.
std::optional<int> csvTimeUnit(std::string_view name);

/// The fields of a line, without quotes and the blanks around them.
std::vector<std::string> csvFields(std::string_view line, char separator);

/// The lines of a text without their ends; the last one only when `whole`.
std::vector<std::string_view> csvLines(std::string_view text, bool whole);

/// The level that a field means: 0, 1, or -1 for none (as before). 2: it is no level.
int csvLevel(std::string_view field);

/// A time as fields have it. Exact: `mantissa` * 10^-decimals units.
struct CsvTime {
  WidePicoseconds picoseconds = 0;
  int finest = 0;  ///< its last digit stands for 10^finest ps; below 0 it was rounded
};

/// Reads a number, "12,5us", a time of day "[hh:]mm:ss.fff", or that with a date before it (ISO 8601, UTC). False: it
/// is none.
bool readCsvTime(std::string_view field, char decimal, int unitPower, CsvTime& time);

}  // namespace bexto
