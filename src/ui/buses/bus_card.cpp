#include "ui/buses/bus_card.h"

#include <QMouseEvent>
#include <QPainter>
#include <QToolButton>
#include <QVBoxLayout>
#include <cmath>

#include "core/base/number_text.h"
#include "core/base/time_text.h"
#include "core/decode/protocol.h"
#include "core/view/overview.h"
#include "ui/buses/bus_editor.h"
#include "ui/buses/load_curve.h"
#include "ui/theme/theme.h"

namespace bexto::ui {

namespace {

constexpr int kSummaryHeight = 98;
constexpr int kStopTop = 42;
constexpr int kLoadPoints = 44;
constexpr int kLongDecode = 300;  ///< ms

}  // namespace

BusCard::BusCard(SessionModel& session, Engine& engine, SheetLibrary& library, Focus& focus, BusId bus, QWidget* parent)
    : QFrame(parent), m_session(session), m_engine(engine), m_library(library), m_focus(focus), m_bus(bus)
{
  setFocusPolicy(Qt::TabFocus);
  setCursor(Qt::PointingHandCursor);
  auto* column = new QVBoxLayout(this);
  sized(*this, [column] { column->setContentsMargins(0, px(kSummaryHeight), 0, 0); });
  column->setSpacing(0);
  m_stop = new QToolButton(this);
  m_stop->setObjectName(QStringLiteral("stopDecode"));
  m_stop->setProperty("flat", true);
  setType(*m_stop, Face::Words, 11);
  m_stop->setCursor(Qt::ArrowCursor);
  m_stop->hide();
  connect(m_stop, &QToolButton::clicked, this, [this] {
    if (m_engine.find(m_bus)->decoding)
      m_engine.stopDecoding(m_bus);
    else
      m_engine.decodeAgain(m_bus);
  });
  m_long.setSingleShot(true);
  m_long.setInterval(kLongDecode);
  connect(&m_long, &QTimer::timeout, this, [this] { m_stop->show(); });
  connect(&focus, &Focus::selectionChanged, this, qOverload<>(&QWidget::update));
  refresh();
}

void BusCard::setOpen(bool open)
{
  if (open == isOpen())
    return;
  if (!open) {
    m_editor->finish();
    m_editor->hide();
    m_editor->deleteLater();
    m_editor = nullptr;
  } else {
    m_editor = new BusEditor(m_session, m_engine, m_library, m_bus, this);
    m_editor->setCursor(Qt::ArrowCursor);
    layout()->addWidget(m_editor);
    connect(m_editor, &BusEditor::closeWanted, this, &BusCard::openWanted);
    connect(m_editor, &BusEditor::removeWanted, this, &BusCard::removeWanted);
    connect(m_editor, &BusEditor::sheetWanted, this, &BusCard::sheetWanted);
    connect(m_editor, &BusEditor::rulesWanted, this, &BusCard::rulesWanted);
  }
  updateGeometry();
  update();
}

void BusCard::refresh(bool frames)
{
  const BusView& view = *m_engine.find(m_bus);
  if (frames)
    m_load.assign(kLoadPoints, 0);
  for (std::size_t s = 0; frames && s < view.streams.size(); ++s) {
    const StreamView& stream = view.streams[s];
    const auto density = trafficDensity(stream.transactions.frames(), m_engine.whole(), kLoadPoints);
    for (std::size_t i = 0; i < density.size(); ++i)
      m_load[i] = std::max(m_load[i], density[i]);
  }
  if (m_editor != nullptr)
    m_editor->refresh();
  updateStop();
  setAccessibleName(tr("Bus %1").arg(toQString(view.wanted.name)));
  setAccessibleDescription(lines().join(QStringLiteral(", ")));
  update();
}

void BusCard::updateStop()
{
  const BusView& view = *m_engine.find(m_bus);
  if (!view.stopped && !view.decoding) {
    m_long.stop();
    m_stop->hide();
    return;
  }
  m_stop->setText(view.stopped ? tr("Again") : tr("Stop"));
  m_stop->setAccessibleName(view.stopped ? tr("Decode %1 again from its begin").arg(toQString(view.wanted.name))
                                         : tr("Stop decoding %1").arg(toQString(view.wanted.name)));
  m_stop->setToolTip(m_stop->accessibleName());
  if (view.stopped)
    m_stop->show();
  else if (!m_stop->isVisible() && !m_long.isActive())
    m_long.start();
  m_stop->adjustSize();
  m_stop->move(width() - m_stop->width() - 8, px(kStopTop));
}

void BusCard::resizeEvent(QResizeEvent* /*event*/)
{
  m_stop->move(width() - m_stop->width() - 8, px(kStopTop));
}

/// Whether its frames came without a wire.
bool BusCard::hasRecords() const
{
  const std::vector<StreamView>& streams = m_engine.find(m_bus)->streams;
  return std::any_of(streams.begin(), streams.end(), [](const StreamView& s) { return s.input.records != nullptr; });
}

BusCard::Measured BusCard::measured() const
{
  const BusView& view = *m_engine.find(m_bus);
  if (view.stopped)
    return {tr("stopped at %1 %").arg(qRound(view.progress * 100.0)), true};
  if (hasRecords() && !view.decoding)
    return {tr("recorded as frames"), false};
  double hertz = 0.0;
  for (const StreamView& stream : view.streams)
    hertz = hertz > 0.0 ? hertz : stream.measuredHertz;
  if (hertz <= 0.0)
    return {view.decoding ? tr("decoding %1 %").arg(qRound(view.progress * 100.0)) : tr("rate not measured"), false};
  const Protocol& protocol = view.shown.protocol();
  if (const double set = protocol.setRate(view.shown); set > 0.0) {
    const double off = hertz / set - 1.0;
    // What rounds to nothing has no sign.
    const bool none = std::abs(off) < 0.00005;
    const QString sign = none ? QString() : off < 0.0 ? QStringLiteral("−") : QStringLiteral("+");
    const QString rate = toQString(countText(static_cast<std::uint64_t>(std::llround(hertz))));
    return {
        tr("%1 %2 %3%4 %").arg(rate, toQString(protocol.facts().rateUnit), sign).arg(std::abs(off) * 100.0, 0, 'f', 2),
        std::abs(off) > protocol.facts().rateTolerance};
  }
  return {tr("clock %1").arg(toQString(frequencyText(hertz))), false};
}

QString BusCard::countLine() const
{
  const BusView& view = *m_engine.find(m_bus);
  const Protocol& protocol = view.shown.protocol();
  const std::uint64_t count = protocol.facts().countsTransactions ? view.transactionCount() : view.frameCount();
  return countOf(count, protocol.noun(view.shown));
}

QString BusCard::faultLine() const
{
  const BusView& view = *m_engine.find(m_bus);
  const std::uint64_t faults = view.faultCount();
  if (faults == 0)
    return tr("clean");
  // A wrong setting shows as faults everywhere: then the share says more than the number.
  const double share = static_cast<double>(faults) / static_cast<double>(std::max<std::uint64_t>(1, view.frameCount()));
  return share < 0.1 ? tr("▲ %1").arg(toQString(countText(faults)))
                     : tr("▲ %1 % faulty").arg(std::floor(share * 100.0), 0, 'f', 0);
}

QStringList BusCard::lines() const
{
  const BusView& view = *m_engine.find(m_bus);
  QStringList wires;
  for (const BusWire& wire : view.wanted.wires)
    wires << toQString(wire.channel);
  const QString settings = toQString(view.wanted.protocol().settingsSummary(view.wanted));
  QStringList about{wires.join(QLatin1Char(' '))};
  // A rate to be found from the wire is none where there is no wire.
  const bool saysNothing = hasRecords() && view.wanted.protocol().setRate(view.wanted) <= 0.0;
  if (!settings.isEmpty() && !saysNothing)
    about.insert(view.wanted.protocol().facts().wiresFirst ? 1 : 0, settings);
  QStringList lines{toQString(view.wanted.name), toQString(view.wanted.protocol().label()),
                    about.join(QStringLiteral(" · "))};
  if (m_engine.isOfAnotherSegment(m_bus))
    return lines << tr("in another segment");
  if (view.error)
    return lines << toQString(view.error->message);
  lines << measured().text << countLine();
  lines << faultLine();
  return lines;
}

void BusCard::paintEvent(QPaintEvent* /*event*/)
{
  const Palette& c = theme().colours();
  const BusView& view = *m_engine.find(m_bus);
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  const bool selected = m_focus.selection().stream.bus == m_bus;
  p.setPen(QPen(hasFocus() ? c.address : selected ? c.ink : c.rule, selected || hasFocus() ? 1.4 : 1.0));
  p.setBrush(c.panel);
  p.drawRoundedRect(QRectF(rect()).adjusted(1, 1, -1, -1), 6, 6);
  const QStringList text = lines();
  const QRect inner(px(12), px(8), width() - px(24), px(kSummaryHeight));
  const auto line = [&](int y, Qt::Alignment side, const QFont& font, const QColor& colour, const QString& what,
                        int taken = 0) {
    p.setFont(font);
    p.setPen(colour);
    const int room = inner.width() - taken;
    const QString said = p.fontMetrics().elidedText(what, Qt::ElideRight, room);
    const QRect at(inner.left() + (side == Qt::AlignRight ? taken : 0), inner.top() + px(y), room, px(18));
    p.drawText(at, static_cast<int>((side | Qt::AlignVCenter).toInt()), said);
    return p.fontMetrics().horizontalAdvance(said) + px(6);
  };
  const int label = line(0, Qt::AlignRight, theme().words(11), c.muted, text[1]);
  line(0, Qt::AlignLeft, theme().words(13, true), c.ink, text[0], label);
  line(19, Qt::AlignLeft, theme().data(11), c.muted, text[2]);
  if (m_engine.isOfAnotherSegment(m_bus)) {
    line(36, Qt::AlignLeft, theme().words(11), c.muted, text[3]);
    return;
  }
  if (view.error) {
    p.setFont(theme().words(11));
    p.setPen(c.fault);
    p.drawText(QRect(inner.left(), inner.top() + px(40), inner.width(), px(44)), Qt::AlignLeft | Qt::TextWordWrap,
               QStringLiteral("▲ ") + text[3]);
    return;
  }
  const bool off = measured().off;
  line(36, Qt::AlignLeft, theme().data(11), off ? c.fault : c.ink, text[3]);
  paintLoadCurve(p, QRectF(inner.left(), inner.top() + px(56), inner.width(), px(12)), m_load);
  const bool clean = view.faultCount() == 0;
  const int faults = line(70, Qt::AlignRight, theme().words(11, !clean), clean ? c.payload : c.fault,
                          view.frameCount() == 0 ? QString() : text[5]);
  line(70, Qt::AlignLeft, theme().words(11), c.muted, text[4], faults);
}

void BusCard::mouseReleaseEvent(QMouseEvent* event)
{
  if (event->button() == Qt::LeftButton && rect().contains(event->pos()) && event->pos().y() < px(kSummaryHeight))
    Q_EMIT openWanted();
}

void BusCard::keyPressEvent(QKeyEvent* event)
{
  if (event->key() == Qt::Key_Return || event->key() == Qt::Key_Space)
    Q_EMIT openWanted();
  else
    QFrame::keyPressEvent(event);
}

}  // namespace bexto::ui
