// Tested by tests/ui/send_test.cpp.
#include "ui/bench/send_row.h"

#include <QComboBox>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QMenu>
#include <QPushButton>
#include <QRegularExpression>
#include <QSignalBlocker>
#include <QVBoxLayout>
#include <algorithm>

#include "core/base/time_text.h"
#include "core/decode/protocol.h"
#include "ui/text/elided_label.h"
#include "ui/text/text.h"
#include "ui/theme/theme.h"

namespace bexto::ui {

namespace {

constexpr std::size_t kShown = 6;  ///< of what was sent before
constexpr auto kShortest = std::chrono::milliseconds{1};

QLabel* caption(const QString& text)
{
  auto* label = new QLabel(text);
  setInk(*label, Ink::Muted);
  setType(*label, Face::Words, 12);
  return label;
}

/// nullopt: what is typed is no time. 0: once.
std::optional<Picoseconds> everyOf(const QComboBox& choice)
{
  const QString text = choice.currentText().trimmed();
  if (text.isEmpty() || text == choice.itemText(0))
    return Picoseconds{0};
  // "every 10 ms", and what is typed without the word.
  static const QRegularExpression kWord(QStringLiteral("^\\D+"));
  const auto time = parseTime(QString(text).remove(kWord).toStdString());
  if (!time || *time < Picoseconds(kShortest))
    return std::nullopt;
  return *time;
}

}  // namespace

SendRow::SendRow(SessionModel& session, QWidget* parent) : QWidget(parent), m_session(session)
{
  setAccessibleName(tr("Send"));
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(12, 0, 12, 8);
  column->setSpacing(6);
  makeLine(*column);
  m_keptRow = new QWidget;
  m_kept = new QHBoxLayout(m_keptRow);
  m_kept->setContentsMargins(0, 0, 0, 0);
  m_kept->setSpacing(6);
  column->addWidget(m_keptRow);
  connect(&session, &SessionModel::sendsChanged, this, &SendRow::showKept);
  showKept();
}

void SendRow::makeLine(QVBoxLayout& column)
{
  auto* row = new QHBoxLayout;
  row->setSpacing(8);
  m_bus = new QComboBox;
  m_bus->setAccessibleName(tr("Send on"));
  m_bus->setObjectName(QStringLiteral("sendBus"));
  m_line = new QLineEdit;
  m_line->setAccessibleName(tr("What to send"));
  m_line->setObjectName(QStringLiteral("sendLine"));
  setType(*m_line, Face::Data, 12);
  m_every = new QComboBox;
  m_every->setEditable(true);
  m_every->setInsertPolicy(QComboBox::NoInsert);
  m_every->setAccessibleName(tr("How often"));
  m_every->setObjectName(QStringLiteral("sendEvery"));
  m_every->addItem(tr("once"));
  for (const char* const time : {"10 ms", "100 ms", "1 s", "10 s"})
    m_every->addItem(tr("every %1").arg(QString::fromLatin1(time)));
  setType(*m_every, Face::Data, 12);
  sized(*m_every, [this] { m_every->setFixedWidth(px(132)); });
  m_send = new QPushButton(tr("Send"));
  m_send->setObjectName(QStringLiteral("sendNow"));
  m_help = new ElidedLabel;
  m_help->setObjectName(QStringLiteral("sendHelp"));
  setType(*m_help, Face::Words, 12);
  connect(m_bus, &QComboBox::currentIndexChanged, this, &SendRow::showHelp);
  connect(m_line, &QLineEdit::textChanged, this, &SendRow::showHelp);
  connect(m_line, &QLineEdit::returnPressed, this, &SendRow::send);
  connect(m_every, &QComboBox::currentTextChanged, this, &SendRow::showHelp);
  connect(m_send, &QPushButton::clicked, this, [this] {
    if (m_repeats) {
      end();
      Q_EMIT ended();
    } else {
      send();
    }
  });
  row->addWidget(caption(tr("Send on")));
  row->addWidget(m_bus);
  row->addWidget(m_line, 3);
  row->addWidget(m_help, 2);
  row->addWidget(m_every);
  row->addWidget(m_send);
  column.addLayout(row);
}

void SendRow::setBuses(const std::vector<std::pair<BusId, Bus>>& buses)
{
  if (buses == m_buses)
    return;
  const QString before = m_bus->currentText();
  m_buses = buses;
  {
    const QSignalBlocker quiet(m_bus);
    m_bus->clear();
    for (const auto& [id, bus] : m_buses)
      m_bus->addItem(toQString(bus.name));
    m_bus->setCurrentIndex(std::max(0, m_bus->findText(before)));
  }
  showHelp();
  showKept();
}

void SendRow::end()
{
  m_repeats = false;
  m_send->setText(tr("Send"));
}

/// What the line means on that bus, or what is wrong with it.
void SendRow::showHelp()
{
  const auto place = static_cast<std::size_t>(std::max(0, m_bus->currentIndex()));
  if (place >= m_buses.size())
    return;
  const Bus& bus = m_buses[place].second;
  m_line->setPlaceholderText(toQString(bus.protocol().facts().sendExample));
  QString text;
  bool wrong = false;
  if (!everyOf(*m_every)) {
    text = tr("how often is a time from 1 ms on");
    wrong = true;
  } else if (!m_line->text().trimmed().isEmpty()) {
    const auto telegram = bus.protocol().telegram(bus, m_line->text().toStdString());
    wrong = !telegram;
    if (wrong)
      text = toQString(telegram.error().mend.empty() ? telegram.error().message : telegram.error().mend);
    else if (telegram->length > Picoseconds{0})
      text = tr("takes %1").arg(toQString(lengthText(telegram->length, 3)));
  }
  m_help->setText(text);
  setInk(*m_help, wrong ? Ink::Fault : Ink::Muted);
  m_send->setEnabled(m_repeats || (!wrong && !m_line->text().trimmed().isEmpty()));
}

void SendRow::send()
{
  const auto every = everyOf(*m_every);
  const auto place = static_cast<std::size_t>(std::max(0, m_bus->currentIndex()));
  if (every && place < m_buses.size())
    give(place, m_line->text().trimmed(), *every);
}

void SendRow::give(std::size_t bus, const QString& text, Picoseconds every)
{
  const auto what = live::outgoing(m_buses[bus].second, text.toStdString());
  if (!what)
    return;  // the row says so
  m_session.keepSend({m_buses[bus].first, text.toStdString(), every});
  if (m_repeats)
    Q_EMIT ended();
  m_repeats = every > Picoseconds{0};
  m_send->setText(m_repeats ? tr("End") : tr("Send"));
  m_send->setEnabled(true);
  Q_EMIT wanted(*what, every);
}

/// The bus that a kept line is for: its own, or where that was none yet, the first that can read it.
std::size_t SendRow::busOf(const SendLine& line) const
{
  for (std::size_t i = 0; i < m_buses.size(); ++i) {
    const bool fits = line.bus == BusId::None
                          ? m_buses[i].second.protocol().telegram(m_buses[i].second, line.text).has_value()
                          : m_buses[i].first == line.bus;
    if (fits)
      return i;
  }
  return m_buses.size();
}

void SendRow::sendKept(const SendLine& line)
{
  const std::size_t bus = busOf(line);
  if (bus >= m_buses.size())
    return;
  m_bus->setCurrentIndex(static_cast<int>(bus));
  m_line->setText(toQString(line.text));
  m_every->setEditText(line.every > Picoseconds{0} ? tr("every %1").arg(toQString(lengthText(line.every, 6)))
                                                   : m_every->itemText(0));
  give(bus, toQString(line.text), line.every);
}

void SendRow::showKept()
{
  while (QLayoutItem* const item = m_kept->takeAt(0)) {
    if (item->widget() != nullptr) {
      item->widget()->hide();
      item->widget()->deleteLater();
    }
    delete item;
  }
  std::size_t shown = 0;
  for (const SendLine& line : m_session.value().sends) {
    const std::size_t bus = busOf(line);
    if (bus >= m_buses.size() || shown == kShown)
      continue;
    if (shown++ == 0)
      m_kept->addWidget(caption(tr("Again")));
    QString text = toQString(line.text).left(32);
    if (line.every > Picoseconds{0})
      text = tr("%1  every %2").arg(text, toQString(lengthText(line.every, 3)));
    auto* pill = new QPushButton(text.replace(QLatin1Char('&'), QStringLiteral("&&")));
    pill->setProperty("pill", true);
    setType(*pill, Face::Data, 11);
    pill->setToolTip(tr("Send on %1 again; right click to forget it").arg(toQString(m_buses[bus].second.name)));
    pill->setContextMenuPolicy(Qt::CustomContextMenu);
    connect(pill, &QPushButton::clicked, this, [this, line] { sendKept(line); });
    connect(pill, &QPushButton::customContextMenuRequested, this, [this, line, pill](QPoint at) {
      QMenu menu;
      menu.addAction(tr("Forget it"), this, [this, line] { m_session.forgetSend(line); });
      menu.exec(pill->mapToGlobal(at));
    });
    m_kept->addWidget(pill);
  }
  m_kept->addStretch(1);
  m_keptRow->setVisible(shown > 0);
}

}  // namespace bexto::ui
