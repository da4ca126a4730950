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
    m_back.clear();
    m_forward.clear();
    m_cursor.reset();
    clearSelection();
    clearMarkers();
    show(m_document.whole());
  });
  connect(&document, &Document::busListChanged, this, &Focus::forgetBuses);
  connect(&document, &Document::busChanged, this, &Focus::busChanged);
}

void Focus::forgetBuses()
{
  // Numbers of buses have moved. Places keep their spans.
  for (auto* places : {&m_back, &m_forward}) {
    for (Place& place : *places)
      place.selection = {};
  }
  clearSelection();
}

void Focus::busChanged(int bus)
{
  const BusView& view = m_document.bus(bus);
  if (m_firstView && view.transactionCount() > 0) {
    std::vector<Transactions> streams;
    for (int i = 0; i < m_document.busCount(); ++i) {
      for (const StreamView& s : m_document.bus(i).streams)
        streams.push_back(s.transactions);
    }
    show(firstActiveStretch(streams, m_document.whole()));
    if (!m_document.isDecoding())
      m_firstView = false;
  }
  if (m_selection.bus != bus)
    return;
  // The frames are others now: stay at the same time.
  if (static_cast<std::size_t>(m_selection.stream) >= view.streams.size()) {
    clearSelection();
    return;
  }
  const FrameIndex& frames = view.streams[static_cast<std::size_t>(m_selection.stream)].transactions.frames();
  const std::uint64_t frame = frames.firstFrom(m_selectionBegin);
  if (frame == frames.size() || frames.frame(frame).time.begin != m_selectionBegin) {
    if (!view.decoding)
      clearSelection();
    return;
  }
  m_selection.frame = frame;
  Q_EMIT selectionChanged();
}

const StreamView& Focus::selectedStream() const
{
  return m_document.bus(m_selection.bus).streams.at(static_cast<std::size_t>(m_selection.stream));
}

std::uint64_t Focus::selectedTransaction() const
{
  return selectedStream().transactions.transactionOf(m_selection.frame);
}

TimeRange Focus::selectedTime() const
{
  return selectedStream().transactions.timeOf(selectedTransaction());
}

void Focus::select(const Selection& selection)
{
  if (selection == m_selection)
    return;
  if (m_selection.valid())
    remember();
  m_firstView = m_firstView && !selection.valid();
  m_selection = selection;
  if (selection.valid())
    m_selectionBegin = selectedStream().transactions.frames().frame(selection.frame).time.begin;
  Q_EMIT selectionChanged();
}

bool Focus::selectFault(bool forward)
{
  const Picoseconds from = m_selection.valid() ? m_selectionBegin : axis().span().begin - Picoseconds{forward ? 1 : 0};
  Selection best;
  Picoseconds bestBegin = forward ? kNever : Picoseconds{-1};
  for (const Document::StreamAddress address : m_document.streamAddresses()) {
    const StreamView& stream = m_document.bus(address.bus).streams[static_cast<std::size_t>(address.stream)];
    const FrameIndex& frames = stream.transactions.frames();
    // Frames are in the order of time, so the faulty ones are too.
    const auto after = std::partition_point(stream.faulty.begin(), stream.faulty.end(), [&](std::uint32_t f) {
      return forward ? frames.frame(f).time.begin <= from : frames.frame(f).time.begin < from;
    });
    if (forward ? after == stream.faulty.end() : after == stream.faulty.begin())
      continue;
    const std::uint64_t frame = forward ? *after : *(after - 1);
    const Picoseconds begin = frames.frame(frame).time.begin;
    if (forward ? begin < bestBegin : begin > bestBegin) {
      bestBegin = begin;
      best = {address.bus, address.stream, frame, begin};
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
  select({m_selection.bus, m_selection.stream, transactions.framesOf(next).first, transactions.beginOf(next)});
  reveal(selectedTime());
}

void Focus::setAxis(const TimeAxis& axis)
{
  if (axis == m_axis)
    return;
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

std::size_t Focus::addMarker(Picoseconds t, const QString& edge)
{
  const auto taken = [this](const QString& name) {
    return std::any_of(m_markers.begin(), m_markers.end(), [&](const Marker& m) { return m.name == name; });
  };
  QString name;
  for (int i = 0; name.isEmpty() || taken(name); ++i)
    name = QChar(static_cast<char16_t>(u'A' + i % 26)) + (i < 26 ? QString() : QString::number(i / 26 + 1));
  m_markers.push_back({name, t, edge});
  Q_EMIT markersChanged();
  return m_markers.size() - 1;
}

std::size_t Focus::addNote(const QString& note)
{
  const Picoseconds begin = selectedTime().begin;
  const QString bus = QString::fromStdString(m_document.bus(m_selection.bus).shown.name);
  for (std::size_t i = 0; i < m_markers.size(); ++i) {
    if (m_markers[i].pin && m_markers[i].pin->bus == bus && m_markers[i].pin->begin == begin) {
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
  m_selection = exists(place.selection) ? place.selection : Selection{};
  if (m_selection.valid())
    m_selectionBegin = selectedStream().transactions.frames().frame(m_selection.frame).time.begin;
  setAxis(place.axis.resized(m_axis.width()));
  Q_EMIT selectionChanged();
}

bool Focus::exists(const Selection& selection) const
{
  if (!selection.valid() || selection.bus >= m_document.busCount())
    return false;
  const BusView& view = m_document.bus(selection.bus);
  return static_cast<std::size_t>(selection.stream) < view.streams.size() &&
         selection.frame < view.streams[static_cast<std::size_t>(selection.stream)].transactions.frames().size();
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
