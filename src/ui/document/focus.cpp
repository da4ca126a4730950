#include "ui/document/focus.h"

#include <algorithm>

#include "core/view/overview.h"

namespace bexto::ui {

namespace {
constexpr std::size_t kMostPlaces = 100;
}

Focus::Focus(Document& document, QObject* parent) : QObject(parent), m_document(document)
{
  connect(&document, &Document::captureChanged, this, [this] {
    m_firstView = true;
    m_cursor.reset();
    take({});
    // Places of the capture before are no places of this one.
    m_back.clear();
    m_forward.clear();
    clearMarkers();
    showWithoutChoice(m_document.whole());
  });
  connect(&document, &Document::busListChanged, this, &Focus::forgetRemoved);
  connect(&document, &Document::busChanged, this, &Focus::busChanged);
}

void Focus::forgetRemoved()
{
  const auto isGone = [this](const Selection& s) { return s.valid() && m_document.find(s.stream.bus) == nullptr; };
  if (m_awaited && isGone(*m_awaited))
    m_awaited.reset();
  if (isGone(m_selection))
    take({});
}

void Focus::busChanged(BusId bus)
{
  if (m_firstView && m_document.find(bus)->transactionCount() > 0) {
    std::vector<Transactions> streams;
    for (int i = 0; i < m_document.busCount(); ++i) {
      for (const StreamView& s : m_document.bus(i).streams)
        streams.push_back(s.transactions);
    }
    showWithoutChoice(firstActiveStretch(streams, m_document.whole()));
    if (!m_document.isDecoding())
      m_firstView = false;
  }
  const Selection wanted = m_awaited.value_or(m_selection);
  if (wanted.stream.bus != bus)
    return;
  // The frames are others now: stay at the same time.
  const StreamView* const stream = m_document.find(wanted.stream);
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
  const bool mayCome = m_document.find(bus)->decoding;
  m_awaited = mayCome ? std::optional(wanted) : std::nullopt;
  if (m_selection.valid()) {
    m_selection = {};
    Q_EMIT selectionChanged();
  }
}

const StreamView& Focus::selectedStream() const
{
  return *m_document.find(m_selection.stream);
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
  m_selection = exists(selection) ? selection : Selection{};
  if (m_selection.valid())
    m_selectionBegin = selectedStream().transactions.frames().frame(m_selection.frame).time.begin;
  Q_EMIT selectionChanged();
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

bool Focus::selectFault(bool forward)
{
  // Frames in the order of their begin, those of one moment in the order of their streams: so each is passed once.
  const Picoseconds from = m_selection.valid() ? m_selectionBegin : axis().span().begin - Picoseconds{forward ? 1 : 0};
  Selection best;
  Picoseconds bestBegin = forward ? kNever : Picoseconds{-1};
  bool before = m_selection.valid();  // whether the stream stands before the selected one
  for (const LedgerSource& source : m_document.ledgerSources()) {
    const StreamView& stream = *m_document.find(source.id);
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
  if (!best.valid())
    return false;
  select(best);
  reveal(selectedTime());
  return true;
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
}

void Focus::setAxis(const TimeAxis& axis)
{
  if (axis == m_axis)
    return;
  m_firstView = false;
  m_axis = axis;
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
  setAxis(m_axis.panned(at - wanted, m_document.whole()));
}

void Focus::zoomTo(TimeRange time)
{
  remember();
  const TimeRange span = spanAround(time, 0.08);
  setAxis(TimeAxis(span, m_axis.width()).zoomed(1.0, 0.0, m_document.whole()));
}

void Focus::zoomToSelection()
{
  if (m_selection.valid())
    zoomTo(selectedTime());
}

void Focus::setCursor(std::optional<Picoseconds> t)
{
  m_cursor = t;
  Q_EMIT cursorChanged();
}

std::optional<std::size_t> Focus::placeOfMarker(std::uint32_t id) const
{
  const auto found = std::find_if(m_markers.begin(), m_markers.end(), [id](const Marker& m) { return m.id == id; });
  return found == m_markers.end() ? std::nullopt : std::optional(static_cast<std::size_t>(found - m_markers.begin()));
}

std::size_t Focus::addMarker(Picoseconds t, const QString& edge)
{
  const auto taken = [this](const QString& name) {
    return std::any_of(m_markers.begin(), m_markers.end(), [&](const Marker& m) { return m.name == name; });
  };
  QString name;
  for (int i = 0; name.isEmpty() || taken(name); ++i)
    name = QChar(static_cast<char16_t>(u'A' + i % 26)) + (i < 26 ? QString() : QString::number(i / 26 + 1));
  m_markers.push_back({++m_lastMarker, name, t, edge});
  Q_EMIT markersChanged();
  return m_markers.size() - 1;
}

std::size_t Focus::addNote(const QString& note)
{
  const Picoseconds begin = selectedTime().begin;
  const BusId bus = m_selection.stream.bus;
  for (std::size_t i = 0; i < m_markers.size(); ++i) {
    if (m_markers[i].pin && m_markers[i].pin->bus == bus && m_markers[i].pin->begin == begin) {
      if (!note.isEmpty())
        setNote(i, note);
      return i;
    }
  }
  const std::size_t added = addMarker(begin);
  m_markers[added].note = note;
  m_markers[added].pin = Marker::Pin{bus, begin};
  Q_EMIT markersChanged();
  return added;
}

void Focus::moveMarker(std::size_t which, Picoseconds t, const QString& edge)
{
  Marker& marker = m_markers.at(which);
  marker.time = t;
  marker.edge = edge;
  marker.pin.reset();  // it stands for that time now
  Q_EMIT markersChanged();
}

void Focus::renameMarker(std::size_t which, const QString& name)
{
  const QString trimmed = name.trimmed();
  const bool taken =
      std::any_of(m_markers.begin(), m_markers.end(), [&](const Marker& m) { return m.name == trimmed; });
  if (!trimmed.isEmpty() && !taken)
    m_markers.at(which).name = trimmed;
  Q_EMIT markersChanged();
}

void Focus::setNote(std::size_t which, const QString& note)
{
  m_markers.at(which).note = note.trimmed();
  Q_EMIT markersChanged();
}

void Focus::removeMarker(std::size_t which)
{
  m_markers.erase(m_markers.begin() + static_cast<std::ptrdiff_t>(which));
  Q_EMIT markersChanged();
}

void Focus::clearMarkers()
{
  m_markers.clear();
  Q_EMIT markersChanged();
}

void Focus::remember()
{
  m_forward.clear();
  m_back.push_back({m_selection, m_axis});
  if (m_back.size() > kMostPlaces)
    m_back.erase(m_back.begin());
}

void Focus::goTo(const Place& place)
{
  take(place.selection);
  setAxis(place.axis.resized(m_axis.width()));
}

bool Focus::exists(const Selection& selection) const
{
  const StreamView* const stream = m_document.find(selection.stream);
  return stream != nullptr && selection.frame < stream->transactions.frames().size();
}

void Focus::goBack()
{
  if (m_back.empty())
    return;
  const Place place = m_back.back();
  m_back.pop_back();
  m_forward.push_back({m_selection, m_axis});
  goTo(place);
}

void Focus::goForward()
{
  if (m_forward.empty())
    return;
  const Place place = m_forward.back();
  m_forward.pop_back();
  m_back.push_back({m_selection, m_axis});
  goTo(place);
}

}  // namespace bexto::ui
