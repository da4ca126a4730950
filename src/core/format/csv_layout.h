#pragma once

#include <cstddef>
#include <cstdint>
#include <string>
#include <string_view>
#include <vector>

#include "core/base/result.h"
#include "core/format/csv_fields.h"

namespace bexto {

/// What a column of rows of text is read as.
enum class CsvUse : std::uint8_t {
  Ignored,
  Time,   ///< of the row; one column at most
  Level,  ///< of a wire: 0, 1, low, high, off, on, false, true, L, H; x, z, u, -, ? and nothing keep the last one
};

struct CsvColumn {
  std::string name;
  CsvUse use = CsvUse::Ignored;
  bool operator==(const CsvColumn&) const = default;
};

/// How a file of rows of separated fields (RFC 4180, and what programs make of it) is read as a capture: transitions
/// with their times, or samples one a row.
struct CsvLayout {
  char separator = ',';
  char decimal = '.';         ///< or ','
  std::size_t headLines = 0;  ///< lines before the first row of values
  std::vector<CsvColumn> columns;
  int unitPower = 12;      ///< times are in units of 10^unitPower picoseconds, 0 to 15; a field may have its own
  bool unitKnown = false;  ///< the file says its unit
  double rate = 0;         ///< samples a second, where no column is the time

  /// There are levels, but neither times nor a rate.
  bool isUntimed() const;
  /// Nobody could read it so: the reason in words; empty when it can be read.
  std::string problem() const;
  bool operator==(const CsvLayout&) const = default;

 private:
  std::size_t count(CsvUse use) const;
};

/// How much of a file is looked at.
inline constexpr std::size_t kCsvLook = 65536;

/// Recognises separator, head, decimal comma, columns, unit of time and rate from the begin of a file. `whole`: that is
/// all of it. `rate` is that which somebody said, or 0. Errors: Malformed when these are no rows of values, or when it
/// cannot be read as a capture, with the mend.
Result<CsvLayout> guessCsvLayout(std::string_view begin, bool whole, double rate);

/// The same where somebody said what separates fields, and decimals.
Result<CsvLayout> guessCsvLayout(std::string_view begin, bool whole, double rate, char separator, char decimal);

/// Whether a file that begins so is meant: rows of text with times or a rate, and levels.
bool looksLikeCsv(std::string_view begin);

}  // namespace bexto
