#include "ui/engine/engine.h"

#include <future>
#include <map>
#include <mutex>

#include "core/decode/protocol.h"
#include "core/view/overview.h"
#include "core/view/text_guess.h"
#include "ui/engine/live_decode.h"
#include "ui/text/text.h"

namespace bexto::ui {

namespace {

/// Publishes a decode at 1000, 2000, 4000 … frames: the first appear at once, and all publishing together costs no
/// more than the last.
class Publisher {
 public:
  bool due(std::uint64_t frames)
  {
    if (frames < m_next)
      return false;
    m_next = frames * 2;
    return true;
  }

 private:
  std::uint64_t m_next = 1000;
};

}  // namespace

Engine::Engine(SessionModel& session, QObject* parent)
    : QObject(parent),
      m_session(session),
      m_source(new CaptureSource(this)),
      m_elsewhereJob(std::make_unique<Job>(Job::Urgency::Background))
{
  connect(&session, &SessionModel::changed, this, &Engine::follow);
  connect(m_source, &CaptureSource::segmentsRead, this,
          [this](const std::shared_ptr<const std::vector<Segment>>& segments) { addSegments(*segments); });
  connect(m_source, &CaptureSource::opened, this,
          [this](const std::shared_ptr<const Capture>& capture) { takeCapture(capture, m_source->path()); });
  connect(m_source, &CaptureSource::sessionOpened, this,
          [this](const std::shared_ptr<const SessionStore::Opened>& opened) { takeSession(opened->file); });
  connect(m_source, &CaptureSource::recorded, this, &Engine::takeRecorded);
  connect(m_source, &CaptureSource::grew, this, &Engine::grow);
  connect(m_source, &CaptureSource::stateChanged, this, [this](CaptureSource::State before) {
    const bool was = before == CaptureSource::State::Live || before == CaptureSource::State::Ending;
    if (was && !m_source->isLive())
      endGrowth();
  });
}

Engine::~Engine() = default;

QString Engine::path() const
{
  return toQString(m_session.value().source);
}

TimeRange Engine::whole() const
{
  return m_capture ? TimeRange{Picoseconds{0}, m_capture->end} : TimeRange{};
}

void Engine::setCapture(std::shared_ptr<const Capture> capture, const QString& path)
{
  m_source->drop();
  takeCapture(std::move(capture), path);
}

/// What grew is whole now.
void Engine::endGrowth()
{
  if (m_growing >= m_segments.size())
    return;
  m_segments[m_growing].whole = true;
  if (m_growing != m_shown)
    return;
  for (const auto& entry : m_buses) {
    // What was open at the end is cut there now. A rate that was found while it grew may be another by all of it.
    const bool goesOn = entry->live && !entry->view.error && entry->live->isOf(entry->view.wanted);
    if (!goesOn) {
      decode(*entry);
      continue;
    }
    entry->ends = true;
    entry->view.decoding = true;
    continueLive(*entry);
  }
  tell();
}

/// `as`: what is known of it besides; without a name it is that of the file.
void Engine::takeCapture(std::shared_ptr<const Capture> capture, const QString& path, const Segment& as)
{
  Q_EMIT sessionLeaving();
  Q_EMIT captureLeaving();
  m_segments = {as.name.empty() ? segmentOf(path, capture, m_source->isLive()) : as};
  m_shown = m_growing = 0;
  m_views.clear();
  m_elsewhere.clear();
  m_elsewhereJob->cancel();
  m_all = false;
  const std::vector<Bus> own = busesOfRecords(*capture, wantedBuses());
  showCapture(std::move(capture));
  m_taking = !own.empty();
  m_session.takeCapture(path, own);
  m_taking = false;
  m_segments.front().id = m_session.value().segment;
  Q_EMIT captureChanged();
  decodeAll();
  Q_EMIT segmentsChanged();
}

/// The buses stay: after a change to the firmware the next capture has the same wires.
void Engine::showCapture(std::shared_ptr<const Capture> capture)
{
  m_capture = conditioned(std::move(capture));
  for (const auto& entry : m_buses) {
    entry->job->cancel();
    entry->arrived.reset();
    entry->view.streams.clear();
  }
}

void Engine::decodeAll()
{
  for (const auto& entry : m_buses)
    decode(*entry);
  tell();
}

void Engine::takeSession(const SessionFile& file)
{
  Q_EMIT sessionLeaving();
  Q_EMIT captureLeaving();
  for (const auto& entry : m_buses)
    entry->job->cancel();
  m_buses.clear();  // their numbers may be those of other buses now
  static const auto kNothing = std::make_shared<const Capture>();
  Session session = file.session;
  m_segments = file.segments;
  numberSegments(m_segments, session);
  m_shown = m_segments.empty() ? 0 : file.shown;
  m_growing = m_shown;
  m_views.clear();
  m_elsewhere.clear();
  m_elsewhereJob->cancel();
  m_all = false;
  session.segment = m_segments.empty() ? SegmentId::None : m_segments.at(m_shown).id;
  m_capture = m_segments.empty() ? kNothing : m_segments.at(m_shown).capture;
  m_taking = true;
  m_session.replace(session);
  m_taking = false;
  Q_EMIT captureChanged();
  tell();
  Q_EMIT segmentsChanged();
}

void Engine::grow(const std::shared_ptr<const Capture>& capture)
{
  m_segments.at(m_growing).capture = capture;
  if (m_growing != m_shown)
    return;
  m_capture = conditioned(capture);
  Q_EMIT captureGrew();
  for (const auto& entry : m_buses)
    continueLive(*entry);
  tell();
}

/// The same tracks, read as the session says. A wire with several names is one wire.
std::shared_ptr<const Capture> Engine::conditioned(std::shared_ptr<const Capture> capture) const
{
  const std::map<std::string, Conditioning>& how = m_session.value().conditioning;
  const auto wanted = [&](const Channel& channel) {
    const auto found = how.find(channel.path);
    return found == how.end() ? Conditioning() : found->second;
  };
  if (!capture || std::all_of(capture->channels.begin(), capture->channels.end(),
                              [&](const Channel& channel) { return channel.conditioning == wanted(channel); }))
    return capture;
  // This copies names and handles only.
  auto changed = std::make_shared<Capture>(*capture);
  for (Channel& channel : changed->channels)
    channel.conditioning = wanted(channel);
  return changed;
}

void Engine::follow(const SessionChange& change)
{
  if (change.conditioning) {
    m_elsewhere.clear();
    changeConditioning();
  }
  if (change.busList)
    followList();
  for (const BusId id : change.buses) {
    if (Entry* const entry = entryOf(id))
      changeBus(*entry, m_session.value().find(id)->bus);
  }
  if (change.conditioning || change.busList || !change.buses.empty())
    decodeElsewhere();
  if (!m_taking)
    tell();
}

void Engine::changeConditioning()
{
  const std::shared_ptr<const Capture> before = std::exchange(m_capture, conditioned(m_capture));
  if (before == m_capture)
    return;
  m_untold.wires = true;
  for (const auto& entry : m_buses) {
    // By what the bus wants, not by what is decoded: its first decode may be under way.
    const std::vector<BusWire>& wires = entry->view.wanted.wires;
    const bool affected = std::any_of(wires.begin(), wires.end(), [&](const BusWire& wire) {
      const auto found = m_capture->find(wire.channel);
      return found && m_capture->channels[*found].conditioning != before->channels[*found].conditioning;
    });
    if (affected)
      decode(*entry);
  }
}

void Engine::followList()
{
  m_untold.busList = true;
  std::vector<std::unique_ptr<Entry>> before = std::move(m_buses);
  m_buses.clear();
  std::vector<Entry*> added;
  for (const SessionBus& bus : m_session.value().buses) {
    const auto kept = std::find_if(before.begin(), before.end(),
                                   [&](const auto& entry) { return entry && entry->view.id == bus.id; });
    if (kept != before.end()) {
      m_buses.push_back(std::move(*kept));
    } else {
      m_buses.push_back(makeEntry(bus));
      added.push_back(m_buses.back().get());
    }
  }
  std::erase_if(m_untold.buses, [this](const BusChange& c) { return find(c.bus) == nullptr; });
  for (Entry* entry : added)
    decode(*entry);
}

std::unique_ptr<Engine::Entry> Engine::makeEntry(const SessionBus& bus)
{
  auto entry = std::make_unique<Entry>();
  entry->view.id = bus.id;
  entry->view.wanted = bus.bus;
  entry->view.shown = bus.bus;
  entry->job = std::make_unique<Job>(Job::Urgency::Background);
  Entry* e = entry.get();
  connect(e->job.get(), &Job::failed, this, [this, e](const QString& message) {
    e->view.decoding = false;
    e->view.error = Error{ErrorCode::Unreadable, message.toStdString(), {}, {}};
    say(*e).described = true;
    tell();
  });
  // A capture that grew while the run was at its end is not forgotten.
  connect(e->job.get(), &Job::finished, this, [this, e] {
    if (e->behind && (isLive() || e->ends))
      continueLive(*e);
  });
  return entry;
}

/// Checks at once, decodes in the background. Another name decodes nothing; another number format and other sheets only
/// group what was decoded anew.
void Engine::changeBus(Entry& entry, const Bus& changed)
{
  const Bus before = entry.view.wanted;
  if (before == changed && !entry.view.error)
    return;
  entry.view.wanted = changed;
  entry.view.shown.name = changed.name;
  Bus renamed = before;
  renamed.name = changed.name;
  renamed.books = changed.books;  // what it is judged by changes nothing of what it says
  entry.view.shown.books = changed.books;
  Bus dressed = renamed;
  dressed.format = changed.format;
  dressed.sheets = changed.sheets;
  BusChange& told = say(entry);
  told.renamed = !told.described && renamed == changed;
  told.described = true;
  // A decode under way groups by the old format, and what it publishes would overtake a new grouping.
  const bool busy = entry.view.decoding || isLive();
  if (dressed != changed || entry.view.error || (renamed != changed && busy)) {
    decode(entry);
    return;
  }
  entry.view.shown.format = changed.format;
  entry.view.shown.sheets = changed.sheets;
  if (renamed != changed)
    group(entry);
}

/// What was decoded has another number format, or other sheets: what is one transaction may follow from that, and what
/// it says does.
void Engine::group(Entry& entry)
{
  entry.view.decoding = true;
  Entry* e = &entry;
  entry.job->start([this, e, streams = entry.view.streams, bus = entry.view.shown](JobRun& run) {
    std::vector<StreamView> grouped = ofWires(streams);
    for (StreamView& stream : grouped) {
      stream.transactions = Transactions(bus, stream.transactions.frames());
      stream.faulty = faultyFrames(stream.transactions);
    }
    putTogether(bus, grouped);
    run.post([this, e, grouped = std::move(grouped), bus] { arrive(*e, {grouped, bus, 1.0, true, true}); });
  });
}

void Engine::stopDecoding(BusId bus)
{
  Entry* const entry = entryOf(bus);
  if (isLive() || entry == nullptr || !entry->view.decoding)
    return;
  entry->job->cancel();
  if (entry->arrived)
    entry->arrived->done = true;
  entry->view.decoding = false;
  entry->view.stopped = true;
  say(*entry).described = true;
  tell();
}

void Engine::decodeAgain(BusId bus)
{
  if (Entry* const entry = entryOf(bus)) {
    decode(*entry);
    tell();
  }
}

bool Engine::isDecoding() const
{
  return std::any_of(m_buses.begin(), m_buses.end(), [](const auto& e) { return e->view.decoding; });
}

const BusView* Engine::find(BusId bus) const
{
  const auto found = std::find_if(m_buses.begin(), m_buses.end(), [bus](const auto& e) { return e->view.id == bus; });
  return found == m_buses.end() ? nullptr : &(*found)->view;
}

const StreamView* Engine::find(StreamId stream) const
{
  const BusView* const view = find(stream.bus);
  if (view == nullptr || stream.stream < 0 || static_cast<std::size_t>(stream.stream) >= view->streams.size())
    return nullptr;
  return &view->streams[static_cast<std::size_t>(stream.stream)];
}

Engine::Entry* Engine::entryOf(BusId bus)
{
  const auto found = std::find_if(m_buses.begin(), m_buses.end(), [bus](const auto& e) { return e->view.id == bus; });
  return found == m_buses.end() ? nullptr : found->get();
}

/// A bus in hex whose payload may be text is shown as text when its first decode reads like it.
void Engine::guessFormat(Entry& entry)
{
  const SessionBus* const asked = m_session.value().find(entry.view.id);
  const bool mayBe =
      entry.view.shown.protocol().facts().payloadMayBeText && entry.view.shown.format == ValueFormat::Hex;
  if (asked == nullptr || asked->formatKnown || !mayBe || entry.view.frameCount() == 0)
    return;
  std::vector<FrameIndex> streams;
  for (const StreamView& stream : entry.view.streams)
    streams.push_back(stream.transactions.frames());
  const bool isText = readsLikeText(entry.view.shown, streams);
  m_session.amend(entry.view.id, [isText](SessionBus& bus) {
    bus.formatKnown = true;
    if (isText)
      bus.bus.format = ValueFormat::Text;
  });
}

void Engine::decode(Entry& entry)
{
  entry.job->cancel();
  entry.arrived.reset();
  entry.fresh = true;
  entry.view.error.reset();
  entry.view.decoding = false;
  entry.view.stopped = false;
  entry.live.reset();
  entry.ends = false;
  BusChange& told = say(entry);
  told.described = true;
  told.renamed = false;
  if (!m_capture)
    return;
  auto resolved = resolveBus(entry.view.wanted, *m_capture);
  if (!resolved) {
    entry.view.error = resolved.error();
    return;
  }
  if (isLive()) {
    entry.live = std::make_shared<LiveDecode>(std::move(*resolved), *m_capture);
    continueLive(entry);
    return;
  }
  if (!takeKept(entry))
    decodeWhole(entry, std::move(*resolved));
}

void Engine::decodeWhole(Entry& entry, ResolvedBus resolved)
{
  entry.view.decoding = true;
  entry.view.progress = 0.0;
  // `e` outlives the job: the job is its member, and waits for its runs when it goes.
  Entry* e = &entry;
  entry.job->start([this, e, capture = m_capture, bus = std::move(resolved)](JobRun& run) {
    std::vector<StreamView> views;
    for (const BusStream& stream : bus.streams)
      views.push_back(streamView(bus.bus, stream, inputOf(*capture, stream), {}, 0.0));
    const auto publish = [&](bool done, double share) {
      std::vector<StreamView> all = views;
      putTogether(bus.bus, all);
      run.post([this, e, all = std::move(all), done, share, shown = bus.bus] {
        arrive(*e, {all, shown, share, done, false});
      });
    };
    // The directions of a bus side by side; `views` and what is published of them belong to one thread at a time.
    std::mutex access;
    const auto decodeOne = [&](std::size_t i) {
      Publisher publisher;
      const StreamInput input = views[i].input;
      const auto arrived = [&](const FrameIndexBuilder& sofar, const Decoder& decoder, double share) {
        if (!publisher.due(sofar.size()))
          return;
        StreamView view = streamView(bus.bus, bus.streams[i], input, sofar.snapshot(), decoder.measuredHertz());
        const std::lock_guard lock(access);
        views[i] = std::move(view);
        publish(false, share);
      };
      auto decoded = decodeStream(bus.bus, input, run.stop(), arrived);
      if (!decoded)
        return false;
      StreamView view = streamView(bus.bus, bus.streams[i], input, decoded->frames, decoded->measuredHertz);
      const std::lock_guard lock(access);
      views[i] = std::move(view);
      return true;
    };
    std::vector<std::future<bool>> others;
    for (std::size_t i = 1; i < bus.streams.size(); ++i)
      others.push_back(std::async(std::launch::async, decodeOne, i));
    bool whole = decodeOne(0);
    for (std::future<bool>& other : others)
      whole = other.get() && whole;
    if (whole)
      publish(true, 1.0);
  });
}

/// The decode goes on from where it stood, over what the capture has now.
void Engine::continueLive(Entry& entry)
{
  if (!entry.live || entry.view.error) {
    // A channel or a rate that was not to be had before may be now.
    if (!entry.job->isRunning())
      decode(entry);
    return;
  }
  entry.behind = entry.job->isRunning();
  if (entry.behind)
    return;
  Entry* e = &entry;
  const bool ends = std::exchange(entry.ends, false);
  entry.job->start([this, e, live = entry.live, capture = m_capture, ends](JobRun& run) {
    std::vector<StreamView> views = live->extend(*capture, run.stop(), ends);
    if (!views.empty())
      run.post([this, e, live, ends, views = std::move(views)] { arrive(*e, {views, live->bus(), 1.0, ends, false}); });
  });
  if (ends)
    entry.live.reset();  // its last run keeps it
}

void Engine::arrive(Entry& entry, Arrived arrived)
{
  // What came in the same turn and nobody has seen is overtaken.
  const bool first = std::exchange(entry.fresh, false);
  arrived.fresh = arrived.fresh || first || (entry.arrived && entry.arrived->fresh);
  entry.arrived = std::move(arrived);
  if (!std::exchange(m_deliverySoon, true))
    QMetaObject::invokeMethod(this, &Engine::deliver, Qt::QueuedConnection);
}

void Engine::deliver()
{
  m_deliverySoon = false;
  std::vector<BusId> arrivedOf;
  for (const auto& entry : m_buses) {
    if (!entry->arrived)
      continue;
    const Arrived arrived = std::move(*entry->arrived);
    entry->arrived.reset();
    BusView& view = entry->view;
    BusChange& told = say(*entry);
    std::vector<std::uint64_t> kept;
    for (const StreamView& stream : view.streams)
      kept.push_back(stream.transactions.frames().size());
    if (arrived.fresh || arrived.streams.size() != view.streams.size()) {
      told.frames = BusChange::Frames::Replaced;
      told.kept.clear();
      told.described = true;
    }
    view.streams = arrived.streams;
    view.shown = arrived.shown;
    view.shown.name = view.wanted.name;  // it may have another since
    view.progress = arrived.progress;
    view.decoding = !isLive() && !arrived.done;
    std::vector<std::uint64_t> now;
    for (const StreamView& stream : view.streams)
      now.push_back(stream.transactions.frames().size());
    if (told.frames == BusChange::Frames::Same && now != kept) {
      told.frames = BusChange::Frames::Extended;
      told.kept = std::move(kept);
    }
    constexpr std::uint64_t kEnough = 60;  // while it grows
    if (arrived.done || (isLive() && view.frameCount() >= kEnough))
      arrivedOf.push_back(view.id);
  }
  tell();
  for (const BusId bus : arrivedOf) {
    if (Entry* const entry = entryOf(bus))
      guessFormat(*entry);
  }
}

BusChange& Engine::say(const Entry& entry)
{
  for (BusChange& change : m_untold.buses) {
    if (change.bus == entry.view.id)
      return change;
  }
  m_untold.buses.push_back({entry.view.id});
  return m_untold.buses.back();
}

void Engine::tell()
{
  if (m_untold.empty())
    return;
  const EngineChange told = std::exchange(m_untold, {});
  Q_EMIT changed(told);
}

std::vector<Bus> Engine::wantedBuses() const
{
  std::vector<Bus> buses;
  for (const SessionBus& bus : m_session.value().buses)
    buses.push_back(bus.bus);
  return buses;
}

Bus Engine::suggestBus(const Protocol& protocol) const
{
  return bexto::suggestBus(protocol, m_capture.get(), wantedBuses());
}

const Protocol& Engine::likelyProtocol() const
{
  return bexto::likelyProtocol(m_capture.get(), wantedBuses());
}

std::vector<LedgerSource> Engine::ledgerSources() const
{
  std::vector<LedgerSource> sources;
  for (const auto& entry : m_buses) {
    for (const StreamView& stream : entry->view.streams)
      sources.push_back({entry->view.shown,
                         stream.line,
                         stream.transactions,
                         nullptr,
                         entry->view.streams.size() > 1,
                         {entry->view.id, static_cast<int>(&stream - entry->view.streams.data())},
                         Picoseconds{0},
                         0,
                         sentOn(*m_capture, stream.channels)});
  }
  return sources;
}

}  // namespace bexto::ui
