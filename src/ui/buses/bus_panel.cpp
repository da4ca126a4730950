#include "ui/buses/bus_panel.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QMenu>
#include <QScrollArea>
#include <QTimer>
#include <QToolButton>

#include "core/decode/protocol.h"
#include "ui/buses/bus_card.h"
#include "ui/theme/theme.h"

namespace bexto::ui {

BusPanel::BusPanel(Document& document, Focus& focus, QWidget* parent)
    : QWidget(parent), m_document(document), m_focus(focus)
{
  auto* outer = new QVBoxLayout(this);
  outer->setContentsMargins(0, 4, 0, 0);
  outer->setSpacing(0);
  auto* head = new QHBoxLayout;
  head->setContentsMargins(12, 0, 6, 0);
  auto* title = new QLabel(tr("Buses"));
  title->setFont(theme().words(12, true));
  m_add = new QToolButton;
  m_add->setText(tr("+ add"));
  m_add->setObjectName(QStringLiteral("addBus"));
  m_add->setAccessibleName(tr("Add a bus"));
  m_add->setProperty("flat", true);
  m_add->setPopupMode(QToolButton::InstantPopup);
  auto* menu = new QMenu(m_add);
  for (const Protocol* protocol : protocols())
    menu->addAction(toQString(protocol->label()), this, [this, protocol] { addBus(*protocol); });
  m_add->setMenu(menu);
  head->addWidget(title);
  head->addStretch();
  head->addWidget(m_add);
  outer->addLayout(head);

  m_scroll = new QScrollArea;
  m_scroll->setWidgetResizable(true);
  m_scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  m_scroll->setFocusPolicy(Qt::NoFocus);
  auto* content = new QWidget;
  m_column = new QVBoxLayout(content);
  m_column->setContentsMargins(8, 6, 8, 8);
  m_column->setSpacing(8);
  m_empty = new QLabel(tr("Add a bus to read what was said: choose its protocol and its wires."));
  m_empty->setWordWrap(true);
  m_column->addWidget(m_empty);
  m_column->addStretch();
  m_scroll->setWidget(content);
  outer->addWidget(m_scroll);

  connect(&document, &Document::busListChanged, this, &BusPanel::rebuild);
  connect(&document, &Document::busChanged, this, &BusPanel::busChanged);
  connect(&document, &Document::captureChanged, this, &BusPanel::rebuild);
  connect(&theme(), &Theme::changed, this, &BusPanel::rebuild);
  rebuild();
}

void BusPanel::rebuild()
{
  for (BusCard* card : m_cards) {
    card->hide();
    card->deleteLater();
  }
  m_cards.clear();
  if (m_openBus >= m_document.busCount())
    m_openBus = -1;
  for (int i = 0; i < m_document.busCount(); ++i) {
    auto* card = new BusCard(m_document, m_focus, i);
    m_column->insertWidget(m_column->count() - 1, card);
    card->setOpen(i == m_openBus);
    connect(card, &BusCard::openWanted, this, [this, i] { toggleSettings(i); });
    // Not from inside the card's own signal: removing it deletes it.
    connect(card, &BusCard::removeWanted, this, [this, i] {
      QTimer::singleShot(0, this, [this, i] {
        m_openBus = -1;
        m_document.removeBus(i);
      });
    });
    m_cards.push_back(card);
  }
  m_add->setEnabled(m_document.capture() != nullptr);
  m_empty->setVisible(m_cards.empty() && m_document.capture() != nullptr);
  m_empty->setStyleSheet(QStringLiteral("color: %1;").arg(theme().colours().muted.name()));
}

void BusPanel::busChanged(int bus)
{
  if (static_cast<std::size_t>(bus) < m_cards.size())
    m_cards[static_cast<std::size_t>(bus)]->refresh();
}

void BusPanel::addBus(const Protocol& protocol)
{
  m_openBus = m_document.busCount();
  m_document.addBus(m_document.suggestBus(protocol));
  QTimer::singleShot(0, this, [this] {
    if (!m_cards.empty())
      m_scroll->ensureWidgetVisible(m_cards.back());
  });
}

void BusPanel::toggleSettings(int bus)
{
  m_openBus = bus == m_openBus ? -1 : bus;
  for (std::size_t i = 0; i < m_cards.size(); ++i)
    m_cards[i]->setOpen(static_cast<int>(i) == m_openBus);
}

}  // namespace bexto::ui
