#pragma once

#include <QAbstractScrollArea>

#include "ui/access/painted_rows.h"
#include "ui/ledger/ledger_rows.h"
#include "ui/theme/theme.h"

namespace bexto::ui {

class LedgerHeader;
class LedgerPainter;

/// What the times of a Ledger count from.
enum class TimeZero { Start, Trigger, Previous, Marker };

/// A Ledger: one line a transaction, in words; a line opens to its fields; or the payload only. Paints its own rows,
/// and asks for those in view alone: ten million cost what forty do.
///
/// Up, Down, Page Up, Page Down, Home, End move, with Shift they extend; Right opens, Left closes; Return and
/// double-click show it on the wires; Ctrl+C copies; the menu key offers what can be done with a line.
class LedgerView : public QAbstractScrollArea, public PaintedRows {
  Q_OBJECT
 public:
  LedgerView(SessionModel& session, Engine& engine, Focus& focus, Lookup& filter, Lookup& search,
             QWidget* parent = nullptr);

  const LedgerRows& rows() const { return m_rows; }
  LedgerPlace current() const { return m_current; }
  LedgerPlace top() const { return m_top; }
  LedgerHeader& header() { return *m_header; }

  void setForm(LedgerForm form, std::size_t wrap = 16);
  /// Lists one bus only, all with an empty name.
  void setOnly(BusId bus);
  void setZero(TimeZero zero, MarkerId marker = MarkerId::None);
  TimeZero zero() const { return m_zero; }
  MarkerId zeroMarker() const { return m_zeroMarker; }
  /// What the times count from; nothing when that is the line before.
  std::optional<Picoseconds> zeroTime() const;
  void openLine(LedgerPlace place, bool open);
  /// Where a line is in the viewport; empty when it is not in view.
  QRect lineRect(LedgerPlace place) const;
  /// Moves the view so that the first line is what was said at `t`.
  void scrollToTime(Picoseconds t);
  /// The lines picked with Shift, or the current one, as text with tabs between cells.
  QString pickedText() const;
  /// To the clipboard.
  void copy();
  /// Offers what can be done with the current line.
  void showMenu(QPoint at, std::optional<LedgerColumn> column);
  void addPlots(QMenu& menu, const LedgerCellContext& context);
  void pickRow(std::uint64_t row);
  /// Offers columns, and what times count from.
  void showHeaderMenu(QPoint at);

  /// The list stays at its end while it grows, until a line is picked.
  void setFollowing(bool following);
  bool isFollowing() const { return m_following; }

  static constexpr int kRowHeight = 24;
  static constexpr int kHeaderHeight = 26;

  // PaintedRows
  Sort spokenSort() const override { return Sort::Table; }
  int spokenRows() const override;
  int spokenColumns() const override;
  QString spokenHead(int column) const override;
  QString spokenText(int row, int column) const override;
  QRect spokenRect(int row, int column) const override;
  int firstSpokenInView() const override;
  int spokenCurrent() const override;
  void pickSpoken(int row) override;

 Q_SIGNALS:
  /// Something that the user would not see, for people.
  void said(const QString& note);
  /// The user scrolled: the first line now begins at `t`.
  void scrolled(Picoseconds t);
  void formChanged();
  void followingChanged();
  void picked();
  /// The user asks the filter for more, or for nothing.
  void filterWanted(const QString& term, bool hide);
  void surroundingsWanted();
  void noteWanted();
  void alikeWanted(bool byName, bool forward);
  void partnerWanted();
  /// Its parts, or the message that it is a part of.
  void kinWanted();
  /// A recording is to begin when a bus says this.
  void startWanted(const QString& term);

 protected:
  void paintEvent(QPaintEvent* event) override;
  void resizeEvent(QResizeEvent* event) override;
  void mousePressEvent(QMouseEvent* event) override;
  void mouseMoveEvent(QMouseEvent* event) override;
  void mouseDoubleClickEvent(QMouseEvent* event) override;
  void contextMenuEvent(QContextMenuEvent* event) override;
  void keyPressEvent(QKeyEvent* event) override;
  void wheelEvent(QWheelEvent* event) override;

 private:
  void refresh();
  const Marker* markerOfZero() const;
  void updateZeroLabel();
  void followSelection();
  void updateScrollBar();
  void setTop(LedgerPlace top);
  void scrollBarMoved(int value);
  int linesInView() const { return std::max(1, viewport()->height() / px(kRowHeight)); }
  int linesBetween(LedgerPlace from, LedgerPlace to) const;  ///< from <= to; at most a few views
  std::optional<LedgerPlace> placeAt(QPoint pos) const;
  void pick(LedgerPlace place, bool extend = false, bool isStep = false);
  void scrollTo(LedgerPlace place);

  SessionModel& m_session;
  Engine& m_engine;
  Focus& m_focus;
  Lookup& m_filter;
  Lookup& m_search;
  LedgerRows m_rows;
  LedgerHeader* m_header;
  LedgerPlace m_top;
  LedgerPlace m_current;
  std::optional<LedgerPlace> m_anchor;  ///< other end of the picked lines
  Selection m_seen;                     ///< the selection that was last taken notice of
  TimeZero m_zero = TimeZero::Start;
  MarkerId m_zeroMarker = MarkerId::None;
  bool m_picking = false;    ///< the selection that arrives is our own
  bool m_scrolling = false;  ///< the scroll bar is set by us
  bool m_following = false;
  int m_wheel = 0;
  int m_decimals = 6;  ///< of times, as the capture's tick asks
};

}  // namespace bexto::ui
