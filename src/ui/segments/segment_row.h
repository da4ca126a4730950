#pragma once

#include <QScrollArea>

#include "ui/engine/engine.h"

class QButtonGroup;
class QHBoxLayout;
class QPushButton;

namespace bexto::ui {

/// The segments of the session, a pill each with its time and what started it; one is shown, a click or an arrow key
/// shows another. Away while there is only one.
class SegmentRow : public QScrollArea {
  Q_OBJECT
 public:
  explicit SegmentRow(Engine& engine, QWidget* parent = nullptr);

  int pillCount() const { return static_cast<int>(m_pills.size()); }
  QPushButton& pill(int place) { return *m_pills.at(static_cast<std::size_t>(place)); }
  /// Whether the keyboard is in it.
  bool hasKeyboard() const;
  /// The one that is shown `by` further on, as far as there are any.
  void walk(int by);
  void askForName(std::size_t place);
  void askToRemove(std::size_t place);

 protected:
  bool eventFilter(QObject* watched, QEvent* event) override;

 private:
  void refresh();
  void makePills();
  void openMenu(std::size_t place, const QPoint& at);

  Engine& m_engine;
  QHBoxLayout* m_row;
  QButtonGroup* m_group;
  std::vector<QPushButton*> m_pills;
};

}  // namespace bexto::ui
