#pragma once

#include <map>
#include <optional>
#include <utility>

#include "ui/focus/focus.h"
#include "ui/page/lower_page.h"
#include "ui/verdicts/verdicts.h"

class QComboBox;
class QLabel;
class QStackedWidget;
class QTreeWidget;
class QTreeWidgetItem;

namespace bexto::ui {

/// Everything that is wrong, in order of gravity or of time, with its evidence and its likely cause. What is of one
/// kind stands under one line. Picking one shows it on its wires.
class FindingsPage : public LowerPage {
  Q_OBJECT
 public:
  FindingsPage(Engine& engine, Verdicts& verdicts, Focus& focus, QWidget* parent = nullptr);

  QString title() const override { return tr("Findings"); }
  QString help() const override { return tr("Everything that is wrong, with its likely cause"); }
  QString key() const override { return QStringLiteral("findings"); }
  QWidget* controls() override { return m_controls; }
  QWidget& keyboard() override;

  QTreeWidget& list() { return *m_list; }
  QComboBox& order() { return *m_order; }
  QString status() const;
  /// Makes that one the current line, without going there.
  void pick(const Verdicts::Place& place);

 Q_SIGNALS:
  /// The rule of the picked one is wanted.
  void ruleWanted(BusId bus, const QString& rule, const QString& book);

 protected:
  void showEvent(QShowEvent* event) override;

 private:
  enum Column { Time, BusName, What, Likely, Evidence, Columns };
  void refresh();
  QTreeWidgetItem* lineOf(const Verdicts::Place& place) const;
  QTreeWidgetItem* lineOf(BusId bus, const Remark& remark, std::size_t number) const;
  /// Nothing: it is a remark.
  static std::optional<Verdicts::Place> placeOf(const QTreeWidgetItem& item);
  /// Behind all that is wrong; returns how many there are.
  std::uint64_t addRemarks();
  void showCurrent(QTreeWidgetItem* item);

  Engine& m_engine;
  Verdicts& m_verdicts;
  Focus& m_focus;
  QWidget* m_controls;
  QComboBox* m_order;
  QLabel* m_status;
  QStackedWidget* m_stack;
  QLabel* m_empty;
  QTreeWidget* m_list;
  std::map<std::pair<BusId, std::size_t>, QTreeWidgetItem*> m_items;
  bool m_stale = true;
};

}  // namespace bexto::ui
