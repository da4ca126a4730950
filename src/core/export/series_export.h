#pragma once

#include <stop_token>
#include <string>

#include "core/base/progress.h"
#include "core/base/result.h"
#include "core/device/sheet.h"
#include "core/device/value_series.h"

namespace bexto {

/// Writes a value over time as CSV (RFC 4180), whole or not at all: a row each time that somebody said it, with exact
/// seconds, the number with as many decimals as its sheet writes, and the sheet's word where it has one for it. `name`
/// heads the column of numbers; the unit follows in brackets.
/// Errors: Unwritable, Cancelled.
Result<void> exportSeries(const ValueSeries& series, const std::string& name, const SheetField& field,
                          const std::string& path, const std::stop_token& stop, Progress& progress);

}  // namespace bexto
