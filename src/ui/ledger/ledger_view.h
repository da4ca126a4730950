#pragma once

#include <QAbstractScrollArea>

#include "ui/ledger/ledger_rows.h"

namespace bexto::ui {

/// The Ledger: one line a transaction, in words; a line opens to its fields. Paints its own rows, so ten million cost
/// what forty do.
///
/// Up, Down, Page Up, Page Down, Home, End move; Right opens, Left closes; Return and double-click show it on the
/// wires.
class LedgerView : public QAbstractScrollArea {
  Q_OBJECT
 public:
  LedgerView(Document& document, Focus& focus, QWidget* parent = nullptr);

  const LedgerRows& rows() const { return m_rows; }
  std::uint64_t currentLine() const { return m_current; }
  void openLine(std::uint64_t line, bool open);
  /// Where a line is in the viewport; empty when it is not in view.
  QRect lineRect(std::uint64_t line) const;

  static constexpr int kRowHeight = 24;
  static constexpr int kHeaderHeight = 26;

 protected:
  void paintEvent(QPaintEvent* event) override;
  void resizeEvent(QResizeEvent* event) override;
  void mousePressEvent(QMouseEvent* event) override;
  void mouseDoubleClickEvent(QMouseEvent* event) override;
  void keyPressEvent(QKeyEvent* event) override;

 private:
  void refresh();
  void followSelection();
  void updateScrollBar();
  std::uint64_t firstLine() const;
  int linesInView() const { return std::max(1, (viewport()->height() - kHeaderHeight) / kRowHeight); }
  std::uint64_t lineAt(QPoint pos) const;  ///< rows().lines().size() for none
  void pick(std::uint64_t line);
  void scrollTo(std::uint64_t line);
  void paintHeader(QPainter& p) const;
  void paintRow(QPainter& p, QRect rect, const LedgerRows::Line& line) const;
  void paintDetail(QPainter& p, QRect rect, const LedgerRows::Line& line) const;

  Document& m_document;
  Focus& m_focus;
  LedgerRows m_rows;
  std::uint64_t m_current = 0;
  bool m_picking = false;  ///< the selection that arrives is our own
  int m_decimals = 6;      ///< of times, as the capture's tick asks
};

}  // namespace bexto::ui
