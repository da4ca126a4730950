#pragma once

#include <vector>

#include "core/decode/sentence.h"
#include "core/view/ledger_cells.h"
#include "core/view/line_payload.h"
#include "ui/focus/focus.h"
#include "ui/query/lookup.h"

namespace bexto::ui {

/// What a Ledger lists: the engine's transactions in the order of time, those that the filter shows, of all buses or
/// of one, with the lines opened that the user opened. Knows no pixels. UI thread only.
class LedgerRows {
 public:
  LedgerRows(const Engine& engine, const Lookup& filter) : m_engine(engine), m_filter(filter) {}

  /// Lists one bus only, or all with None.
  void setOnly(BusId bus) { m_only = bus; }
  BusId only() const { return m_only; }
  /// Takes what engine and filter have now. Open rows stay open as long as a transaction begins where they did.
  void refresh();

  LedgerLines& lines() { return m_lines; }
  const LedgerLines& lines() const { return m_lines; }
  const MergedRows& merged() const { return m_lines.rows(); }
  /// Shown and all; with one bus only, of that.
  std::uint64_t shownCount() const { return merged().size(); }
  std::uint64_t allCount() const { return merged().allCount(); }
  /// Those of the buses that are listed, each once.
  std::vector<const Protocol*> protocols() const;
  /// The one protocol of all that is listed; nullptr when there are several, or none.
  const Protocol* protocol() const;

  /// One line ready to be shown.
  struct Line {
    LedgerPlace place;
    bool isDetail = false;
    bool isOpen = false;
    bool canOpen = false;
    bool fault = false;
    bool errorFrame = false;  ///< of a row: a node says that something went wrong; all of it is the fault
    LedgerRow row;
    Picoseconds begin{0};
    Picoseconds sincePrevious{-1};  ///< negative for the first row
    Picoseconds length{0};
    QString bus;
    Sentence sentence;  ///< of a row
    Detail detail;      ///< of a detail
    ByteLine bytes;     ///< in the form of bytes
  };
  /// `count` lines from `first` on, fewer at the end.
  std::vector<Line> visible(LedgerPlace first, std::size_t count, std::size_t mostValues) const;
  /// What the cells of a row depend on.
  LedgerCellContext contextOf(LedgerRow row, std::uint64_t number) const;

  /// When the row begins, in the times of its segment. Requires: it is there.
  Picoseconds beginInSegment(LedgerPlace place) const;

  /// What picking a line selects. Requires: the place is there.
  Selection selectionOf(LedgerPlace place) const;
  /// Whether the selection's frame is in the list, shown or hidden. Right after a new decode it may not be.
  bool holds(const Selection& selection) const;
  /// Whether it is listed and the filter shows it.
  bool shows(const Selection& selection) const;
  /// The row of the transaction that holds the selection; of a hidden one where it would be. Requires: holds().
  LedgerPlace placeOf(const Selection& selection) const;
  LedgerRow rowOf(const Selection& selection) const;
  std::optional<Selection> selectionOf(LedgerRow row) const;

 private:
  std::size_t sourceOf(const Selection& selection) const;
  Picoseconds momentOf(std::size_t source, const Detail& detail) const;

  const Engine& m_engine;
  const Lookup& m_filter;
  BusId m_only = BusId::None;
  LedgerLines m_lines;
};

}  // namespace bexto::ui
