#pragma once

#include <QRect>
#include <QString>

class QWidget;

namespace bexto::ui {

/// What a view that is painted by hand tells those who do not see it: rows, and cells in them. A widget that is one is
/// found by QAccessible, once announcePaintedRows() was called. UI thread only.
class PaintedRows {
 public:
  enum class Sort { Table, List };  ///< a list has one column

  PaintedRows() = default;
  PaintedRows(const PaintedRows&) = delete;
  PaintedRows& operator=(const PaintedRows&) = delete;
  virtual ~PaintedRows() = default;

  virtual Sort spokenSort() const { return Sort::List; }
  /// Of long lists as many as can be counted.
  virtual int spokenRows() const = 0;
  virtual int spokenColumns() const { return 1; }
  virtual QString spokenHead(int /*column*/) const { return {}; }
  virtual QString spokenText(int row, int column) const = 0;
  /// In the widget; empty when it is not in view.
  virtual QRect spokenRect(int row, int column) const = 0;
  virtual int firstSpokenInView() const { return 0; }
  /// The row that the keyboard is on; -1: none.
  virtual int spokenCurrent() const = 0;
  /// As if it had been clicked.
  virtual void pickSpoken(int row) = 0;
};

/// Before the first window.
void announcePaintedRows();
/// The keyboard is on another row, or what the row says is other now.
void sayCurrentRow(QWidget& view);

}  // namespace bexto::ui
