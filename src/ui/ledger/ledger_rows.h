#pragma once

#include <vector>

#include "core/io/ledger_csv.h"
#include "core/view/sentence.h"
#include "ui/document/focus.h"

namespace bexto::ui {

/// What the Ledger lists: the document's transactions in the order of time, with those lines opened that the user
/// opened. Knows no pixels. UI thread only.
class LedgerRows {
 public:
  explicit LedgerRows(const Document& document) : m_document(document) {}

  /// Takes what the document has now. Open rows stay open as long as a transaction begins where they did.
  void refresh();

  const MergedRows& merged() const { return m_merged; }
  const LedgerLines& lines() const { return m_lines; }
  /// For export: the bus of each source.
  std::vector<LedgerSource> sources() const;

  /// One line ready to be shown.
  struct Line {
    bool isDetail = false;
    bool isOpen = false;
    bool fault = false;
    bool errorFrame = false;  ///< of a row: a CAN error frame, all of it is the fault
    LedgerRow row;
    Picoseconds begin{0};
    Picoseconds sincePrevious{-1};  ///< negative for the first row
    Picoseconds length{0};
    QString bus;
    Sentence sentence;  ///< of a row
    Detail detail;      ///< of a detail
  };
  /// `count` lines from `first` on, fewer at the end.
  std::vector<Line> visible(std::uint64_t first, std::size_t count, std::size_t mostValues) const;

  /// What picking a line selects. Requires: line < lines().size().
  Selection selectionOf(std::uint64_t line) const;
  /// Whether the selection's frame is listed. Right after a new decode it may not be, until refresh().
  bool holds(const Selection& selection) const;
  /// The line of the transaction that holds the selection. Requires: holds(selection).
  std::uint64_t lineOf(const Selection& selection) const;
  void toggle(std::uint64_t line);
  bool setOpen(std::uint64_t line, bool open);

 private:
  const BusView& viewOf(std::size_t source) const { return m_document.bus(m_addresses[source].bus); }
  std::size_t sourceOf(const Selection& selection) const;

  const Document& m_document;
  MergedRows m_merged;
  LedgerLines m_lines;
  std::vector<Document::StreamAddress> m_addresses;
  std::vector<std::string> m_sourceNames;
};

}  // namespace bexto::ui
