#pragma once

#include <compare>
#include <cstdint>
#include <memory>
#include <set>
#include <string>
#include <vector>

#include "core/base/stream_id.h"
#include "core/decode/transactions.h"
#include "core/query/line_set.h"
#include "core/query/sent_times.h"

namespace bexto {

/// One stream of the Ledger: its transactions, and which of them a filter shows. A value whose parts are shared, so
/// copies are cheap.
struct LedgerSource {
  Bus bus;
  std::string line;  ///< BusStream::line: empty where the protocol has no lines
  Transactions transactions;
  std::shared_ptr<const LineSet> shown = nullptr;   ///< none: all
  bool severalLines = false;                        ///< the bus has other streams: its name says which this is
  StreamId id = {};                                 ///< which it is, whatever its bus is called
  Picoseconds offset{0};                            ///< of its times in the list: of another segment's
  std::size_t segment = 0;                          ///< its number, from 1, where several are listed
  std::shared_ptr<const SentTimes> sent = nullptr;  ///< what was sent from here on it, in its segment's times

  /// The bus, the line where there are several, and the segment where those are: "sonar RX", "sonar RX · 2".
  std::string name() const;
  /// How many are shown.
  std::uint64_t size() const { return shown ? shown->size() : transactions.size(); }
  /// Transaction of the k-th that is shown. Requires: k < size().
  std::uint64_t numberAt(std::uint64_t k) const { return shown ? shown->at(k) : k; }
  /// How many are shown of those before `number`.
  std::uint64_t shownBelow(std::uint64_t number) const { return shown ? shown->countBelow(number) : number; }
  bool isShown(std::uint64_t number) const { return !shown || shown->contains(number); }
  // In the list's times.
  Picoseconds beginOf(std::uint64_t number) const { return transactions.beginOf(number) + offset; }
  std::uint64_t firstFrom(Picoseconds t) const { return transactions.firstFrom(minus(t, offset)); }
};

/// A row of the merged list, as what it is and not where: transaction `number` of source `source`.
struct LedgerRow {
  std::size_t source = 0;
  std::uint64_t number = 0;
  auto operator<=>(const LedgerRow&) const = default;
};

/// The transactions of several streams as one list in the order of time; of equal times the source given first leads.
/// Nothing is stored a row: rows are found by searching time, so a list of millions is there at once. An immutable
/// value.
class MergedRows {
 public:
  MergedRows() = default;
  explicit MergedRows(std::vector<LedgerSource> sources);

  /// Rows shown, of all sources together.
  std::uint64_t size() const { return m_size; }
  /// With those that the filter hides.
  std::uint64_t allCount() const { return m_all; }
  const std::vector<LedgerSource>& sources() const { return m_sources; }
  /// `count` rows from `first` on, fewer at the end.
  std::vector<LedgerRow> rows(std::uint64_t first, std::size_t count) const;
  /// Requires: row < size().
  LedgerRow at(std::uint64_t row) const { return rows(row, 1).front(); }
  /// Where the row is; of a hidden one, where it would be.
  std::uint64_t rowOf(LedgerRow row) const;
  /// Requires of all below: the source is there.
  bool isShown(LedgerRow row) const { return m_sources.at(row.source).isShown(row.number); }
  Picoseconds beginOf(LedgerRow row) const { return m_sources.at(row.source).beginOf(row.number); }
  /// The first row that begins at or after `t`; size() when none does.
  std::uint64_t firstFrom(Picoseconds t) const;

 private:
  std::vector<LedgerSource> m_sources;
  std::uint64_t m_size = 0;
  std::uint64_t m_all = 0;
};

/// How the Ledger writes a transaction: one line; one line and its fields below; or its payload only.
enum class LedgerForm : std::uint8_t { Sentences, Opened, Bytes };

/// A line of the Ledger: a row itself, or the n-th line under it.
struct LedgerPlace {
  std::uint64_t row = 0;
  std::uint64_t detail = 0;  ///< 1 and on: the lines under the row; 0: the row itself
  auto operator<=>(const LedgerPlace&) const = default;
};

/// The lines of the Ledger: rows, and the lines under those that are open. Whether a row is open is what its form says,
/// with exceptions; how many lines that makes is asked of the rows in view alone. So opening ten million costs nothing.
/// Thread-compatible: a view owns one.
class LedgerLines {
 public:
  /// The exceptions stay; drop or carry them over with setOpen().
  void setRows(MergedRows rows) { m_rows = std::move(rows); }
  const MergedRows& rows() const { return m_rows; }

  /// A new form has no exceptions. `wrap` is the bytes a line of LedgerForm::Bytes.
  void setForm(LedgerForm form, std::size_t wrap);
  LedgerForm form() const { return m_form; }
  std::size_t wrap() const { return m_wrap; }

  bool isOpen(LedgerRow row) const { return (m_form != LedgerForm::Sentences) != m_exceptions.contains(row); }
  /// Lines of bytes have nothing to open.
  void setOpen(LedgerRow row, bool open);
  /// Rows that are not as the form says.
  const std::set<LedgerRow>& exceptions() const { return m_exceptions; }
  void forgetExceptions() { m_exceptions.clear(); }

  /// Lines under the row, as things stand.
  std::uint64_t detailCount(LedgerRow row) const;
  bool empty() const { return m_rows.size() == 0; }
  /// Requires: !empty().
  LedgerPlace last() const;
  /// `by` lines further down, or up when negative; as far as there are lines. Requires: !empty().
  LedgerPlace moved(LedgerPlace from, std::int64_t by) const;
  /// The place itself, or the nearest that is there. Requires: !empty().
  LedgerPlace clamped(LedgerPlace place) const;

 private:
  MergedRows m_rows;
  LedgerForm m_form = LedgerForm::Sentences;
  std::size_t m_wrap = 16;
  std::set<LedgerRow> m_exceptions;
};

}  // namespace bexto
