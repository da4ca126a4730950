#pragma once

#include <QHeaderView>
#include <QTimer>
#include <optional>
#include <vector>

#include "core/view/ledger_cells.h"
#include "ui/session/session_model.h"

class QMenu;

namespace bexto::ui {

/// Numbers stand at the right of their column.
bool isRight(LedgerColumn column);

/// The heads of the Ledger's columns: dragged to another place, made wider or narrower, chosen in a menu. The session
/// keeps what was chosen for each kind of bus; the settings file keeps the last choice, for sessions to come.
///
/// With the keyboard: Left and Right go from head to head, with Ctrl they move the column, plus and minus make it wider
/// and narrower, Delete puts it away, the menu key offers all.
class LedgerHeader : public QHeaderView {
  Q_OBJECT
 public:
  LedgerHeader(SessionModel& session, QWidget* parent);
  ~LedgerHeader() override;

  /// Takes up the columns last chosen for buses of that protocol; for nullptr, those of the merged list.
  void showFor(const Protocol* protocol);
  /// The protocols of what is listed: columns that say nothing about any of them are not offered.
  void setListed(std::vector<const Protocol*> protocols) { m_listed = std::move(protocols); }
  /// From the left.
  std::vector<LedgerColumn> columns() const;
  /// Chosen; in a narrow list it may be put away for the moment.
  bool isShown(LedgerColumn column) const { return m_chosen.at(static_cast<std::size_t>(column)); }
  void setShown(LedgerColumn column, bool shown);
  /// In the viewport; empty when hidden.
  QRect rectOf(LedgerColumn column, int top, int height) const;
  std::optional<LedgerColumn> columnAt(int x) const;
  void setLabel(LedgerColumn column, const QString& text);
  /// Adds what can be chosen to a menu.
  void addColumnChoices(QMenu& menu);
  void useDefaults();
  /// Puts columns away that leave no room for what was said, those first that can best be missed.
  void fitTo(int width) { fitTo(width, m_leastForWords); }
  /// `leastForWords`: what the column of what was said needs.
  void fitTo(int width, int leastForWords);

 Q_SIGNALS:
  void columnsChanged();

 protected:
  void keyPressEvent(QKeyEvent* event) override;
  void focusInEvent(QFocusEvent* event) override;
  void focusOutEvent(QFocusEvent* event) override;
  void paintSection(QPainter* painter, const QRect& rect, int section) const override;

 private:
  /// What is listed, as the session calls it.
  std::string list() const;
  /// Of the columns shown, from the left: the head that the keyboard is on.
  int currentVisual() const;
  QString settingsKey() const;
  std::vector<ColumnPlace> places() const;
  void take(const std::vector<ColumnPlace>& places);
  void remember();
  int widthOf(LedgerColumn column) const;
  void resizeWithText();

  SessionModel& m_session;
  std::vector<bool> m_chosen = std::vector<bool>(ledgerColumns().size());
  LedgerColumn m_current = LedgerColumn::Number;  ///< for the keyboard
  int m_width = 0;
  double m_scale = 1.0;  ///< Theme::scale() that widths are at
  int m_leastForWords = 150;
  const Protocol* m_protocol = nullptr;
  std::vector<const Protocol*> m_listed;
  bool m_known = false;  ///< showFor() was called
  bool m_restoring = false;
  QTimer m_rememberSoon;  ///< a border that is dragged is remembered once
};

}  // namespace bexto::ui
