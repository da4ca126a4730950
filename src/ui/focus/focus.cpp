#include "ui/focus/focus.h"

#include <algorithm>

#include "core/view/overview.h"
#include "core/view/wire_activity.h"

namespace bexto::ui {

namespace {
constexpr std::size_t kMostPlaces = 100;
}

Selection selectionOf(StreamId stream, const Transactions& transactions, std::uint64_t number)
{
  const FrameRange range = transactions.framesOf(number);
  std::uint64_t frame = range.first;
  while (frame + 1 < range.end && transactions.frames().frame(frame).errors == 0)
    ++frame;
  if (transactions.frames().frame(frame).errors == 0)
    frame = range.first;
  return {stream, frame, transactions.frames().frame(frame).time.begin};
}

Focus::Focus(SessionModel& session, Engine& engine, QObject* parent)
    : QObject(parent), m_session(session), m_engine(engine)
{
  connect(&engine, &Engine::captureLeaving, this, [this] {
    // Its bus may be gone before anybody hears of another capture. What the session says of it stays.
    m_awaited.reset();
    m_selection = {};
    Q_EMIT selectionChanged();
  });
  connect(&engine, &Engine::captureChanged, this, [this] {
    const InView left = m_session.value().view;
    m_firstView = true;
    m_cursor.reset();
    take({});
    // Places of the capture before are no places of this one.
    m_back.clear();
    m_forward.clear();
    showFirstWires();
    lookAgain(left);
  });
  connect(&engine, &Engine::captureGrew, this, [this] {
    // A file that is followed may begin with nothing.
    if (m_firstView && m_engine.busCount() == 0)
      showFirstWires();
  });
  connect(&engine, &Engine::changed, this, &Focus::follow);
}

void Focus::follow(const EngineChange& change)
{
  if (change.busList)
    forgetRemoved();
  if (m_firstView && change.hasNewFrames())
    showFirstTraffic();
  const Selection& wanted = m_awaited ? *m_awaited : m_selection;
  if (const BusChange* const bus = change.of(wanted.stream.bus))
    followFrames(*bus);
}

/// A session that was kept is shown where somebody left it.
void Focus::lookAgain(const InView& left)
{
  if (!left.span.empty())
    setAxis(TimeAxis(left.span, m_axis.width()).zoomed(1.0, 0.0, m_engine.whole()));
  if (left.stream.valid() && m_engine.find(left.stream.bus) != nullptr) {
    m_awaited = Selection{left.stream, 0, left.moment};
    m_selectionBegin = left.frame;
  }
  keepInSession();
}

void Focus::forgetRemoved()
{
  const auto isGone = [this](const Selection& s) { return s.valid() && m_engine.find(s.stream.bus) == nullptr; };
  if (m_awaited && isGone(*m_awaited))
    m_awaited.reset();
  if (isGone(m_selection))
    take({});
}

/// Where buses are to be found, their first traffic is shown as soon as there is some; until then the whole.
void Focus::showFirstWires()
{
  const auto& capture = m_engine.capture();
  const bool unknown = capture != nullptr && m_engine.busCount() == 0;
  showWithoutChoice(unknown ? firstActiveStretch(capture->channels, m_engine.whole(), m_axis.width())
                            : m_engine.whole());
}

void Focus::showFirstTraffic()
{
  std::vector<Transactions> streams;
  bool any = false;
  for (int i = 0; i < m_engine.busCount(); ++i) {
    for (const StreamView& s : m_engine.bus(i).streams) {
      streams.push_back(s.transactions);
      any = any || s.transactions.size() > 0;
    }
  }
  if (!any)
    return;
  showWithoutChoice(firstActiveStretch(streams, m_engine.whole()));
  if (!m_engine.isDecoding())
    m_firstView = false;
}

/// The frames of the bus that is looked at are others now: stay at the same time.
void Focus::followFrames(const BusChange& change)
{
  if (m_selection.valid() && change.frames == BusChange::Frames::Same)
    return;
  const Selection wanted = m_awaited.value_or(m_selection);
  const StreamView* const stream = m_engine.find(wanted.stream);
  if (stream != nullptr) {
    const FrameIndex& frames = stream->transactions.frames();
    const std::uint64_t frame = frames.firstFrom(m_selectionBegin);
    if (frame < frames.size() && frames.frame(frame).time.begin == m_selectionBegin) {
      m_awaited.reset();
      m_selection = {wanted.stream, frame, wanted.at};
      Q_EMIT selectionChanged();
      return;
    }
  }
  const bool mayCome = m_engine.find(change.bus)->decoding;
  m_awaited = mayCome ? std::optional(wanted) : std::nullopt;
  if (m_selection.valid()) {
    m_selection = {};
    Q_EMIT selectionChanged();
  }
}

const StreamView& Focus::selectedStream() const
{
  return *m_engine.find(m_selection.stream);
}

std::uint64_t Focus::selectedTransaction() const
{
  return selectedStream().transactions.transactionOf(m_selection.frame);
}

TimeRange Focus::selectedTime() const
{
  return selectedStream().transactions.timeOf(selectedTransaction());
}

void Focus::take(const Selection& selection)
{
  m_awaited.reset();
  m_firstView = m_firstView && !selection.valid();
  clearInterval();
  m_selection = exists(selection) ? selection : Selection{};
  if (m_selection.valid())
    m_selectionBegin = selectedStream().transactions.frames().frame(m_selection.frame).time.begin;
  keepInSession();
  Q_EMIT selectionChanged();
}

void Focus::keepInSession()
{
  InView view;
  if (!m_firstView)
    view.span = m_axis.span();
  if (const Selection& wanted = m_awaited ? *m_awaited : m_selection; wanted.valid()) {
    view.stream = wanted.stream;
    view.frame = m_selectionBegin;
    view.moment = wanted.at;
  }
  m_session.look(view);
}

void Focus::select(const Selection& selection)
{
  // One that is awaited is given up by clearing what is empty already.
  if (selection == m_selection && !m_awaited)
    return;
  if (m_selection.valid())
    remember();
  take(selection);
}

void Focus::step(const Selection& selection)
{
  if (selection != m_selection)
    take(selection);
}

void Focus::goTo(const Selection& selection, bool isStep)
{
  if (selection.stream.segment != SegmentId::None) {
    const StreamView* const stream = m_engine.findElsewhere(selection.stream);
    if (stream == nullptr || selection.frame >= stream->transactions.frames().size())
      return;
    const Frame frame = stream->transactions.frames().frame(selection.frame);
    InView view;
    view.stream = {selection.stream.bus, selection.stream.stream};
    view.frame = frame.time.begin;
    view.moment = selection.at;
    // As wide as now, with the frame where reveal() would have put it.
    const Picoseconds length = m_axis.span().length();
    const Picoseconds begin = frame.time.begin - (length - std::min(length, frame.time.length())) / 2;
    view.span = {begin, begin + length};
    m_engine.showSegment(selection.stream.segment, view);
    return;
  }
  if (!exists(selection))
    return;
  if (isStep)
    step(selection);
  else
    select(selection);
  reveal(selectedTime());
}

void Focus::showInterval(const MeasuredInterval& interval, const Selection& selection)
{
  // As wide as the interval takes a fifth of the view, but never so close that nothing else can be seen.
  constexpr int kShare = 5;
  constexpr Picoseconds kLeast = std::chrono::nanoseconds{200};
  if (exists(selection))
    select(selection);
  const Picoseconds length = std::max(interval.time.length() * kShare, kLeast);
  const Picoseconds middle = interval.time.begin + interval.time.length() / 2;
  const Picoseconds shown = m_axis.span().length();
  const bool fits = shown <= length * 8 && shown >= length && m_axis.span().contains(interval.time.begin) &&
                    m_axis.span().contains(interval.time.end);
  if (!fits)
    show({middle - length / 2, middle + length / 2});
  m_interval = interval;
  Q_EMIT intervalChanged();
}

void Focus::clearInterval()
{
  if (!m_interval)
    return;
  m_interval.reset();
  Q_EMIT intervalChanged();
}

bool Focus::selectFault(bool forward)
{
  const auto next = nextFault(forward);
  if (!next)
    return false;
  select(*next);
  reveal(selectedTime());
  return true;
}

std::optional<Selection> Focus::nextFault(bool forward) const
{
  // Frames in the order of their begin, those of one moment in the order of their streams: so each is passed once.
  const Picoseconds from = m_selection.valid() ? m_selectionBegin : axis().span().begin - Picoseconds{forward ? 1 : 0};
  Selection best;
  Picoseconds bestBegin = forward ? kNever : Picoseconds{-1};
  bool before = m_selection.valid();  // whether the stream stands before the selected one
  for (const LedgerSource& source : m_engine.ledgerSources()) {
    const StreamView& stream = *m_engine.find(source.id);
    const FrameIndex& frames = stream.transactions.frames();
    const bool own = source.id == m_selection.stream;
    const auto isBehind = [&](std::uint32_t f) {
      const Picoseconds begin = frames.frame(f).time.begin;
      if (begin != from || !m_selection.valid())
        return begin > from || (begin == from && !forward);
      return own ? f > m_selection.frame || (f == m_selection.frame && !forward) : !before;
    };
    // Frames are in the order of time, so the faulty ones are too.
    const auto after =
        std::partition_point(stream.faulty.begin(), stream.faulty.end(), [&](std::uint32_t f) { return !isBehind(f); });
    before = before && !own;
    if (forward ? after == stream.faulty.end() : after == stream.faulty.begin())
      continue;
    const std::uint64_t frame = forward ? *after : *(after - 1);
    const Picoseconds begin = frames.frame(frame).time.begin;
    // Of one moment, the first stream forward and the last one back.
    if (forward ? begin < bestBegin : begin >= bestBegin) {
      bestBegin = begin;
      best = {source.id, frame, begin};
    }
  }
  return best.valid() ? std::optional(best) : std::nullopt;
}

void Focus::selectNeighbour(bool forward)
{
  if (!m_selection.valid())
    return;
  const Transactions& transactions = selectedStream().transactions;
  const std::uint64_t number = selectedTransaction();
  if (forward ? number + 1 >= transactions.size() : number == 0)
    return;
  const std::uint64_t next = forward ? number + 1 : number - 1;
  step({m_selection.stream, transactions.framesOf(next).first, transactions.beginOf(next)});
  reveal(selectedTime());
}

void Focus::showWithoutChoice(TimeRange span)
{
  const bool first = m_firstView;
  setAxis(TimeAxis(span, m_axis.width()));
  m_firstView = first;
}

void Focus::setWidth(int pixels)
{
  // What nobody has chosen fits whatever room there is: a capture may come before the Timeline has any.
  const bool first = m_firstView;
  setAxis(first ? TimeAxis(m_axis.span(), pixels) : m_axis.resized(pixels));
  m_firstView = first;
  // How much of it can be told apart depends on the room.
  if (first && m_engine.busCount() == 0)
    showFirstWires();
}

void Focus::setAxis(const TimeAxis& axis)
{
  if (axis == m_axis)
    return;
  m_firstView = false;
  m_axis = axis;
  keepInSession();
  Q_EMIT axisChanged();
}

void Focus::reveal(TimeRange time)
{
  const TimeRange span = m_axis.span();
  if (time.begin >= span.begin && time.end <= span.end)
    return;
  const double width = m_axis.width();
  // In the middle when it fits, else from its begin on.
  const double at = m_axis.xOf(time.begin);
  const double length = m_axis.xOf(time.end) - at;
  const double wanted = length < width * 0.9 ? (width - length) / 2.0 : width * 0.05;
  setAxis(m_axis.panned(at - wanted, m_engine.whole()));
}

void Focus::zoomTo(TimeRange time)
{
  remember();
  const TimeRange span = spanAround(time, 0.08);
  setAxis(TimeAxis(span, m_axis.width()).zoomed(1.0, 0.0, m_engine.whole()));
}

void Focus::showEverything()
{
  remember();
  show(m_engine.whole());
}

void Focus::zoomToSelection()
{
  if (!m_selection.valid())
    return;
  TimeRange time = selectedTime();
  // Of a recorded frame only its moment is known: up to the next one is what is said of it.
  const Transactions& transactions = selectedStream().transactions;
  const std::uint64_t next = selectedTransaction() + 1;
  if (time.empty() && next < transactions.size())
    time.end = transactions.beginOf(next);
  constexpr std::chrono::milliseconds kRoom{1};
  if (time.empty())
    time.end = plus(time.begin, kRoom);
  zoomTo(time);
}

void Focus::setCursor(std::optional<Picoseconds> t)
{
  m_cursor = t;
  Q_EMIT cursorChanged();
}

void Focus::remember()
{
  m_forward.clear();
  m_back.push_back({m_selection, m_axis});
  if (m_back.size() > kMostPlaces)
    m_back.erase(m_back.begin());
}

void Focus::goToPlace(const Place& place)
{
  take(place.selection);
  setAxis(place.axis.resized(m_axis.width()));
}

bool Focus::exists(const Selection& selection) const
{
  const StreamView* const stream = m_engine.find(selection.stream);
  return stream != nullptr && selection.frame < stream->transactions.frames().size();
}

void Focus::goBack()
{
  if (m_back.empty())
    return;
  const Place place = m_back.back();
  m_back.pop_back();
  m_forward.push_back({m_selection, m_axis});
  goToPlace(place);
}

void Focus::goForward()
{
  if (m_forward.empty())
    return;
  const Place place = m_forward.back();
  m_forward.pop_back();
  m_back.push_back({m_selection, m_axis});
  goToPlace(place);
}

}  // namespace bexto::ui
