#pragma once

#include <QWidget>
#include <vector>

#include "ui/page/lower_page.h"

class QHBoxLayout;
class QStackedWidget;
class QToolButton;

namespace bexto::ui {

/// What stands under the Timeline: pages with a tab each, one of them shown. The keys 1, 2 … go to them.
class LowerArea : public QWidget {
  Q_OBJECT
 public:
  explicit LowerArea(QWidget* parent = nullptr);

  /// Takes the page over. The first is shown.
  void add(LowerPage* page);
  const std::vector<LowerPage*>& pages() const { return m_pages; }
  /// Requires: the page was added. Gives it the keyboard.
  void show(LowerPage& page);
  /// Requires: there is one.
  LowerPage& shown() const;

 private:
  void choose(LowerPage& page);

  std::vector<LowerPage*> m_pages;
  std::vector<QToolButton*> m_tabs;
  QHBoxLayout* m_tabRow;
  QStackedWidget* m_controls;
  QStackedWidget* m_stack;
};

}  // namespace bexto::ui
