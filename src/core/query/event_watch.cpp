// Tested by tests/core/event_watch_test.cpp.
#include "core/query/event_watch.h"

#include <algorithm>

#include "core/decode/protocol.h"

namespace bexto {

struct EventWatch::Stream {
  std::size_t place = 0;  ///< of its bus
  ResolvedBus bus;
  BusStream wires;
  std::unique_ptr<Decoder> decoder;
  FrameIndexBuilder frames;
  Transactions lines;
  std::uint64_t said = 0;             ///< lines below were said or passed over for good
  std::optional<std::uint64_t> open;  ///< the last line when it was said already; it may grow still
  /// What begins up to here was said or passed over, before the last move.
  Picoseconds known{-1};
};

EventWatch::EventWatch(std::vector<Bus> buses, Query query)
    : m_buses(std::move(buses)), m_query(std::move(query)), m_resolved(m_buses.size())
{
}

EventWatch::~EventWatch() = default;

/// Those that could not be before: there may be enough of a wire now to tell its rate.
void EventWatch::resolve(const Capture& capture)
{
  m_errors.clear();
  const std::size_t before = m_streams.size();
  for (std::size_t place = 0; place < m_buses.size(); ++place) {
    if (m_resolved[place] != 0)
      continue;
    auto resolved = resolveBus(m_buses[place], capture);
    if (!resolved) {
      m_errors.push_back(resolved.error());
      continue;
    }
    m_resolved[place] = 1;
    m_buses[place] = resolved->bus;  // the rate that was found holds from then on
    for (const BusStream& wires : resolved->streams) {
      auto stream = std::make_unique<Stream>();
      stream->place = place;
      stream->bus = *resolved;
      stream->wires = wires;
      m_streams.push_back(std::move(stream));
    }
  }
  if (m_streams.size() == before)
    return;
  std::stable_sort(m_streams.begin(), m_streams.end(),
                   [](const auto& a, const auto& b) { return a->place < b->place; });
  m_scan.reset();  // another row of sources
}

std::vector<EventWatch::Event> EventWatch::look(const Capture& capture)
{
  constexpr std::size_t kSlice = 32768;
  resolve(capture);
  std::vector<ScanSource> sources;
  for (const auto& stream : m_streams) {
    StreamInput input = inputOf(capture, stream->wires);
    input.final = false;  // what is open at the end may go on
    if (stream->decoder)
      stream->decoder->extend(input);
    else
      stream->decoder = stream->bus.bus.protocol().decoder(stream->bus.bus, input);
    while (stream->decoder->run(stream->frames, kSlice)) {
    }
    stream->lines = Transactions(stream->bus.bus, stream->frames.snapshot(), stream->lines);
    sources.push_back({stream->bus.bus, stream->wires.line, stream->lines, sentOn(capture, stream->wires.channels)});
  }
  if (!m_scan)
    m_scan = std::make_unique<GrowingScan>(m_query);
  const auto found = m_scan->run(sources, std::stop_token());
  std::vector<Event> events;
  for (std::size_t i = 0; found && i < m_streams.size(); ++i) {
    Stream& stream = *m_streams[i];
    const LineSet& asked = (*found)[i];
    const std::uint64_t lines = stream.lines.size();
    for (std::uint64_t rank = asked.countBelow(stream.said); rank < asked.size(); ++rank) {
      const std::uint64_t line = asked.at(rank);
      const TimeRange time = stream.lines.timeOf(line);
      if (time.begin > stream.known && stream.open != line)
        events.push_back({time, stream.bus.bus.name});
      if (line + 1 == lines)
        stream.open = line;
    }
    m_lines += lines > stream.said + 1 ? lines - 1 - stream.said : 0;
    stream.said = std::max(stream.said, lines == 0 ? 0 : lines - 1);
  }
  const auto isEarlier = [](const Event& a, const Event& b) { return a.time.begin < b.time.begin; };
  std::stable_sort(events.begin(), events.end(), isEarlier);
  return events;
}

void EventWatch::moveTo(Picoseconds cut)
{
  for (auto& stream : m_streams) {
    // Nothing of a line that will not be asked again, or was said, is one of its own: what begins before the middle of
    // its last frame belongs to it, also when the cut goes through it. (The next one may begin before its end.)
    Picoseconds known = stream->known;
    const auto upTo = [&](std::uint64_t line) {
      const TimeRange last = stream->lines.frames().frame(stream->lines.framesOf(line).end - 1).time;
      known = std::max(known, last.begin + last.length() / 2);
    };
    if (stream->said > 0)
      upTo(stream->said - 1);
    if (stream->open)
      upTo(*stream->open);
    // A last line that the cut goes through is never seen whole again.
    const std::uint64_t lines = stream->lines.size();
    if (lines > 0 && stream->lines.beginOf(lines - 1) < cut)
      upTo(lines - 1);
    auto anew = std::make_unique<Stream>();
    anew->place = stream->place;
    anew->bus = std::move(stream->bus);
    anew->wires = std::move(stream->wires);
    anew->known = std::max(Picoseconds{-1}, known - cut);
    stream = std::move(anew);
  }
  m_scan.reset();
}

}  // namespace bexto
