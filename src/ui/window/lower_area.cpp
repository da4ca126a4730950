#include "ui/window/lower_area.h"

#include <QHBoxLayout>
#include <QStackedWidget>
#include <QToolButton>

#include "ui/theme/theme.h"

namespace bexto::ui {

LowerArea::LowerArea(QWidget* parent)
    : QWidget(parent), m_tabRow(new QHBoxLayout), m_controls(new QStackedWidget), m_stack(new QStackedWidget)
{
  auto* head = new QWidget;
  sized(*head, [head] { head->setFixedHeight(px(34)); });
  head->setAutoFillBackground(true);
  head->setBackgroundRole(QPalette::Base);
  auto* row = new QHBoxLayout(head);
  row->setContentsMargins(6, 0, 0, 0);
  row->setSpacing(0);
  m_tabRow->setSpacing(0);
  row->addLayout(m_tabRow);
  row->addSpacing(10);
  row->addWidget(m_controls, 1);
  auto* rule = new QFrame;
  rule->setFixedHeight(1);
  rule->setAutoFillBackground(true);
  rule->setBackgroundRole(QPalette::Mid);
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(0);
  column->addWidget(rule);
  column->addWidget(head);
  column->addWidget(m_stack, 1);
}

void LowerArea::add(LowerPage* page)
{
  auto* tab = new QToolButton;
  tab->setText(page->title());
  tab->setToolTip(tr("%1 (%2)").arg(page->help()).arg(m_pages.size() + 1));
  tab->setCheckable(true);
  tab->setProperty("tab", true);
  setType(*tab, Face::Words, 13, true);
  sized(*tab, [tab] { tab->setMinimumWidth(px(22)); });  // where there is no room, before the lists have none
  connect(tab, &QToolButton::clicked, this, [this, page] { show(*page); });
  m_tabRow->addWidget(tab);
  m_tabs.push_back(tab);
  m_controls->addWidget(page->controls());
  m_stack->addWidget(page);
  m_pages.push_back(page);
  if (m_pages.size() == 1)
    choose(*page);
}

void LowerArea::choose(LowerPage& page)
{
  for (std::size_t i = 0; i < m_pages.size(); ++i) {
    m_tabs[i]->setChecked(m_pages[i] == &page);
    if (m_pages[i] != &page)
      continue;
    m_stack->setCurrentIndex(static_cast<int>(i));
    m_controls->setCurrentIndex(static_cast<int>(i));
  }
}

void LowerArea::show(LowerPage& page)
{
  choose(page);
  page.keyboard().setFocus();
}

LowerPage& LowerArea::shown() const
{
  return *m_pages.at(static_cast<std::size_t>(m_stack->currentIndex()));
}

}  // namespace bexto::ui
