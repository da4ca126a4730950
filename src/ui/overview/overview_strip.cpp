#include "ui/overview/overview_strip.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <cmath>

#include "core/base/number_text.h"
#include "core/base/time_text.h"
#include "core/view/overview.h"
#include "core/view/wire_activity.h"
#include "ui/theme/theme.h"

namespace bexto::ui {

namespace {
constexpr int kLeft = 224;
constexpr int kRight = 8;
constexpr int kBusHeight = 12;
/// Of all rows together: more of them are lower, so that the window does not grow with its buses.
constexpr int kMostRowsHeight = 144;
/// Wires that have a row as long as there is no bus.
constexpr std::size_t kMostWires = 12;
constexpr double kLeastForName = 9.0;
constexpr int kTop = 12;
constexpr double kLeastWindow = 8.0;
constexpr double kGripPixels = 5.0;
}  // namespace

OverviewStrip::OverviewStrip(SessionModel& session, Engine& engine, Focus& focus, QWidget* parent)
    : QWidget(parent), m_session(session), m_engine(engine), m_focus(focus)
{
  setAccessibleName(tr("Overview of the capture"));
  setMouseTracking(true);
  setFocusPolicy(Qt::TabFocus);
  setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
  const auto repaint = [this] { update(); };
  connect(&engine, &Engine::captureChanged, this, &OverviewStrip::refresh);
  connect(&engine, &Engine::captureGrew, this, &OverviewStrip::refresh);
  connect(&engine, &Engine::changed, this, &OverviewStrip::follow);
  connect(&focus, &Focus::axisChanged, this, repaint);
  connect(&session, &SessionModel::changed, this, [this](const SessionChange& change) {
    // Wires may have been called otherwise.
    if (change.lanes && m_engine.busCount() == 0)
      refresh();
  });
  connect(&theme(), &Theme::changed, this, [this] {
    m_pictureOld = true;
    update();
  });
  connect(&theme(), &Theme::resized, this, &OverviewStrip::refresh);
}

QSize OverviewStrip::sizeHint() const
{
  const auto rows = static_cast<double>(std::max<std::size_t>(2, m_rows.size()));
  return {600, std::max(px(52), px(kTop) * 2 + static_cast<int>(std::ceil(rowHeight() * rows)))};
}

QRect OverviewStrip::strip() const
{
  // The names' room; large letters in a small window leave the traffic the larger part.
  const int left = std::min(px(kLeft), width() / 4);
  return {left, 0, std::max(1, width() - left - px(kRight)), height() - 1};
}

double OverviewStrip::xOf(Picoseconds t) const
{
  const double whole = std::max(1.0, static_cast<double>(m_engine.whole().length().count()));
  return strip().left() + static_cast<double>(t.count()) / whole * strip().width();
}

Picoseconds OverviewStrip::timeAt(double x) const
{
  const double share = std::clamp((x - strip().left()) / strip().width(), 0.0, 1.0);
  return Picoseconds{std::llround(share * static_cast<double>(m_engine.whole().length().count()))};
}

OverviewStrip::Row OverviewStrip::rowOf(const BusView& view) const
{
  Row row;
  row.bus = view.id;
  row.name = toQString(view.wanted.name);
  row.density.assign(static_cast<std::size_t>(strip().width()), 0);
  for (const StreamView& stream : view.streams) {
    const auto density = trafficDensity(stream.transactions.frames(), m_engine.whole(), strip().width());
    for (std::size_t x = 0; x < density.size(); ++x)
      row.density[x] = std::max(row.density[x], density[x]);
    for (const int x : faultColumns(stream.transactions.frames(), stream.faulty, m_engine.whole(), strip().width()))
      row.faults.push_back(strip().left() + x);
  }
  const BusCheck* const check = m_verdicts == nullptr ? nullptr : m_verdicts->of(view.id);
  for (std::size_t i = 0; check != nullptr && i < check->findings.size(); ++i) {
    const Finding& finding = check->findings[i];
    (finding.gravity == Gravity::Error ? row.faults : row.limits).push_back(static_cast<int>(xOf(finding.time.begin)));
  }
  for (std::vector<int>* const columns : {&row.faults, &row.limits}) {
    std::sort(columns->begin(), columns->end());
    columns->erase(std::unique(columns->begin(), columns->end()), columns->end());
  }
  return row;
}

void OverviewStrip::showFindings(Verdicts& verdicts)
{
  m_verdicts = &verdicts;
  connect(&verdicts, &Verdicts::changed, this, [this] { refresh(); });
}

/// Without buses, where the wires do something; of many wires, those that do most.
void OverviewStrip::addWires()
{
  const std::vector<Channel>& channels = m_engine.capture()->channels;
  const TimeRange whole = m_engine.whole();
  const std::vector<std::size_t> wires = busiestWires(channels, kMostWires);
  std::uint64_t most = 1;
  for (const std::size_t wire : wires)
    most = std::max(most, mostTransitions(channels[wire].track, whole, strip().width()));
  for (const std::size_t wire : wires) {
    const Channel& channel = channels[wire];
    Row row;
    row.name = toQString(m_session.value().lanes.nameOf(channel.path, channel.name));
    row.transitions = channel.track.size();
    row.density = wireDensity(channel.track, whole, strip().width(), most);
    m_rows.push_back(std::move(row));
  }
  if (wires.size() == kMostWires)
    m_wires = busiestWires(channels, channels.size()).size();
}

void OverviewStrip::refresh()
{
  m_rows.clear();
  m_wires = 0;
  for (int b = 0; m_engine.capture() && b < m_engine.busCount(); ++b)
    m_rows.push_back(rowOf(m_engine.bus(b)));
  if (m_rows.empty() && m_engine.capture())
    addWires();
  m_pictureOld = true;
  findMatches();
  updateGeometry();
  update();
}

void OverviewStrip::follow(const EngineChange& change)
{
  if (change.busList) {
    refresh();
    return;
  }
  bool faults = false;
  for (std::size_t i = 0; i < m_rows.size(); ++i) {
    const BusChange* const bus = m_rows[i].bus == BusId::None ? nullptr : change.of(m_rows[i].bus);
    if (bus == nullptr || !(bus->hasNewFrames() || bus->described))
      continue;
    Row row = m_rows[i];
    if (bus->hasNewFrames())
      row = rowOf(*m_engine.find(bus->bus));
    else
      row.name = toQString(m_engine.find(bus->bus)->wanted.name);
    const bool otherFaults = row.faults != m_rows[i].faults;
    const bool other = otherFaults || row.density != m_rows[i].density || row.name != m_rows[i].name;
    m_rows[i] = std::move(row);
    if (!other)
      continue;
    faults = faults || otherFaults;
    if (!m_pictureOld)
      drawRow(i);
    update();
  }
  if (faults && !m_pictureOld)
    drawFaults();
}

void OverviewStrip::showMatches(Lookup& search)
{
  m_search = &search;
  connect(&search, &Lookup::resultChanged, this, [this] {
    findMatches();
    update();
  });
}

double OverviewStrip::rowHeight() const
{
  return std::min<double>(px(kBusHeight),
                          px(kMostRowsHeight) / static_cast<double>(std::max<std::size_t>(1, m_rows.size())));
}

void OverviewStrip::findMatches()
{
  m_matches.clear();
  if (m_search == nullptr || !m_search->result())
    return;
  // Asked a column at a time: how many there are does not matter.
  for (int x = strip().left(); x <= strip().right(); ++x) {
    const Picoseconds begin = timeAt(x);
    const Picoseconds end = timeAt(x + 1);
    for (const LedgerSource& source : m_search->result()->sources) {
      if (source.id.segment != SegmentId::None)
        continue;  // of a segment that is not shown
      const Transactions& t = source.transactions;
      if (source.shownBelow(t.firstFrom(end)) > source.shownBelow(t.firstFrom(begin))) {
        m_matches.push_back(x);
        break;
      }
    }
  }
}

void OverviewStrip::resizeEvent(QResizeEvent* /*event*/)
{
  refresh();
}

QRectF OverviewStrip::windowRect() const
{
  const TimeRange span = m_focus.axis().span();
  double x0 = std::max<double>(strip().left(), xOf(span.begin));
  double x1 = std::min<double>(strip().right() + 1, xOf(span.end));
  if (x1 - x0 < px(kLeastWindow)) {
    const double middle = (x0 + x1) / 2.0;
    x0 = middle - px(kLeastWindow) / 2.0;
    x1 = middle + px(kLeastWindow) / 2.0;
  }
  return {x0, 4.0, x1 - x0, height() - 9.0};
}

void OverviewStrip::paintEvent(QPaintEvent* /*event*/)
{
  const Palette& c = theme().colours();
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  p.fillRect(rect(), c.panel);
  p.fillRect(QRect(0, height() - 1, width(), 1), c.rule);
  if (!m_engine.capture())
    return;
  p.setFont(theme().words(11));
  p.setPen(c.muted);
  p.drawText(QRect(px(12), px(kTop - 4), px(120), px(18)), Qt::AlignLeft | Qt::AlignVCenter,
             toQString(lengthText(m_engine.whole().end)));
  if (m_wires > m_rows.size())
    p.drawText(QRect(px(12), px(kTop + 12), px(104), px(18)), Qt::AlignLeft | Qt::AlignVCenter,
               tr("busiest %1 of %2").arg(m_rows.size()).arg(toQString(countText(m_wires))));
  const QRectF window = windowRect();
  p.setPen(Qt::NoPen);
  p.setBrush(tint(c.selection, theme().isDark() ? 80 : 100));
  p.drawRoundedRect(window, 3, 3);
  if (m_pictureOld || m_picture.devicePixelRatio() != devicePixelRatioF() ||
      m_picture.deviceIndependentSize().toSize() != size())
    drawAll();
  p.drawPixmap(0, 0, m_picture);
  for (const TimeRange& gap : m_engine.capture()->gaps) {
    const double left = xOf(gap.begin);
    const QRectF lost(left, px(kTop), std::max(2.0, xOf(gap.end) - left), height() - px(kTop) - px(6));
    p.fillRect(lost, tint(c.panel, 80));
    p.fillRect(lost, QBrush(tint(c.fault, 70), Qt::BDiagPattern));
  }
  if (m_rows.empty()) {
    p.setPen(c.ink);
    p.drawText(strip(), Qt::AlignCenter, tr("No wire ever changes in this capture."));
  }
  // Matches of the search at the foot, pointing up where faults point down.
  p.setPen(Qt::NoPen);
  p.setBrush(c.ink);
  const double foot = height() - 3.0;
  for (const int x : m_matches)
    p.drawPolygon(QPolygonF({{x - 3.0, foot}, {x + 4.0, foot}, {x + 0.5, foot - 5.0}}));
  p.setPen(QPen(hasFocus() ? c.address : c.ink, hasFocus() ? 2.0 : 1.2));
  p.setBrush(Qt::NoBrush);
  p.drawRoundedRect(window, 3, 3);
}

double OverviewStrip::topOf(std::size_t row) const
{
  return px(kTop) + rowHeight() * static_cast<double>(row);
}

void OverviewStrip::drawAll()
{
  m_picture = QPixmap(size() * devicePixelRatioF());
  m_picture.setDevicePixelRatio(devicePixelRatioF());
  m_picture.fill(Qt::transparent);
  m_pictureOld = false;
  for (std::size_t i = 0; i < m_rows.size(); ++i)
    drawRow(i);
  drawFaults();
}

/// Name, traffic and ticks of one bus, in the place of what was there.
void OverviewStrip::drawRow(std::size_t number)
{
  const Palette& c = theme().colours();
  const Row& row = m_rows[number];
  const double high = rowHeight();
  const double bar = std::max(1.0, high * (kBusHeight - 4) / kBusHeight);
  const double y = topOf(number);
  QPainter p(&m_picture);
  p.setCompositionMode(QPainter::CompositionMode_Clear);
  p.fillRect(QRectF(0, y - 1, width(), high), Qt::transparent);
  p.setCompositionMode(QPainter::CompositionMode_SourceOver);
  p.setRenderHint(QPainter::Antialiasing);
  p.setFont(theme().words(11));
  p.setPen(c.muted);
  if (high >= px(kLeastForName))
    p.drawText(QRectF(px(100), y - 3, strip().left() - px(108), high + 2), Qt::AlignRight | Qt::AlignVCenter,
               p.fontMetrics().elidedText(row.name, Qt::ElideRight, strip().left() - px(108)));
  // Equal neighbours are painted as one; four shades are enough to compare by eye.
  for (std::size_t x = 0; x < row.density.size();) {
    const auto shade = [&](std::size_t i) { return row.density[i] == 0 ? 0 : 1 + row.density[i] / 64; };
    std::size_t end = x + 1;
    while (end < row.density.size() && shade(end) == shade(x))
      ++end;
    static constexpr std::array<int, 5> kShades{0, 26, 42, 58, 74};
    if (shade(x) > 0)
      p.fillRect(QRectF(strip().left() + static_cast<double>(x), y, static_cast<double>(end - x), bar),
                 tint(c.ink, kShades.at(static_cast<std::size_t>(shade(x)))));
    x = end;
  }
  // A limit that is not kept says less than data that is wrong: it is at the row's foot only.
  for (const int x : row.limits)
    p.fillRect(QRectF(x, y + bar - 2.0, 1.5, 3.0), c.fault);
  for (const int x : row.faults)
    p.fillRect(QRectF(x, y - 1, 1.5, std::min(bar + 2, high)), c.fault);
}

/// An arrow at the top for each column in which some bus has a fault.
void OverviewStrip::drawFaults()
{
  std::vector<char> columns(static_cast<std::size_t>(std::max(0, width())), 0);
  for (const Row& row : m_rows) {
    for (const int x : row.faults) {
      if (x >= 0 && x < width())
        columns[static_cast<std::size_t>(x)] = 1;
    }
  }
  QPainter p(&m_picture);
  p.setCompositionMode(QPainter::CompositionMode_Clear);
  p.fillRect(QRect(0, 0, width(), px(kTop) - 2), Qt::transparent);
  p.setCompositionMode(QPainter::CompositionMode_SourceOver);
  p.setRenderHint(QPainter::Antialiasing);
  p.setPen(Qt::NoPen);
  p.setBrush(theme().colours().fault);
  for (std::size_t i = 0; i < columns.size(); ++i) {
    const auto x = static_cast<double>(i);
    if (columns[i] != 0)
      p.drawPolygon(QPolygonF({{x - 3.0, 2.0}, {x + 4.0, 2.0}, {x + 0.5, 7.0}}));
  }
}

OverviewStrip::Grip OverviewStrip::gripAt(QPointF pos) const
{
  const QRectF window = windowRect();
  if (window.width() > 4.0 * kGripPixels) {
    if (std::abs(pos.x() - window.left()) < kGripPixels)
      return Grip::Left;
    if (std::abs(pos.x() - window.right()) < kGripPixels)
      return Grip::Right;
  }
  return Grip::Move;
}

void OverviewStrip::mousePressEvent(QMouseEvent* event)
{
  if (event->button() != Qt::LeftButton || !m_engine.capture() || event->pos().x() < strip().left() - 4)
    return;
  m_grip = gripAt(event->position());
  const QRectF window = windowRect();
  if (m_grip == Grip::Move && !window.contains(event->position())) {
    // A click beside the window brings it there.
    const double at = m_focus.axis().xOf(timeAt(event->position().x()));
    m_focus.setAxis(m_focus.axis().panned(at - m_focus.axis().width() / 2.0, m_engine.whole()));
  }
  m_spanAtGrab = m_focus.axis().span();
  m_grabbed = timeAt(event->position().x());
}

void OverviewStrip::mouseMoveEvent(QMouseEvent* event)
{
  if (m_grip == Grip::None) {
    setCursor(m_engine.capture() && gripAt(event->position()) != Grip::Move ? Qt::SizeHorCursor : Qt::ArrowCursor);
    return;
  }
  const Picoseconds now = timeAt(event->position().x());
  TimeRange span = m_spanAtGrab;
  if (m_grip == Grip::Move) {
    const Picoseconds moved = now - m_grabbed;
    span = {span.begin + moved, span.end + moved};
  } else if (m_grip == Grip::Left) {
    span.begin = std::min(now, span.end - Picoseconds{1000});
  } else {
    span.end = std::max(now, span.begin + Picoseconds{1000});
  }
  m_focus.setAxis(TimeAxis(span, m_focus.axis().width()).panned(0.0, m_engine.whole()));
}

void OverviewStrip::mouseReleaseEvent(QMouseEvent* /*event*/)
{
  m_grip = Grip::None;
}

void OverviewStrip::wheelEvent(QWheelEvent* event)
{
  if (m_engine.capture())
    m_focus.setAxis(m_focus.axis().zoomed(std::pow(1.0015, event->angleDelta().y()), m_focus.axis().width() / 2.0,
                                          m_engine.whole()));
  event->accept();
}

void OverviewStrip::keyPressEvent(QKeyEvent* event)
{
  const TimeRange whole = m_engine.whole();
  const TimeAxis& axis = m_focus.axis();
  const double width = axis.width();
  constexpr double kStep = 1.5;
  if (!m_engine.capture() || event->modifiers().testFlag(Qt::ControlModifier))
    return QWidget::keyPressEvent(event);
  switch (event->key()) {
    case Qt::Key_Left:
      return m_focus.setAxis(axis.panned(-width, whole));
    case Qt::Key_Right:
      return m_focus.setAxis(axis.panned(width, whole));
    case Qt::Key_Plus:
    case Qt::Key_Equal:
      return m_focus.setAxis(axis.zoomed(kStep, width / 2.0, whole));
    case Qt::Key_Minus:
      return m_focus.setAxis(axis.zoomed(1.0 / kStep, width / 2.0, whole));
    case Qt::Key_Home:
      return m_focus.setAxis(axis.panned(axis.xOf(whole.begin), whole));
    case Qt::Key_End:
      return m_focus.setAxis(axis.panned(axis.xOf(whole.end), whole));
    default:
      QWidget::keyPressEvent(event);
  }
}

void OverviewStrip::focusInEvent(QFocusEvent* event)
{
  QWidget::focusInEvent(event);
  update();
}

void OverviewStrip::focusOutEvent(QFocusEvent* event)
{
  QWidget::focusOutEvent(event);
  update();
}

QString OverviewStrip::spokenText(int row, int /*column*/) const
{
  const Row& said = m_rows.at(static_cast<std::size_t>(row));
  if (said.bus == BusId::None)
    return tr("wire %1, %2").arg(said.name, countOf(said.transitions, {"{} transition", "{} transitions"}));
  const BusView* const bus = m_engine.find(said.bus);
  if (bus == nullptr)
    return said.name;
  QStringList parts{said.name, countOf(bus->frameCount(), kFrames)};
  if (bus->faultCount() > 0)
    parts << countOf(bus->faultCount(), {"{} with a fault", "{} with a fault"});
  return parts.join(QStringLiteral(", "));
}

QRect OverviewStrip::spokenRect(int row, int /*column*/) const
{
  return QRectF(strip().left(), topOf(static_cast<std::size_t>(row)), strip().width(), rowHeight()).toAlignedRect();
}

}  // namespace bexto::ui
