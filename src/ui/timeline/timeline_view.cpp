#include "ui/timeline/timeline_view.h"

#include <QContextMenuEvent>
#include <QMenu>
#include <QMouseEvent>
#include <QPainter>
#include <QScrollBar>
#include <QWheelEvent>
#include <cmath>

#include "core/base/number_text.h"
#include "core/base/time_text.h"
#include "ui/theme/theme.h"
#include "ui/timeline/lane_finder.h"
#include "ui/timeline/lane_footer.h"
#include "ui/timeline/plot_series.h"
#include "ui/timeline/timeline_painter.h"

namespace bexto::ui {

namespace {
constexpr double kSnapPixels = 8.0;
constexpr int kDragPixels = 4;
}  // namespace

TimelineView::TimelineView(SessionModel& session, Engine& engine, Focus& focus, QWidget* parent)
    : QAbstractScrollArea(parent),
      m_session(session),
      m_engine(engine),
      m_focus(focus),
      m_plots(new PlotSeries(session, engine, this)),
      m_heads(new LaneHeads(session, engine, m_lanes, *viewport())),
      m_footer(new LaneFooter(session, viewport())),
      m_finder(new LaneFinder(viewport()))
{
  connect(m_finder, &QLineEdit::textChanged, this, &TimelineView::rebuild);
  connect(m_finder, &LaneFinder::left, this, [this] { setFocus(); });
  setFrameShape(QFrame::NoFrame);
  setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  setFocusPolicy(Qt::StrongFocus);
  setAccessibleName(tr("Timeline"));
  viewport()->setMouseTracking(true);
  sized(*this, [this] { setMinimumHeight(px(kRulerHeight + kLeastBusHeight)); });
  const auto repaint = [this] { viewport()->update(); };
  connect(m_plots, &PlotSeries::changed, this, &TimelineView::rebuild);
  connect(&engine, &Engine::captureChanged, this, [this] {
    // Its channels are others: what was looked for in those before would hide them.
    m_finder->clear();
    rebuild();
  });
  connect(&engine, &Engine::captureGrew, this, &TimelineView::rebuild);
  connect(&engine, &Engine::changed, this, [this](const EngineChange& change) {
    // Which lanes there are does not depend on how many frames a bus has.
    if (change.isDescribed() || change.wires)
      rebuild();
    else if (change.hasNewFrames())
      viewport()->update();
  });
  connect(m_heads, &LaneHeads::dragged, this, repaint);
  connect(&focus, &Focus::axisChanged, this, repaint);
  connect(&focus, &Focus::selectionChanged, this, &TimelineView::showSelectedLane);
  connect(&session, &SessionModel::changed, this, [this](const SessionChange& change) {
    if (change.lanes)
      rebuild();
    else if (change.markers)
      viewport()->update();
    if (change.plots)
      showNewPlot();
  });
  connect(&focus, &Focus::cursorChanged, this, repaint);
  connect(&theme(), &Theme::changed, this, repaint);
  connect(&theme(), &Theme::resized, this, [this] {
    rebuild();
    m_focus.setWidth(viewport()->width() - px(kLaneHeader));
  });
  rebuild();
}

void TimelineView::rebuild()
{
  const QString find = m_finder->text().trimmed();
  LanesLeft left;
  m_lanes = timelineLanes(m_engine, m_session.value().lanes, find, &left, m_plots->views());
  if (m_focus.interval() && m_engine.capture())
    makeRoomFor(*m_focus.interval(), m_engine.capture()->channels, m_lanes);
  m_footer->follow(left, !find.isEmpty());
  m_finder->setChannels(m_engine.capture() ? m_engine.capture()->channels.size() : 0);
  m_heads->lanesChanged();
  m_currentLane = std::min(m_currentLane, static_cast<int>(m_lanes.size()) - 1);
  updateScrollBars();
  viewport()->update();
}

void TimelineView::showFindings(Verdicts& verdicts)
{
  m_verdicts = &verdicts;
  connect(&verdicts, &Verdicts::changed, viewport(), qOverload<>(&QWidget::update));
  connect(&m_focus, &Focus::intervalChanged, this, [this] {
    rebuild();
    const auto lane =
        std::find_if(m_lanes.begin(), m_lanes.end(), [](const TimelineLane& l) { return l.dimension > 0; });
    if (lane == m_lanes.end())
      return;
    const int room = viewport()->height() - px(kRulerHeight);
    const int scroll = verticalScrollBar()->value();
    verticalScrollBar()->setValue(std::clamp(scroll, std::min(lane->bottom() - room, lane->top), lane->top));
  });
}

/// Whoever asks for a plot wants to see it.
void TimelineView::showNewPlot()
{
  const std::vector<Plot>& plots = m_session.value().plots;
  const bool isNew = plots.size() > m_plotCount;
  m_plotCount = plots.size();
  const auto lane = std::find_if(m_lanes.begin(), m_lanes.end(), [&](const TimelineLane& l) {
    return isNew && l.plot && l.plot->plot.isSame(plots.back());
  });
  if (lane == m_lanes.end())
    return;
  const int room = viewport()->height() - px(kRulerHeight);
  const int scroll = verticalScrollBar()->value();
  verticalScrollBar()->setValue(std::clamp(scroll, std::min(lane->bottom() - room, lane->top), lane->top));
}

void TimelineView::showSelectedLane()
{
  const Selection& selection = m_focus.selection();
  const auto bus = std::find_if(m_lanes.begin(), m_lanes.end(), [&](const TimelineLane& lane) {
    return lane.kind == TimelineLane::Kind::Bus && lane.stream == selection.stream;
  });
  if (selection.valid() && bus != m_lanes.end()) {
    // With its wires, as far as there is room.
    auto last = bus;
    while (last + 1 != m_lanes.end() && (last + 1)->group == bus->group)
      ++last;
    const int room = viewport()->height() - px(kRulerHeight);
    QScrollBar* const bar = verticalScrollBar();
    if (bus->top < bar->value() || bus->bottom() > bar->value() + room)
      bar->setValue(std::min(bus->top, std::max(last->bottom() - room, bus->top)));
  }
  viewport()->update();
}

void TimelineView::updateScrollBars()
{
  const int content = (m_lanes.empty() ? 0 : m_lanes.back().bottom()) + m_footer->wantedHeight();
  const int room = viewport()->height() - px(kRulerHeight);
  placeFooter();
  verticalScrollBar()->setRange(0, std::max(0, content - room));
  verticalScrollBar()->setPageStep(room);
  verticalScrollBar()->setSingleStep(px(kWireLaneHeight));
}

void TimelineView::placeFooter()
{
  const int top = px(kRulerHeight) + (m_lanes.empty() ? 0 : m_lanes.back().bottom()) - verticalScrollBar()->value();
  m_footer->setVisible(m_footer->wantedHeight() > 0 && top >= px(kRulerHeight));
  m_footer->move(0, top);
  // It scrolls below the ruler's corner.
  m_finder->raise();
}

void TimelineView::findChannel()
{
  m_finder->open();
}

void TimelineView::scrollContentsBy(int /*dx*/, int /*dy*/)
{
  placeFooter();
  viewport()->update();
}

void TimelineView::resizeEvent(QResizeEvent* /*event*/)
{
  m_focus.setWidth(viewport()->width() - px(kLaneHeader));
  updateScrollBars();
}

void TimelineView::paintEvent(QPaintEvent* /*event*/)
{
  const Palette& c = theme().colours();
  QPainter p(viewport());
  p.setRenderHint(QPainter::Antialiasing);
  p.fillRect(viewport()->rect(), c.ground);
  const QRect ruler(0, 0, viewport()->width(), px(kRulerHeight));
  const QRect area(0, px(kRulerHeight), viewport()->width(), viewport()->height() - px(kRulerHeight));
  TimelinePainter painter(p, m_engine, m_session.markers(), m_focus, m_focus.axis());
  if (m_verdicts != nullptr)
    painter.showFindings(*m_verdicts);
  if (m_engine.capture()) {
    painter.lanes(m_lanes, area, verticalScrollBar()->value());
    if (m_lanes.empty() && !m_finder->text().isEmpty()) {
      p.setPen(c.muted);
      p.setFont(theme().words(12));
      p.drawText(area.adjusted(px(12), px(12), -px(12), 0), Qt::AlignLeft | Qt::AlignTop | Qt::TextWordWrap,
                 tr("No channel has “%1” in its name. Escape shows all again.").arg(m_finder->text()));
    }
    painter.ruler(ruler);
    painter.overlay(area.adjusted(px(kLaneHeader), 0, 0, 0), 0);
    const int offset = px(kRulerHeight) - verticalScrollBar()->value();
    if (m_heads->dropLine() >= 0)
      p.fillRect(QRect(0, offset + m_heads->dropLine() - 1, viewport()->width(), 2), c.address);
    if (m_currentLane >= 0 && hasFocus()) {
      const TimelineLane& lane = m_lanes[static_cast<std::size_t>(m_currentLane)];
      p.setPen(QPen(c.address, 1));
      p.setBrush(Qt::NoBrush);
      p.drawRect(QRect(0, offset + lane.top, px(kLaneHeader) - 1, lane.height - 2));
    }
  }
}

const TimelineLane* TimelineView::laneAt(QPoint pos) const
{
  if (pos.y() < px(kRulerHeight))
    return nullptr;
  const int y = pos.y() - px(kRulerHeight) + verticalScrollBar()->value();
  for (const TimelineLane& lane : m_lanes) {
    if (y >= lane.top && y < lane.bottom())
      return &lane;
  }
  return nullptr;
}

Selection TimelineView::pick(QPoint pos) const
{
  const TimelineLane* lane = laneAt(pos);
  const StreamView* const stream = lane == nullptr ? nullptr : m_engine.find(lane->stream);
  if (lane != nullptr && lane->plot && stream != nullptr && pos.x() >= px(kLaneHeader))
    return pickSaid(*lane->plot, *stream, pos);
  if (stream == nullptr || pos.x() < px(kLaneHeader))
    return {};
  const FrameIndex& frames = stream->transactions.frames();
  // A little beside it is good enough: frames can be narrower than a finger's tremble.
  const Picoseconds at = timeAt(pos.x());
  const Picoseconds reach = timeAt(pos.x() + 3.0) - at;
  const std::uint64_t after = frames.firstFrom(at + reach);
  if (after == 0)
    return {};
  const Frame frame = frames.frame(after - 1);
  // Of a recorded frame the words behind it are all that there is to point at.
  const Picoseconds behind = stream->input.records ? timeAt(pos.x() + px(kWordsBehind)) - at : reach;
  if (plus(frame.time.end, behind) < at)
    return {};
  return {lane->stream, after - 1, std::clamp(at, frame.time.begin, std::max(frame.time.begin, frame.time.end))};
}

/// The frame that said what the value is there.
Selection TimelineView::pickSaid(const PlotView& plot, const StreamView& stream, QPoint pos) const
{
  // A little before it is good enough.
  const std::uint64_t after = plot.series.countBefore(timeAt(pos.x() + 3.0) + Picoseconds{1});
  if (after == 0)
    return {};
  const std::uint32_t frame = plot.series.at(after - 1).frame;
  if (frame >= stream.transactions.frames().size())
    return {};
  return {plot.stream, frame, stream.transactions.frames().frame(frame).time.begin};
}

MarkerId TimelineView::markerAt(QPoint pos) const
{
  if (pos.y() >= px(kRulerHeight))
    return MarkerId::None;
  for (const Marker& marker : m_session.markers()) {
    if (std::abs(xOf(marker.time) - pos.x()) < 8.0)
      return marker.id;
  }
  return MarkerId::None;
}

void TimelineView::placeMarker(MarkerId marker, double x, const TimelineLane* preferred)
{
  // It may have been removed while it was dragged.
  if (marker != MarkerId::None && m_session.value().find(marker) == nullptr)
    return;
  const auto place = [&](Picoseconds t, const QString& edge) {
    if (marker != MarkerId::None)
      m_session.moveMarker(marker, t, edge);
    else
      m_session.addMarker(t, edge);
  };
  const Picoseconds at = std::clamp(timeAt(x), Picoseconds{0}, m_engine.whole().end);
  Picoseconds best = kNever;
  const TimelineLane* bestLane = nullptr;
  // The wire under the pointer first; else whichever visible wire has the nearest edge.
  for (const TimelineLane& lane : m_lanes) {
    const int y = lane.top - verticalScrollBar()->value();
    const bool inView = y + lane.height > 0 && y < viewport()->height() - px(kRulerHeight);
    if (lane.kind == TimelineLane::Kind::Bus || !inView)
      continue;
    const Picoseconds edge = lane.nearestEdge(at);
    if (edge == kNever || std::abs(xOf(edge) - x) > kSnapPixels)
      continue;
    const bool nearer = bestLane == nullptr || std::chrono::abs(edge - at) < std::chrono::abs(best - at);
    if (&lane == preferred || (nearer && bestLane != preferred) || bestLane == nullptr) {
      best = edge;
      bestLane = &lane;
    }
    if (&lane == preferred)
      break;
  }
  if (bestLane == nullptr) {
    place(at, {});
    return;
  }
  if (bestLane->kind == TimelineLane::Kind::Number) {
    place(best, tr("%1 changes").arg(bestLane->name));
    return;
  }
  if (bestLane->kind == TimelineLane::Kind::Plot) {
    place(best, tr("%1 is said").arg(bestLane->name));
    return;
  }
  const bool rises = bestLane->track.levelAt(best);
  place(best, rises ? tr("%1 rises").arg(bestLane->name) : tr("%1 falls").arg(bestLane->name));
}

void TimelineView::dropMarker()
{
  if (!m_engine.capture())
    return;
  const bool inside = m_focus.cursor().has_value();  // the pointer is over the lanes
  const double x = inside ? xOf(*m_focus.cursor()) : px(kLaneHeader) + m_focus.axis().width() / 2.0;
  placeMarker(MarkerId::None, x, inside ? laneAt(m_last) : nullptr);
}

void TimelineView::zoomBy(double factor, double x)
{
  if (m_engine.capture())
    m_focus.setAxis(m_focus.axis().zoomed(factor, x, m_engine.whole()));
}

void TimelineView::wheelEvent(QWheelEvent* event)
{
  const QPoint angle = event->angleDelta();
  if (!m_engine.capture())
    return;
  // A touchpad is hardly ever moved straight: the way that it goes further counts.
  const bool sideways = std::abs(angle.x()) > std::abs(angle.y());
  if (event->modifiers() == Qt::ShiftModifier || sideways) {
    const int delta = sideways ? angle.x() : angle.y();
    m_focus.setAxis(m_focus.axis().panned(-delta * 0.6, m_engine.whole()));
  } else if (event->position().x() < px(kLaneHeader) || event->modifiers() == Qt::AltModifier) {
    verticalScrollBar()->setValue(verticalScrollBar()->value() - angle.y() / 2);
    viewport()->update();
  } else {
    zoomBy(std::pow(1.0015, angle.y()), event->position().x() - px(kLaneHeader));
  }
  event->accept();
}

void TimelineView::mousePressEvent(QMouseEvent* event)
{
  if (event->button() != Qt::LeftButton)
    return;
  m_pressed = m_last = event->pos();
  m_atHeads = m_heads->press(event->pos(), verticalScrollBar()->value());
  if (m_atHeads)
    return;
  m_pressing = true;
  m_panning = m_draggingMarker = false;
  m_draggedMarker = markerAt(event->pos());
  m_session.endGesture();
}

void TimelineView::mouseMoveEvent(QMouseEvent* event)
{
  if (m_atHeads)
    m_heads->move(event->pos(), verticalScrollBar()->value());
  // A hand trembles: a flag that is only clicked stays where it is, and its note on its line.
  if (m_pressing && m_draggedMarker != MarkerId::None && !m_draggingMarker)
    m_draggingMarker = (event->pos() - m_pressed).manhattanLength() > kDragPixels;
  if (m_pressing && m_draggedMarker != MarkerId::None) {
    if (m_draggingMarker)
      placeMarker(m_draggedMarker, event->pos().x(), nullptr);
  } else if (m_pressing && (m_panning || (event->pos() - m_pressed).manhattanLength() > kDragPixels)) {
    m_panning = true;
    const QPoint moved = event->pos() - m_last;
    m_focus.setAxis(m_focus.axis().panned(-moved.x(), m_engine.whole()));
    verticalScrollBar()->setValue(verticalScrollBar()->value() - moved.y());
    viewport()->setCursor(Qt::ClosedHandCursor);
  }
  if (!m_pressing) {
    const auto atHead = m_heads->cursorAt(event->pos(), verticalScrollBar()->value());
    viewport()->setCursor(atHead                                     ? *atHead
                          : markerAt(event->pos()) != MarkerId::None ? Qt::SizeHorCursor
                                                                     : Qt::ArrowCursor);
  }
  m_last = event->pos();
  if (event->pos().x() >= px(kLaneHeader) && m_engine.capture())
    m_focus.setCursor(std::clamp(timeAt(event->pos().x()), Picoseconds{0}, m_engine.whole().end));
  else
    m_focus.setCursor(std::nullopt);
}

void TimelineView::mouseReleaseEvent(QMouseEvent* event)
{
  if (m_atHeads) {
    m_atHeads = false;
    m_heads->release();
  }
  if (event->button() != Qt::LeftButton || !m_pressing)
    return;
  m_pressing = false;
  viewport()->setCursor(Qt::ArrowCursor);
  if (m_draggedMarker != MarkerId::None || m_panning) {
    m_draggedMarker = MarkerId::None;
    m_panning = false;
    return;
  }
  if (const Selection picked = pick(event->pos()); picked.valid())
    m_focus.select(picked);
}

void TimelineView::mouseDoubleClickEvent(QMouseEvent* event)
{
  if (event->button() != Qt::LeftButton || !m_engine.capture())
    return;
  const TimelineLane* lane = laneAt(event->pos());
  if (event->pos().x() < px(kLaneHeader)) {
    if (lane != nullptr && lane->kind == TimelineLane::Kind::Bus)
      Q_EMIT settingsWanted(lane->stream.bus);
    else if (lane != nullptr && lane->kind == TimelineLane::Kind::Number)
      m_heads->setFolded(*lane, !lane->folded);
    else if (lane != nullptr)
      m_heads->rename(static_cast<int>(lane - m_lanes.data()), verticalScrollBar()->value());
    return;
  }
  const Selection picked = pick(event->pos());
  if (picked.valid()) {
    m_focus.select(picked);
    m_focus.zoomToSelection();
    return;
  }
  // Beside every frame: the pulse under the pointer.
  if (lane == nullptr || lane->kind == TimelineLane::Kind::Bus)
    return;
  const auto [begin, end] = lane->restAround(timeAt(event->pos().x()), m_engine.whole());
  if (begin < end)
    m_focus.zoomTo({begin, end});
}

void TimelineView::keyPressEvent(QKeyEvent* event)
{
  if (!m_engine.capture()) {
    QAbstractScrollArea::keyPressEvent(event);
    return;
  }
  const TimeRange whole = m_engine.whole();
  const double width = m_focus.axis().width();
  if (event->modifiers() == Qt::AltModifier && (event->key() == Qt::Key_Up || event->key() == Qt::Key_Down)) {
    walkLanes(event->key() == Qt::Key_Down ? 1 : -1);
    return;
  }
  const double far = event->modifiers() & Qt::ShiftModifier ? 0.8 : 0.1;
  switch (event->key()) {
    case Qt::Key_Left:
      m_focus.setAxis(m_focus.axis().panned(-width * far, whole));
      break;
    case Qt::Key_Right:
      m_focus.setAxis(m_focus.axis().panned(width * far, whole));
      break;
    case Qt::Key_Plus:
    case Qt::Key_Equal:
      zoomBy(1.5, width / 2.0);
      break;
    case Qt::Key_Minus:
      zoomBy(1.0 / 1.5, width / 2.0);
      break;
    case Qt::Key_Home:
      m_focus.setAxis(m_focus.axis().panned(m_focus.axis().xOf(whole.begin), whole));
      break;
    case Qt::Key_End:
      m_focus.setAxis(m_focus.axis().panned(m_focus.axis().xOf(whole.end), whole));
      break;
    case Qt::Key_Return:
    case Qt::Key_Enter:
      m_focus.zoomToSelection();
      break;
    case Qt::Key_Up:
      m_focus.selectNeighbour(false);
      break;
    case Qt::Key_Down:
      m_focus.selectNeighbour(true);
      break;
    default:
      QAbstractScrollArea::keyPressEvent(event);
  }
}

void TimelineView::walkLanes(int by)
{
  m_currentLane = std::clamp(m_currentLane + by, 0, static_cast<int>(m_lanes.size()) - 1);
  if (m_currentLane < 0)
    return;
  const TimelineLane& lane = m_lanes[static_cast<std::size_t>(m_currentLane)];
  const int room = viewport()->height() - px(kRulerHeight);
  const int scroll = verticalScrollBar()->value();
  verticalScrollBar()->setValue(std::clamp(scroll, std::min(lane.bottom() - room, lane.top), lane.top));
  viewport()->update();
  sayCurrentRow(*this);
}

QString TimelineView::spokenText(int row, int /*column*/) const
{
  const TimelineLane& lane = m_lanes.at(static_cast<std::size_t>(row));
  if (lane.kind == TimelineLane::Kind::Wire)
    return lane.track.how.invert ? tr("wire %1, inverted").arg(lane.name) : tr("wire %1").arg(lane.name);
  if (lane.kind == TimelineLane::Kind::Plot)
    return tr("plot of %1, said %2").arg(lane.name, countOf(lane.plot->series.size(), {"{} time", "{} times"}));
  if (lane.kind == TimelineLane::Kind::Number)
    return tr("number %1, %2").arg(lane.name, countOf(lane.bits.size(), {"{} bit", "{} bits"}));
  const QString bus = tr("bus %1, %2").arg(lane.name, lane.detail);
  return lane.folded ? tr("%1, its wires folded away").arg(bus) : bus;
}

QRect TimelineView::spokenRect(int row, int /*column*/) const
{
  const TimelineLane& lane = m_lanes.at(static_cast<std::size_t>(row));
  const QRect rect(0, px(kRulerHeight) + lane.top - verticalScrollBar()->value(), viewport()->width(), lane.height);
  return rect.intersected(QRect(0, px(kRulerHeight), viewport()->width(), viewport()->height() - px(kRulerHeight)))
      .translated(viewport()->pos());
}

void TimelineView::pickSpoken(int row)
{
  walkLanes(row - m_currentLane);
}

void TimelineView::contextMenuEvent(QContextMenuEvent* event)
{
  if (!m_engine.capture())
    return;
  // A menu takes the release of the button for itself.
  m_pressing = m_panning = false;
  m_draggedMarker = MarkerId::None;
  QMenu menu(this);
  menu.setObjectName(QStringLiteral("laneMenu"));
  const bool byKey = event->reason() == QContextMenuEvent::Keyboard && m_currentLane >= 0;
  const TimelineLane* lane = byKey ? &m_lanes[static_cast<std::size_t>(m_currentLane)] : laneAt(event->pos());
  const double x = byKey ? 0 : event->pos().x();
  if (x >= px(kLaneHeader)) {
    // Lanes may be made anew while the menu is open.
    menu.addAction(tr("Drop a marker here"), this, [this, x, key = lane == nullptr ? LaneKey() : lane->key] {
      const auto at = std::find_if(m_lanes.begin(), m_lanes.end(), [&](const TimelineLane& l) { return l.key == key; });
      placeMarker(MarkerId::None, x, at == m_lanes.end() ? nullptr : &*at);
    });
    if (!m_session.markers().empty())
      menu.addAction(tr("Remove markers"), this, [this] { m_session.clearMarkers(); });
  }
  if (const BusView* const bus = lane == nullptr ? nullptr : m_engine.find(lane->stream.bus); bus != nullptr)
    menu.addAction(tr("Settings of %1").arg(toQString(bus->wanted.name)), this,
                   [this, id = bus->id] { Q_EMIT settingsWanted(id); });
  if (lane != nullptr && lane->plot) {
    menu.addAction(tr("Export the values of %1 …").arg(lane->name), this,
                   [this, plot = lane->plot->plot] { Q_EMIT plotValuesWanted(plot); });
    menu.addAction(tr("Export a picture of the plots …"), this, &TimelineView::plotPictureWanted);
  }
  const int number = lane == nullptr ? -1 : static_cast<int>(lane - m_lanes.data());
  m_heads->fillMenu(menu, number, verticalScrollBar()->value());
  menu.addSeparator();
  menu.addAction(tr("Show all of the capture"), this, [this] { m_focus.showEverything(); });
  const int top = lane == nullptr ? 0 : px(kRulerHeight) + lane->top - verticalScrollBar()->value();
  menu.exec(byKey ? viewport()->mapToGlobal(QPoint(20, top + 20)) : event->globalPos());
}

bool TimelineView::viewportEvent(QEvent* event)
{
  if (event->type() == QEvent::Leave)
    m_focus.setCursor(std::nullopt);
  return QAbstractScrollArea::viewportEvent(event);
}

}  // namespace bexto::ui
