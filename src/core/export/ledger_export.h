#pragma once

#include <optional>
#include <stop_token>
#include <string>
#include <vector>

#include "core/base/progress.h"
#include "core/base/result.h"
#include "core/view/ledger_cells.h"

namespace bexto {

/// RFC 4180 CSV; text in aligned columns; a JSON object a transaction; an Office Open XML workbook (ECMA-376).
enum class ListFormat : std::uint8_t { Csv, Text, Jsonl, Xlsx };

/// By the file's suffix: .csv, .txt, .jsonl, .xlsx; nothing for any other.
std::optional<ListFormat> listFormatOf(const std::string& path);

/// A Ledger as it is to be written: its rows, which of them are open or in what form, and its columns from the left.
struct LedgerList {
  LedgerLines lines;
  std::vector<LedgerColumn> columns;
  Picoseconds zero{0};  ///< what times count from
};

/// Writes the list whole or not at all. Times are exact seconds. Opened lines follow their transaction, in JSON inside
/// it. A workbook has a frozen head row, numbers as numbers, and goes on in a further sheet after 1048575 rows.
/// Errors: Unwritable, Cancelled.
Result<void> exportLedger(const LedgerList& list, const std::string& path, ListFormat format,
                          const std::stop_token& stop, Progress& progress);

}  // namespace bexto
