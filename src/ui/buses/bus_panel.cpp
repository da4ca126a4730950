#include "ui/buses/bus_panel.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QMenu>
#include <QScrollArea>
#include <QTimer>
#include <QToolButton>
#include <algorithm>

#include "core/decode/protocol.h"
#include "ui/buses/bus_card.h"
#include "ui/theme/theme.h"

namespace bexto::ui {

BusPanel::BusPanel(SessionModel& session, Engine& engine, SheetLibrary& library, Focus& focus, QWidget* parent)
    : QWidget(parent), m_session(session), m_engine(engine), m_library(library), m_focus(focus)
{
  auto* outer = new QVBoxLayout(this);
  outer->setContentsMargins(0, 4, 0, 0);
  outer->setSpacing(0);
  auto* head = new QHBoxLayout;
  head->setContentsMargins(12, 0, 6, 0);
  auto* title = new QLabel(tr("Buses"));
  setType(*title, Face::Words, 12, true);
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

  connect(&engine, &Engine::changed, this, &BusPanel::follow);
  connect(&engine, &Engine::captureChanged, this, &BusPanel::rebuild);
  connect(&theme(), &Theme::changed, this, &BusPanel::rebuild);
  rebuild();
}

void BusPanel::rebuild()
{
  // A card stays as long as its bus: what is being typed in it is nobody else's business.
  std::vector<BusCard*> before = std::move(m_cards);
  m_cards.clear();
  for (int i = 0; i < m_engine.busCount(); ++i) {
    const BusId bus = m_engine.bus(i).id;
    const auto kept =
        std::find_if(before.begin(), before.end(), [bus](const BusCard* card) { return card->bus() == bus; });
    if (kept != before.end()) {
      m_cards.push_back(*kept);
      before.erase(kept);
      m_cards.back()->refresh();
    } else {
      m_cards.push_back(makeCard(bus));
    }
  }
  for (BusCard* card : before) {
    card->hide();
    card->deleteLater();
  }
  m_add->setEnabled(m_engine.capture() != nullptr);
  m_empty->setVisible(m_cards.empty() && m_engine.capture() != nullptr);
  setInk(*m_empty, Ink::Muted);
}

BusCard* BusPanel::makeCard(BusId bus)
{
  auto* card = new BusCard(m_session, m_engine, m_library, m_focus, bus);
  m_column->insertWidget(m_column->count() - 1, card);
  card->setOpen(bus == m_openBus);
  connect(card, &BusCard::openWanted, this, [this, bus] { toggleSettings(bus); });
  connect(card, &BusCard::sheetWanted, this, [this, bus](const QString& name) { Q_EMIT sheetWanted(bus, name); });
  connect(card, &BusCard::rulesWanted, this, [this, bus] { Q_EMIT rulesWanted(bus); });
  // Not from inside the card's own signal: removing it deletes it.
  connect(card, &BusCard::removeWanted, this, [this, bus] {
    QTimer::singleShot(0, this, [this, bus] {
      m_openBus = BusId::None;
      m_session.removeBus(bus);
    });
  });
  return card;
}

void BusPanel::follow(const EngineChange& change)
{
  if (change.busList) {
    rebuild();
    return;
  }
  for (BusCard* card : m_cards) {
    if (const BusChange* const bus = change.of(card->bus()))
      card->refresh(bus->hasNewFrames() || m_engine.isLive());  // its curve shrinks as the capture grows
  }
}

void BusPanel::askForProtocol()
{
  m_add->menu()->popup(m_add->mapToGlobal(QPoint(0, m_add->height())));
  const auto likely = std::find(protocols().begin(), protocols().end(), &m_engine.likelyProtocol());
  m_add->menu()->setActiveAction(m_add->menu()->actions().at(likely - protocols().begin()));
}

void BusPanel::addBus(const Protocol& protocol)
{
  toggleSettings(m_session.addBus(m_engine.suggestBus(protocol)));
  QTimer::singleShot(0, this, [this] {
    if (!m_cards.empty())
      m_scroll->ensureWidgetVisible(m_cards.back());
  });
}

void BusPanel::toggleSettings(BusId bus)
{
  m_openBus = bus == m_openBus ? BusId::None : bus;
  for (BusCard* card : m_cards)
    card->setOpen(card->bus() == m_openBus);
}

}  // namespace bexto::ui
