#pragma once

#include "ui/checks/rule_model.h"
#include "ui/focus/focus.h"
#include "ui/page/lower_page.h"

class QComboBox;
class QLabel;
class QListWidget;
class QStackedWidget;
class QToolButton;
class QTreeView;

namespace bexto::ui {

/// Rules by bus with verdict, the worst value against its limit, how often values were where, and the worst places,
/// each of which leads to its wires.
class ChecksPage : public LowerPage {
  Q_OBJECT
 public:
  ChecksPage(SessionModel& session, Engine& engine, Verdicts& verdicts, Focus& focus, QWidget* parent = nullptr);

  QString title() const override { return tr("Checks"); }
  QString help() const override { return tr("What was measured, against its limits"); }
  QString key() const override { return QStringLiteral("checks"); }
  QWidget* controls() override { return m_controls; }
  QWidget& keyboard() override;

  QTreeView& list() { return *m_list; }
  const RuleModel& rows() const { return *m_rows; }
  QListWidget& places() { return *m_places; }
  QComboBox& extent() { return *m_extent; }
  QToolButton& bookButton() { return *m_book; }
  QString status() const;
  /// What is said of the picked rule.
  QString details() const;
  /// Picks that rule, when it is there.
  void pick(BusId bus, const RuleResult& rule);
  /// Picks the first line of that bus.
  void pick(BusId bus);

 Q_SIGNALS:
  /// A bus has to be set up first.
  void busWanted();
  /// A rulebook of the bus is to be edited.
  void bookWanted(BusId bus, const QString& name);
  /// One of its own is to be made from that shipped one; empty: from none.
  void newBookWanted(BusId bus, const QString& base);

 protected:
  void showEvent(QShowEvent* event) override;

 private:
  void refresh();
  void showRule();
  void showCurrentPlace();
  void fillBookMenu();
  void useBook(const QString& nameOrFile);
  void offerOwn(const Bus& bus, BusId id);

  SessionModel& m_session;
  Engine& m_engine;
  Verdicts& m_verdicts;
  Focus& m_focus;
  QWidget* m_controls;
  QComboBox* m_extent;  ///< all rules, or what did not pass
  QToolButton* m_book;
  QLabel* m_status;
  QStackedWidget* m_stack;
  QTreeView* m_list;
  RuleModel* m_rows;
  QLabel* m_details;
  QListWidget* m_places;
  bool m_stale = true;
};

}  // namespace bexto::ui
