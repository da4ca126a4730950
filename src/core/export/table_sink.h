#pragma once

#include <memory>
#include <string>
#include <vector>

#include "core/base/result.h"
#include "core/export/ledger_export.h"

namespace bexto {

/// Where the cells of an exported list go; one for each format. Cells are given in the order of the columns. One
/// thread. A sink that goes before finish() leaves nothing behind, and what stood under the name stays.
class TableSink {
 public:
  TableSink() = default;
  TableSink(const TableSink&) = delete;
  TableSink& operator=(const TableSink&) = delete;
  virtual ~TableSink() = default;

  /// A transaction, and the lines that are open below it. Errors: Unwritable; then nothing more can be written.
  virtual Result<void> row(const std::vector<LedgerCell>& cells, const std::vector<std::string>& below) = 0;
  /// The output appears under its name. Without it, nothing does. Errors: Unwritable.
  virtual Result<void> finish() = 0;
};

/// "time_s": the head of a column in files.
std::string fileHeadOf(LedgerColumn column);

/// `widths` are those of text, in characters. Errors: Unwritable.
Result<std::unique_ptr<TableSink>> makeTextSink(const std::string& path, ListFormat format,
                                                const std::vector<LedgerColumn>& columns,
                                                const std::vector<std::size_t>& widths);
/// A workbook cannot be written to a pipe or a terminal. Errors: Unwritable.
Result<std::unique_ptr<TableSink>> makeXlsxSink(const std::string& path, const std::vector<LedgerColumn>& columns);

}  // namespace bexto
