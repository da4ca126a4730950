#include "ui/ledger/ledger_view.h"

#include <QApplication>
#include <QClipboard>
#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QScrollBar>
#include <limits>

#include "core/base/time_text.h"
#include "ui/ledger/ledger_header.h"
#include "ui/ledger/ledger_painter.h"
#include "ui/theme/theme.h"

namespace bexto::ui {

namespace {
constexpr int kArrowWidth = 24;

/// The search lists streams by itself, and may have been asked before the list was made.
bool foundBy(const LookupResult& result, const LedgerSource& source, std::uint64_t number)
{
  for (const LedgerSource& other : result.sources) {
    if (other.id == source.id)
      return other.isShown(number);
  }
  return false;
}

}  // namespace

LedgerView::LedgerView(SessionModel& session, Engine& engine, Focus& focus, Lookup& filter, Lookup& search,
                       QWidget* parent)
    : QAbstractScrollArea(parent),
      m_session(session),
      m_engine(engine),
      m_focus(focus),
      m_filter(filter),
      m_search(search),
      m_rows(engine, filter),
      m_header(new LedgerHeader(session, this))
{
  setFrameShape(QFrame::NoFrame);
  setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  setFocusPolicy(Qt::StrongFocus);
  setAccessibleName(tr("Ledger"));
  sized(*this, [this] {
    setMinimumHeight(px(kHeaderHeight) + 3 * px(kRowHeight));
    setMinimumWidth(px(240));
    setViewportMargins(0, px(kHeaderHeight), 0, 0);
  });
  m_header->setContextMenuPolicy(Qt::CustomContextMenu);
  const auto repaint = [this] { viewport()->update(); };
  connect(m_header, &LedgerHeader::columnsChanged, this, repaint);
  connect(m_header, &QWidget::customContextMenuRequested, this, &LedgerView::showHeaderMenu);
  connect(&engine, &Engine::captureChanged, this, [this] {
    m_top = m_current = {};
    m_anchor.reset();
    refresh();
  });
  connect(&engine, &Engine::changed, this, [this](const EngineChange& change) {
    if (change.isRename()) {
      m_rows.refresh();
      viewport()->update();
    } else if (change.hasNewFrames() || change.isDescribed() || change.elsewhere) {
      refresh();
    }
  });
  connect(&filter, &Lookup::resultChanged, this, [this] {
    // Until the first lines of a new filter are found, what was there stays: no blink, and nothing moves twice.
    if (m_filter.isIdle() || m_filter.result())
      refresh();
    else
      viewport()->update();
  });
  connect(&search, &Lookup::resultChanged, this, repaint);
  connect(&focus, &Focus::selectionChanged, this, &LedgerView::followSelection);
  connect(&session, &SessionModel::changed, this, [this](const SessionChange& change) {
    if (!change.markers)
      return;
    updateZeroLabel();
    viewport()->update();
  });
  connect(&theme(), &Theme::changed, this, repaint);
  connect(verticalScrollBar(), &QScrollBar::valueChanged, this, &LedgerView::scrollBarMoved);
  updateZeroLabel();
}

void LedgerView::setForm(LedgerForm form, std::size_t wrap)
{
  const bool any = !m_rows.lines().empty();
  const int above = any ? linesBetween(m_top, m_current) : 0;
  m_rows.lines().setForm(form, wrap);
  m_header->fitTo(viewport()->width(), LedgerPainter::leastWidth(m_rows.lines()));
  m_current.detail = 0;
  m_anchor.reset();
  // The line that the user looks at stays where it is on the screen.
  if (any && m_focus.selection().valid() && above <= linesInView())
    setTop(m_rows.lines().moved(m_current, -above));
  else
    setTop({m_top.row, 0});
  updateScrollBar();
  viewport()->update();
  Q_EMIT formChanged();
}

void LedgerView::setOnly(BusId bus)
{
  m_rows.setOnly(bus);
  refresh();
}

void LedgerView::setZero(TimeZero zero, MarkerId marker)
{
  m_zero = zero;
  m_zeroMarker = marker;
  updateZeroLabel();
  viewport()->update();
}

/// nullptr when it is gone, or of a segment that is not shown.
const Marker* LedgerView::markerOfZero() const
{
  const Marker* const marker = m_session.value().find(m_zeroMarker);
  return marker != nullptr && marker->segment == m_session.value().segment ? marker : nullptr;
}

std::optional<Picoseconds> LedgerView::zeroTime() const
{
  switch (m_zero) {
    case TimeZero::Start:
      return -m_engine.shownBegin();
    case TimeZero::Trigger:
      return m_engine.capture() && m_engine.capture()->trigger ? *m_engine.capture()->trigger : Picoseconds{0};
    case TimeZero::Previous:
      return std::nullopt;
    case TimeZero::Marker: {
      const Marker* const marker = markerOfZero();
      return marker == nullptr ? Picoseconds{0} : marker->time;
    }
  }
  return Picoseconds{0};
}

void LedgerView::updateZeroLabel()
{
  // A marker that has gone, or a capture without trigger: back to the capture's start.
  const Marker* const marker = markerOfZero();
  bool there = m_zero != TimeZero::Marker && m_zero != TimeZero::Trigger;
  there = there || (m_zero == TimeZero::Marker && marker != nullptr);
  there = there || (m_zero == TimeZero::Trigger && m_engine.capture() && m_engine.capture()->trigger);
  if (!there)
    m_zero = TimeZero::Start;
  const QString label = m_zero == TimeZero::Previous  ? tr("since previous shown")
                        : m_zero == TimeZero::Trigger ? tr("since trigger, s")
                        : m_zero == TimeZero::Marker  ? tr("since %1, s").arg(toQString(marker->name))
                                                      : tr("time, s");
  m_header->setLabel(LedgerColumn::Time, label);
}

void LedgerView::refresh()
{
  // What stands where on the screen before, so that it can stand there again: the selected line, or else the first.
  const bool had = !m_rows.lines().empty();
  const bool selected = had && m_focus.selection().valid() && m_rows.shows(m_focus.selection());
  const int above = selected && m_current >= m_top ? linesBetween(m_top, m_current) : -1;
  const bool inView = above >= 0 && above < linesInView();
  const std::uint64_t detail = m_current.detail;
  std::optional<Picoseconds> firstTime;
  if (had && m_top.row < m_rows.merged().size())
    firstTime = m_rows.merged().beginOf(m_rows.merged().at(m_top.row));
  m_rows.refresh();
  m_header->setListed(m_rows.protocols());
  m_header->showFor(m_rows.only() == BusId::None ? nullptr : m_rows.protocol());
  updateZeroLabel();
  m_anchor.reset();
  m_decimals = 6;
  if (m_engine.capture()) {
    for (std::int64_t tick = 100000; m_decimals < 12 && m_engine.capture()->tick.count() <= tick; tick /= 10)
      ++m_decimals;
    m_decimals = std::min(m_decimals, 9);
    // Of what goes on for long the last decimals make room for the digits in front.
    constexpr Picoseconds kLong = std::chrono::seconds{1000};
    if (!m_rows.lines().empty() &&
        m_rows.merged().beginOf(m_rows.merged().at(m_rows.merged().size() - 1)) + m_engine.shownBegin() >= kLong)
      m_decimals = std::min(m_decimals, 6);
  }
  if (m_rows.lines().empty()) {
    m_top = m_current = {};
  } else if (m_following) {
    setTop(m_rows.lines().last());
  } else if (m_rows.shows(m_focus.selection())) {
    m_current = m_rows.placeOf(m_focus.selection());
    m_current.detail = detail;
    m_current = m_rows.lines().clamped(m_current);
    setTop(m_rows.lines().moved(m_current, -(inView ? above : linesInView() / 3)));
  } else if (m_rows.holds(m_focus.selection())) {
    // Hidden: the keyboard goes on from where it would stand.
    m_current = m_rows.lines().clamped(m_rows.placeOf(m_focus.selection()));
    setTop(m_rows.lines().moved(m_current, -linesInView() / 3));
  } else if (firstTime && m_top > LedgerPlace{}) {
    // The list's begin stays its begin, also when earlier lines of another bus arrive.
    setTop({std::min(m_rows.merged().firstFrom(*firstTime), m_rows.merged().size() - 1), 0});
  }
  updateScrollBar();
  viewport()->update();
}

void LedgerView::setFollowing(bool following)
{
  if (following == m_following)
    return;
  m_following = following;
  if (following && !m_rows.lines().empty())
    setTop(m_rows.lines().last());
  updateScrollBar();
  viewport()->update();
  Q_EMIT followingChanged();
}

void LedgerView::setTop(LedgerPlace top)
{
  if (m_rows.lines().empty()) {
    m_top = {};
    return;
  }
  // Not further than that the last line stands at the bottom.
  const LedgerPlace lowest = m_rows.lines().moved(m_rows.lines().last(), -(linesInView() - 1));
  m_top = std::min(m_rows.lines().clamped(top), lowest);
  viewport()->update();
}

void LedgerView::updateScrollBar()
{
  // One step a row, whatever is open: how many lines that makes in all, nobody has to know.
  m_scrolling = true;
  if (m_rows.lines().empty()) {
    verticalScrollBar()->setRange(0, 0);
  } else {
    constexpr auto kMost = static_cast<std::uint64_t>(std::numeric_limits<int>::max() / 2);
    const LedgerPlace lowest = m_rows.lines().moved(m_rows.lines().last(), -(linesInView() - 1));
    verticalScrollBar()->setRange(0, static_cast<int>(std::min(kMost, lowest.row + (lowest.detail > 0 ? 1U : 0U))));
    verticalScrollBar()->setPageStep(linesInView());
    verticalScrollBar()->setValue(static_cast<int>(std::min(kMost, m_top.row)));
  }
  m_scrolling = false;
}

void LedgerView::scrollBarMoved(int value)
{
  if (m_scrolling)
    return;
  setFollowing(false);
  setTop({static_cast<std::uint64_t>(value), 0});
  if (m_top.row < m_rows.merged().size())
    Q_EMIT scrolled(m_rows.merged().beginOf(m_rows.merged().at(m_top.row)));
}

void LedgerView::wheelEvent(QWheelEvent* event)
{
  constexpr int kNotch = 120;
  constexpr int kLinesANotch = 3;
  m_wheel += event->angleDelta().y();
  const int lines = -m_wheel * kLinesANotch / kNotch;
  if (lines == 0 || m_rows.lines().empty())
    return;
  m_wheel += lines * kNotch / kLinesANotch;
  setFollowing(false);
  setTop(m_rows.lines().moved(m_top, lines));
  updateScrollBar();
  Q_EMIT scrolled(m_rows.merged().beginOf(m_rows.merged().at(m_top.row)));
  event->accept();
}

void LedgerView::scrollToTime(Picoseconds t)
{
  if (m_rows.lines().empty())
    return;
  setTop({std::min(m_rows.merged().firstFrom(t), m_rows.merged().size() - 1), 0});
  updateScrollBar();
}

void LedgerView::resizeEvent(QResizeEvent* /*event*/)
{
  m_header->setGeometry(0, 0, viewport()->width(), px(kHeaderHeight));
  m_header->fitTo(viewport()->width(), LedgerPainter::leastWidth(m_rows.lines()));
  setTop(m_following && !m_rows.lines().empty() ? m_rows.lines().last() : m_top);
  updateScrollBar();
}

void LedgerView::followSelection()
{
  if (m_picking)
    return;
  // A decode that goes on tells of the selection again; only another one ends the following.
  if (m_focus.selection().valid() && m_focus.selection() != m_seen)
    setFollowing(false);
  m_seen = m_focus.selection();
  if (m_following) {
    viewport()->update();
    return;
  }
  if (m_rows.shows(m_focus.selection())) {
    // A detail of the same transaction may be the current line: then it stays.
    const LedgerPlace place = m_rows.placeOf(m_focus.selection());
    const bool inside = m_current.row == place.row && m_current.detail > 0 &&
                        m_rows.selectionOf(m_rows.lines().clamped(m_current)) == m_focus.selection();
    if (!inside)
      m_current = place;
    m_anchor.reset();
    scrollTo(m_current);
  }
  viewport()->update();
}

int LedgerView::linesBetween(LedgerPlace from, LedgerPlace to) const
{
  const int most = 4 * linesInView();
  int lines = 0;
  for (LedgerPlace at = from; at < to && lines < most; ++lines)
    at = m_rows.lines().moved(at, 1);
  return lines;
}

void LedgerView::scrollTo(LedgerPlace place)
{
  const int room = linesInView();
  if (place < m_top) {
    const bool near = linesBetween(place, m_top) <= room;
    setTop(near ? place : m_rows.lines().moved(place, -room / 3));
  } else if (const int below = linesBetween(m_top, place); below >= room) {
    setTop(m_rows.lines().moved(place, below > 2 * room ? -room / 3 : -(room - 1)));
  }
  updateScrollBar();
}

std::optional<LedgerPlace> LedgerView::placeAt(QPoint pos) const
{
  if (m_rows.lines().empty() || pos.y() < 0)
    return std::nullopt;
  const int down = pos.y() / px(kRowHeight);
  const LedgerPlace place = m_rows.lines().moved(m_top, down);
  return linesBetween(m_top, place) == down ? std::optional(place) : std::nullopt;
}

QRect LedgerView::lineRect(LedgerPlace place) const
{
  if (m_rows.lines().empty() || place < m_top)
    return {};
  const int down = linesBetween(m_top, place);
  if (down > linesInView())
    return {};
  return {0, down * px(kRowHeight), viewport()->width(), px(kRowHeight)};
}

void LedgerView::pick(LedgerPlace place, bool extend, bool isStep)
{
  if (m_rows.lines().empty())
    return;
  setFollowing(false);
  if (extend && !m_anchor)
    m_anchor = m_current;
  if (!extend)
    m_anchor.reset();
  m_current = m_rows.lines().clamped(place);
  scrollTo(m_current);
  m_picking = true;
  const Selection selection = m_rows.selectionOf(m_current);
  m_focus.goTo(selection, isStep);
  m_seen = m_focus.selection();
  m_picking = false;
  viewport()->update();
  sayCurrentRow(*this);
  Q_EMIT picked();
}

void LedgerView::pickRow(std::uint64_t row)
{
  if (row < m_rows.merged().size())
    pick({row, 0});
}

void LedgerView::openLine(LedgerPlace place, bool open)
{
  if (m_rows.lines().empty() || m_rows.lines().form() == LedgerForm::Bytes)
    return;
  place = m_rows.lines().clamped(place);
  const LedgerRow row = m_rows.merged().at(place.row);
  if (m_rows.lines().isOpen(row) == open)
    return;
  m_rows.lines().setOpen(row, open);
  setTop(m_top);
  updateScrollBar();
  pick({place.row, 0});
}

void LedgerView::mousePressEvent(QMouseEvent* event)
{
  const auto place = placeAt(event->pos());
  if (event->button() != Qt::LeftButton || !place)
    return;
  const bool onArrow = event->pos().x() < px(kArrowWidth) && place->detail == 0;
  if (onArrow && m_rows.lines().form() != LedgerForm::Bytes)
    openLine(*place, !m_rows.lines().isOpen(m_rows.merged().at(place->row)));
  else
    pick(*place, event->modifiers().testFlag(Qt::ShiftModifier));
}

void LedgerView::mouseMoveEvent(QMouseEvent* event)
{
  if (!event->buttons().testFlag(Qt::LeftButton) || event->pos().x() < px(kArrowWidth))
    return;
  const auto place = placeAt(event->pos());
  if (place && *place != m_current)
    pick(*place, true);
}

void LedgerView::mouseDoubleClickEvent(QMouseEvent* event)
{
  const auto place = placeAt(event->pos());
  if (!place || event->pos().x() < px(kArrowWidth)) {
    mousePressEvent(event);
    return;
  }
  pick(*place);
  m_focus.zoomToSelection();
}

void LedgerView::keyPressEvent(QKeyEvent* event)
{
  if (m_rows.lines().empty()) {
    QAbstractScrollArea::keyPressEvent(event);
    return;
  }
  const LedgerPlace now = m_rows.lines().clamped(m_current);
  const bool extend = event->modifiers().testFlag(Qt::ShiftModifier);
  const auto move = [&](std::int64_t by) { pick(m_rows.lines().moved(now, by), extend, true); };
  if (event->matches(QKeySequence::Copy)) {
    copy();
    return;
  }
  switch (event->key()) {
    case Qt::Key_Up:
      return move(-1);
    case Qt::Key_Down:
      // The first press picks the first line rather than the second.
      return move(m_focus.selection().valid() ? 1 : 0);
    case Qt::Key_PageUp:
      return move(-linesInView());
    case Qt::Key_PageDown:
      return move(linesInView());
    case Qt::Key_Home:
      return pick({0, 0}, extend);
    case Qt::Key_End:
      return pick(m_rows.lines().last(), extend);
    case Qt::Key_Right:
      return openLine(now, true);
    case Qt::Key_Left:
      return openLine(now, false);
    case Qt::Key_Return:
    case Qt::Key_Enter:
      return m_focus.zoomToSelection();
    case Qt::Key_Menu:
      return showMenu(lineRect(now).center(), std::nullopt);
    default:
      QAbstractScrollArea::keyPressEvent(event);
  }
}

void LedgerView::paintEvent(QPaintEvent* /*event*/)
{
  const Palette& c = theme().colours();
  QPainter p(viewport());
  p.fillRect(viewport()->rect(), c.ground);
  if (m_rows.lines().empty()) {
    p.setFont(theme().words());
    p.setPen(c.muted);
    const QString hint = !m_engine.capture()        ? QString()
                         : m_engine.busCount() == 0 ? tr("Add a bus (A), and what was said stands here.")
                         : m_engine.isDecoding()    ? tr("Decoding …")
                         : m_filter.isScanning()    ? tr("Looking …")
                         : !m_filter.isIdle()       ? tr("The filter hides everything.")
                                                    : tr("No transactions.");
    p.drawText(viewport()->rect(), Qt::AlignCenter, hint);
    return;
  }
  // More values than fit are not worth making into words.
  const int sentenceWidth = m_header->rectOf(LedgerColumn::Transaction, 0, 1).width();
  const auto most = static_cast<std::size_t>(std::max(8, sentenceWidth / px(14)));
  const auto lines = m_rows.visible(m_top, static_cast<std::size_t>(linesInView()) + 1, most);
  const bool selected = m_focus.selection().valid();
  const LedgerPlace other = m_anchor.value_or(m_current);
  const auto& found = m_search.result();
  LedgerPainter painter(p, *m_header, m_rows);
  Picoseconds before = m_top.row == 0 ? Picoseconds{-1} : m_rows.merged().beginOf(m_rows.merged().at(m_top.row - 1));
  int y = 0;
  for (const LedgerRows::Line& line : lines) {
    LedgerPainter::Look look;
    look.decimals = m_decimals;
    look.zeroMode = m_zero;
    look.zero = zeroTime().value_or(Picoseconds{0});
    look.current = selected && line.place == m_current && m_rows.shows(m_focus.selection());
    look.picked = m_anchor && line.place >= std::min(m_current, other) && line.place <= std::max(m_current, other);
    look.focus = hasFocus();
    if (!line.isDetail) {
      const LedgerSource& source = m_rows.merged().sources()[line.row.source];
      look.ours = isSent(source.sent.get(), source.transactions.beginOf(line.row.number));
      look.found = found && foundBy(*found, source, line.row.number);
      for (const Marker& marker : m_session.markers()) {
        if (marker.pin && marker.pin->bus == source.id.bus && marker.pin->begin == line.begin)
          look.notes << toQString(marker.note.empty() ? marker.name : marker.note);
        else if (!marker.pin && marker.time > before && marker.time <= line.begin)
          look.marker += (look.marker.isEmpty() ? QString() : QStringLiteral(" ")) + toQString(marker.name);
      }
      // Of those of another segment nothing is known here.
      if (source.id.segment == SegmentId::None) {
        for (const TimeRange& gap : m_engine.capture()->gaps)
          look.gap = gap.begin > before && gap.begin <= line.begin ? gap.length() : look.gap;
      }
      before = line.begin;
    }
    painter.paint(QRect(0, y, viewport()->width(), px(kRowHeight)), line, look);
    y += px(kRowHeight);
  }
}

}  // namespace bexto::ui
