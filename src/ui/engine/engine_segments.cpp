// What the engine does with the segments of a session: shows one of them, keeps the frames of the others.
//
// Tested by tests/ui/segments_test.cpp.
#include <QDateTime>
#include <algorithm>

#include "ui/engine/engine.h"
#include "ui/text/text.h"

namespace bexto::ui {

namespace {

/// But for what it is called.
bool decodesAlike(Bus a, const Bus& b)
{
  a.name = b.name;
  return a == b;
}

}  // namespace

void Engine::showSegment(std::size_t place)
{
  if (place < m_segments.size())
    showSegment(m_segments[place].id, m_views[m_segments[place].id]);
}

void Engine::showSegment(SegmentId segment, const InView& view)
{
  const auto found =
      std::find_if(m_segments.begin(), m_segments.end(), [segment](const Segment& s) { return s.id == segment; });
  const auto place = static_cast<std::size_t>(found - m_segments.begin());
  if (place == m_segments.size() || place == m_shown)
    return;
  m_views[m_session.value().segment] = m_session.value().view;
  leaveFrames();
  Q_EMIT captureLeaving();
  m_shown = place;
  showCapture(m_segments[place].capture);
  m_session.showSegment(segment, view);
  Q_EMIT captureChanged();
  decodeAll();
  decodeElsewhere();
  Q_EMIT segmentsChanged();
}

/// A recording that begins: of its own, or behind those that there are, where it is shown to who looks at the last one.
void Engine::takeRecorded(const Segment& segment, bool beside)
{
  if (!beside || m_segments.empty()) {
    takeCapture(segment.capture, m_source->path(), segment);
    return;
  }
  const bool follows = m_shown + 1 == m_segments.size();
  m_segments.push_back(segment);
  m_growing = m_segments.size() - 1;
  Session session = m_session.value();
  numberSegments(m_segments, session);
  m_session.setLastSegment(session.lastSegment);
  if (follows)
    showSegment(m_segments.back().id, {});
  else
    Q_EMIT segmentsChanged();
}

/// What was decoded is kept for when one comes back, and for the list of all segments.
void Engine::leaveFrames()
{
  for (const auto& entry : m_buses) {
    const BusView& view = entry->view;
    if (m_source->isLive() && m_growing == m_shown)
      break;  // it is longer by then
    if (!view.decoding && !view.stopped && !view.error && !view.streams.empty())
      m_elsewhere[{m_session.value().segment, view.id}] = {view.wanted, view.shown, view.streams};
  }
}

/// Whether the bus was decoded in this segment before, as it is wanted now.
bool Engine::takeKept(Entry& entry)
{
  const auto kept = m_elsewhere.find({m_session.value().segment, entry.view.id});
  if (kept == m_elsewhere.end() || !decodesAlike(kept->second.asked, entry.view.wanted))
    return false;
  // At once: whoever came here by a line of a list finds the list as it was.
  entry.view.streams = kept->second.streams;
  entry.view.shown = kept->second.shown;
  entry.view.shown.name = entry.view.wanted.name;
  entry.view.progress = 1.0;
  BusChange& told = say(entry);
  told.frames = BusChange::Frames::Replaced;
  told.kept.clear();
  return true;
}

void Engine::listAllSegments(bool all)
{
  m_all = all;
  decodeElsewhere();
  m_untold.elsewhere = true;
  tell();
  Q_EMIT segmentsChanged();
}

/// Bus by bus in the background, what is not decoded yet in segments that are not shown.
void Engine::decodeElsewhere()
{
  struct Task {
    SegmentId segment;
    std::shared_ptr<const Capture> capture;
    BusId id;
    Bus bus;
  };
  std::vector<Task> tasks;
  for (std::size_t i = 0; listsAllSegments() && i < m_segments.size(); ++i) {
    for (const auto& entry : m_buses) {
      const auto kept = m_elsewhere.find({m_segments[i].id, entry->view.id});
      if (i != m_shown && (kept == m_elsewhere.end() || !decodesAlike(kept->second.asked, entry->view.wanted)))
        tasks.push_back({m_segments[i].id, conditioned(m_segments[i].capture), entry->view.id, entry->view.wanted});
    }
  }
  m_elsewhereJob->cancel();
  if (tasks.empty())
    return;
  m_elsewhereJob->start([this, tasks = std::move(tasks)](JobRun& run) {
    for (const Task& task : tasks) {
      Elsewhere found{task.bus, task.bus, {}};
      if (const auto resolved = resolveBus(task.bus, *task.capture)) {
        found.shown = resolved->bus;
        for (const BusStream& stream : resolved->streams) {
          const StreamInput input = inputOf(*task.capture, stream);
          auto decoded = decodeStream(resolved->bus, input, run.stop());
          if (!decoded)
            return;
          found.streams.push_back(streamView(resolved->bus, stream, input, decoded->frames, decoded->measuredHertz));
        }
        putTogether(found.shown, found.streams);
      }
      run.post([this, key = std::pair(task.segment, task.id), found = std::move(found)] {
        m_elsewhere[key] = found;
        m_untold.elsewhere = true;
        tell();
      });
    }
  });
}

/// By their times where those are known and not too far apart for one axis; else each behind the one before.
std::vector<Picoseconds> Engine::sessionBegins() const
{
  constexpr std::chrono::hours kFarthest{24 * 50};
  std::vector<Picoseconds> begins;
  QDateTime first;
  Picoseconds end{0};
  for (const Segment& segment : m_segments) {
    const QDateTime begin = QDateTime::fromString(toQString(segment.startedAt), Qt::ISODate);
    if (begins.empty())
      first = begin;
    Picoseconds at = end;
    const auto since = std::chrono::milliseconds{first.isValid() && begin.isValid() ? first.msecsTo(begin) : -1};
    if (since.count() >= 0 && since < kFarthest)
      at = std::max(at, Picoseconds(since));
    begins.push_back(at);
    end = plus(at, segment.capture->end);
  }
  return begins;
}

Picoseconds Engine::shownBegin() const
{
  return listsAllSegments() ? sessionBegins().at(m_shown) : Picoseconds{0};
}

bool Engine::isOfAnotherSegment(BusId bus) const
{
  const BusView* const view = find(bus);
  const auto hasChannels = [view](const Segment& segment) {
    const std::vector<BusWire>& wires = view->wanted.wires;
    return segment.capture && std::all_of(wires.begin(), wires.end(), [&](const BusWire& wire) {
             return segment.capture->find(wire.channel).has_value();
           });
  };
  return m_segments.size() > 1 && view != nullptr && view->error && !view->wanted.wires.empty() &&
         !hasChannels(m_segments.at(m_shown)) && std::any_of(m_segments.begin(), m_segments.end(), hasChannels);
}

const StreamView* Engine::findElsewhere(StreamId stream) const
{
  const auto kept = m_elsewhere.find({stream.segment, stream.bus});
  if (kept == m_elsewhere.end() || stream.stream < 0 ||
      static_cast<std::size_t>(stream.stream) >= kept->second.streams.size())
    return nullptr;
  return &kept->second.streams[static_cast<std::size_t>(stream.stream)];
}

std::vector<LedgerSource> Engine::listedSources() const
{
  std::vector<LedgerSource> sources = ledgerSources();
  if (!listsAllSegments())
    return sources;
  for (LedgerSource& source : sources)
    source.segment = m_shown + 1;
  const std::vector<Picoseconds> begins = sessionBegins();
  for (std::size_t i = 0; i < m_segments.size(); ++i) {
    for (const auto& entry : m_buses) {
      const auto kept = m_elsewhere.find({m_segments[i].id, entry->view.id});
      if (i == m_shown || kept == m_elsewhere.end())
        continue;
      Bus bus = kept->second.shown;
      bus.name = entry->view.wanted.name;
      for (std::size_t s = 0; s < kept->second.streams.size(); ++s) {
        const StreamView& stream = kept->second.streams[s];
        sources.push_back({bus,
                           stream.line,
                           stream.transactions,
                           nullptr,
                           kept->second.streams.size() > 1,
                           {entry->view.id, static_cast<int>(s), m_segments[i].id},
                           begins[i] - begins[m_shown],
                           i + 1,
                           sentOn(*m_segments[i].capture, stream.channels)});
      }
    }
  }
  return sources;
}

void Engine::addSegments(const std::vector<Segment>& segments)
{
  for (const Segment& segment : segments) {
    const auto isLater = [&](const Segment& s) {
      return !segment.startedAt.empty() && s.startedAt > segment.startedAt;
    };
    const auto before = std::find_if(m_segments.begin(), m_segments.end(), isLater);
    const auto place = static_cast<std::size_t>(before - m_segments.begin());
    m_segments.insert(before, segment)->id = SegmentId::None;
    m_shown += place <= m_shown ? 1 : 0;
    m_growing += place <= m_growing ? 1 : 0;
  }
  Session session = m_session.value();
  numberSegments(m_segments, session);
  m_session.setLastSegment(session.lastSegment);
  for (const Segment& segment : segments) {
    for (const Bus& bus : busesOfRecords(*segment.capture, wantedBuses()))
      m_session.addBus(bus);
  }
  decodeElsewhere();
  m_untold.elsewhere = listsAllSegments();
  tell();
  Q_EMIT segmentsChanged();
}

void Engine::renameSegment(std::size_t place, const QString& name)
{
  if (place >= m_segments.size() || name.trimmed().isEmpty())
    return;
  m_segments[place].name = name.trimmed().toStdString();
  Q_EMIT segmentsChanged();
}

void Engine::removeSegment(std::size_t place)
{
  if (place >= m_segments.size() || m_segments.size() == 1 || (m_source->isLive() && place == m_growing))
    return;
  if (place == m_shown)
    showSegment(place == 0 ? 1 : place - 1);
  const SegmentId gone = m_segments[place].id;
  m_session.forgetSegment(gone);
  std::erase_if(m_elsewhere, [gone](const auto& kept) { return kept.first.first == gone; });
  m_segments.erase(m_segments.begin() + static_cast<std::ptrdiff_t>(place));
  m_shown -= m_shown > place ? 1 : 0;
  m_growing -= m_growing > place ? 1 : 0;
  decodeElsewhere();
  m_untold.elsewhere = true;
  tell();
  Q_EMIT segmentsChanged();
}

}  // namespace bexto::ui
