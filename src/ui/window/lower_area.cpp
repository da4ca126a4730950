#include "ui/window/lower_area.h"

#include <QHBoxLayout>
#include <QStackedWidget>
#include <QToolButton>

#include "ui/bytes/bytes_view.h"
#include "ui/focus/workspace.h"
#include "ui/ledger/ledger_area.h"
#include "ui/theme/theme.h"

namespace bexto::ui {

namespace {

QToolButton* makeTab(const QString& text, const QString& tip)
{
  auto* tab = new QToolButton;
  tab->setText(text);
  tab->setToolTip(tip);
  tab->setCheckable(true);
  tab->setProperty("tab", true);
  tab->setFont(theme().words(13, true));
  return tab;
}

}  // namespace

LowerArea::LowerArea(Workspace& workspace, QWidget* parent)
    : QWidget(parent),
      m_ledgers(new LedgerArea(workspace.session, workspace.engine, workspace.focus)),
      m_bytes(new BytesPage(workspace.engine, workspace.focus)),
      m_controls(new QStackedWidget),
      m_pages(new QStackedWidget),
      m_ledgerTab(makeTab(tr("Ledger"), tr("What was said, line by line (1)"))),
      m_bytesTab(makeTab(tr("Bytes"), tr("The payload alone (2)")))
{
  auto* head = new QWidget;
  head->setFixedHeight(34);
  head->setAutoFillBackground(true);
  head->setBackgroundRole(QPalette::Base);
  auto* row = new QHBoxLayout(head);
  row->setContentsMargins(6, 0, 0, 0);
  row->setSpacing(0);
  row->addWidget(m_ledgerTab);
  row->addWidget(m_bytesTab);
  row->addSpacing(10);
  m_controls->addWidget(m_ledgers->controls());
  m_controls->addWidget(m_bytes->controls());
  row->addWidget(m_controls, 1);
  m_pages->addWidget(m_ledgers);
  m_pages->addWidget(m_bytes);
  auto* rule = new QFrame;
  rule->setFixedHeight(1);
  rule->setAutoFillBackground(true);
  rule->setBackgroundRole(QPalette::Mid);
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(0);
  column->addWidget(rule);
  column->addWidget(head);
  column->addWidget(m_pages, 1);
  connect(m_ledgerTab, &QToolButton::clicked, this, [this] { showPage(Page::Ledger); });
  connect(m_bytesTab, &QToolButton::clicked, this, [this] { showPage(Page::Bytes); });
  showPage(Page::Ledger);
}

void LowerArea::showPage(Page page)
{
  const int i = static_cast<int>(page);
  m_pages->setCurrentIndex(i);
  m_controls->setCurrentIndex(i);
  m_ledgerTab->setChecked(page == Page::Ledger);
  m_bytesTab->setChecked(page == Page::Bytes);
  if (page == Page::Ledger)
    m_ledgers->active().setFocus();
  else
    m_bytes->view().setFocus();
}

LowerArea::Page LowerArea::page() const
{
  return static_cast<Page>(m_pages->currentIndex());
}

}  // namespace bexto::ui
