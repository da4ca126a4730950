#include "core/session/session.h"

#include <algorithm>

namespace bexto {

namespace {

template <typename List, typename Id>
auto findIn(List& list, Id id) -> decltype(list.data())
{
  const auto found = std::find_if(list.begin(), list.end(), [id](const auto& one) { return one.id == id; });
  return found == list.end() ? nullptr : &*found;
}

std::string trimmed(const std::string& text)
{
  constexpr const char* kBlanks = " \t\r\n";
  const std::size_t begin = text.find_first_not_of(kBlanks);
  return begin == std::string::npos ? std::string() : text.substr(begin, text.find_last_not_of(kBlanks) - begin + 1);
}

bool hasName(const std::vector<Marker>& markers, const std::string& name)
{
  return std::any_of(markers.begin(), markers.end(), [&](const Marker& m) { return m.name == name; });
}

}  // namespace

const SessionBus* Session::find(BusId bus) const
{
  return findIn(buses, bus);
}

const Marker* Session::find(MarkerId marker) const
{
  return findIn(markers, marker);
}

BusId addBus(Session& session, Bus bus)
{
  const BusId id{++session.lastBus};
  session.buses.push_back({id, std::move(bus)});
  return id;
}

void changeBus(Session& session, BusId id, const Bus& bus)
{
  SessionBus* const found = findIn(session.buses, id);
  if (found == nullptr)
    return;
  found->bus.name = bus.name;
  found->formatKnown = found->formatKnown || found->bus != bus;
  found->bus = bus;
}

void setSheets(Session& session, BusId id, const SheetTexts& sheets)
{
  for (SessionBus& entry : session.buses) {
    if (entry.id == id)
      entry.bus.sheets = sheets;
  }
}

void setBooks(Session& session, BusId id, const SheetTexts& books)
{
  for (SessionBus& entry : session.buses) {
    if (entry.id == id)
      entry.bus.books = books;
  }
}

void removeBus(Session& session, BusId id)
{
  std::erase_if(session.buses, [id](const SessionBus& b) { return b.id == id; });
  std::erase_if(session.plots, [id](const Plot& p) { return p.bus == id; });
}

void addPlot(Session& session, const Plot& plot)
{
  const auto same =
      std::find_if(session.plots.begin(), session.plots.end(), [&](const Plot& p) { return p.isSame(plot); });
  if (same != session.plots.end())
    *same = plot;
  else if (session.find(plot.bus) != nullptr)
    session.plots.push_back(plot);
}

void removePlot(Session& session, const Plot& plot)
{
  std::erase_if(session.plots, [&](const Plot& p) { return p.isSame(plot); });
}

void setConditioning(Session& session, const std::string& channel, Conditioning how)
{
  if (how == Conditioning())
    session.conditioning.erase(channel);
  else
    session.conditioning[channel] = how;
}

MarkerId addMarker(Session& session, Picoseconds time, const std::string& edge)
{
  std::string name;
  for (int i = 0; name.empty() || hasName(session.markers, name); ++i)
    name = static_cast<char>('A' + i % 26) + (i < 26 ? std::string() : std::to_string(i / 26 + 1));
  const MarkerId id{++session.lastMarker};
  session.markers.push_back({id, std::move(name), time, edge, {}, {}, session.segment});
  return id;
}

MarkerId addNote(Session& session, BusId bus, Picoseconds begin, const std::string& note)
{
  for (const Marker& marker : session.markers) {
    if (marker.segment == session.segment && marker.pin && marker.pin->bus == bus && marker.pin->begin == begin) {
      const MarkerId id = marker.id;
      if (!note.empty())
        setNote(session, id, note);
      return id;
    }
  }
  const MarkerId id = addMarker(session, begin);
  session.markers.back().note = trimmed(note);
  session.markers.back().pin = Marker::Pin{bus, begin};
  return id;
}

void moveMarker(Session& session, MarkerId id, Picoseconds time, const std::string& edge)
{
  if (Marker* const marker = findIn(session.markers, id)) {
    marker->time = time;
    marker->edge = edge;
    marker->pin.reset();
  }
}

void renameMarker(Session& session, MarkerId id, const std::string& name)
{
  const std::string wanted = trimmed(name);
  Marker* const marker = findIn(session.markers, id);
  if (marker != nullptr && !wanted.empty() && !hasName(session.markers, wanted))
    marker->name = wanted;
}

void setNote(Session& session, MarkerId id, const std::string& note)
{
  if (Marker* const marker = findIn(session.markers, id))
    marker->note = trimmed(note);
}

std::vector<Marker> markersInView(const Session& session)
{
  std::vector<Marker> markers;
  std::copy_if(session.markers.begin(), session.markers.end(), std::back_inserter(markers),
               [&](const Marker& m) { return m.segment == session.segment; });
  return markers;
}

SegmentId whereMarkersDiffer(const std::vector<Marker>& a, const std::vector<Marker>& b)
{
  for (const auto& [list, other] : {std::pair(&a, &b), std::pair(&b, &a)}) {
    for (const Marker& marker : *list) {
      if (std::find(other->begin(), other->end(), marker) == other->end())
        return marker.segment;
    }
  }
  return SegmentId::None;
}

void removeMarkersOf(Session& session, SegmentId segment)
{
  std::erase_if(session.markers, [segment](const Marker& m) { return m.segment == segment; });
}

void removeMarker(Session& session, MarkerId id)
{
  std::erase_if(session.markers, [id](const Marker& m) { return m.id == id; });
}

void takeCapture(Session& session, const std::string& source, const std::vector<Bus>& own)
{
  for (const Bus& bus : own)
    addBus(session, bus);
  session.source = source;
  session.markers.clear();
  session.view = {};
  session.lastSegment = 1;
  session.segment = SegmentId{1};
}

}  // namespace bexto
