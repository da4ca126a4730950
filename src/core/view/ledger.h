#pragma once

#include <cstdint>
#include <map>
#include <vector>

#include "core/decode/transactions.h"

namespace bexto {

/// A row of the merged list: transaction `number` of source `source`.
struct LedgerRow {
  std::size_t source = 0;
  std::uint64_t number = 0;
  bool operator==(const LedgerRow&) const = default;
};

/// The transactions of several streams as one list in the order of time; of equal times the source given first leads.
/// Nothing is stored a row: rows are found by searching time, so a list of millions is there at once.
class MergedRows {
 public:
  MergedRows() = default;
  explicit MergedRows(std::vector<Transactions> sources);

  std::uint64_t size() const { return m_size; }
  const std::vector<Transactions>& sources() const { return m_sources; }
  /// `count` rows from `first` on, fewer at the end.
  std::vector<LedgerRow> rows(std::uint64_t first, std::size_t count) const;
  /// Requires: row < size().
  LedgerRow at(std::uint64_t row) const { return rows(row, 1).front(); }
  std::uint64_t rowOf(LedgerRow row) const;
  /// The first row that begins at or after `t`; size() when none does.
  std::uint64_t firstFrom(Picoseconds t) const;

 private:
  std::vector<Transactions> m_sources;
  std::uint64_t m_size = 0;
};

/// The lines of the Ledger: rows, and under those that are open their details.
class LedgerLines {
 public:
  struct Line {
    std::uint64_t row = 0;
    std::uint64_t detail = 0;  ///< 1 and on: the row's details; 0: the row itself
    bool operator==(const Line&) const = default;
  };

  void setRowCount(std::uint64_t rows) { m_rows = rows; }
  std::uint64_t size() const { return m_rows + m_extra; }
  bool isOpen(std::uint64_t row) const { return m_open.contains(row); }
  void open(std::uint64_t row, std::uint64_t details);
  void close(std::uint64_t row);
  void closeAll();
  const std::map<std::uint64_t, std::uint64_t>& openRows() const { return m_open; }
  /// Requires: line < size().
  Line at(std::uint64_t line) const;
  std::uint64_t lineOf(std::uint64_t row) const;

 private:
  std::uint64_t m_rows = 0;
  std::uint64_t m_extra = 0;
  std::map<std::uint64_t, std::uint64_t> m_open;  ///< row → number of details
};

}  // namespace bexto
