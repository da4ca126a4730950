#pragma once

#include <stop_token>
#include <string>
#include <vector>

#include "core/base/progress.h"
#include "core/decode/bus.h"
#include "core/view/ledger.h"

namespace bexto {

/// One source of the Ledger, for export: in the order of MergedRows::sources().
struct LedgerSource {
  Bus bus;
  std::string line;  ///< "rx", "tx" or empty
};

/// Writes the Ledger as it is shown to RFC 4180 CSV: a record for each transaction, and after those that are open one
/// for each detail. Columns: time in seconds, time since the record before in seconds, bus, transaction, faults.
/// Whole or not at all. Errors: Unwritable, Cancelled.
Result<void> writeLedgerCsv(const MergedRows& rows, const LedgerLines& lines, const std::vector<LedgerSource>& sources,
                            const std::string& path, const std::stop_token& stop, Progress& progress);

}  // namespace bexto
