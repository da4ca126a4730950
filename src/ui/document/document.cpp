#include "ui/document/document.h"

#include <algorithm>
#include <cassert>
#include <future>
#include <mutex>

#include "core/decode/protocol.h"
#include "core/format/vcd_reader.h"
#include "core/view/overview.h"
#include "core/view/text_guess.h"

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

/// A new capture of the same wires is read as the one before was.
std::shared_ptr<const Capture> withConditioning(std::shared_ptr<const Capture> capture, const Capture* before)
{
  if (!capture || before == nullptr)
    return capture;
  std::shared_ptr<Capture> changed;
  for (const Channel& old : before->channels) {
    if (!old.conditioning.any())
      continue;
    for (std::size_t i = 0; i < capture->channels.size(); ++i) {
      if (capture->channels[i].path != old.path)
        continue;
      if (!changed)
        changed = std::make_shared<Capture>(*capture);
      changed->channels[i].conditioning = old.conditioning;
    }
  }
  return changed ? changed : capture;
}

StreamView viewOf(const Bus& bus, const BusStream& stream, StreamInput input, FrameIndex frames, double hertz)
{
  StreamView view{stream.line, stream.channels, std::move(input), {}, faultyFrames(frames), hertz};
  view.transactions = Transactions(bus, std::move(frames));
  return view;
}

}  // namespace

std::uint64_t BusView::frameCount() const
{
  std::uint64_t n = 0;
  for (const StreamView& s : streams)
    n += s.transactions.frames().size();
  return n;
}

std::uint64_t BusView::transactionCount() const
{
  std::uint64_t n = 0;
  for (const StreamView& s : streams)
    n += s.transactions.size();
  return n;
}

std::uint64_t BusView::faultCount() const
{
  std::uint64_t n = 0;
  for (const StreamView& s : streams)
    n += s.faulty.size();
  return n;
}

Document::Document(QObject* parent) : QObject(parent), m_loading(std::make_unique<Job>())
{
  connect(m_loading.get(), &Job::progressed, this, &Document::openingProgressed);
  connect(m_loading.get(), &Job::failed, this, &Document::openingFailed);
}

TimeRange Document::whole() const
{
  return m_capture ? TimeRange{Picoseconds{0}, m_capture->end} : TimeRange{};
}

void Document::open(const QString& path)
{
  leaveLive();
  m_openingPath = path;
  m_loading->start([this, path](JobRun& run) {
    auto capture = readVcd(path.toStdString(), run.stop(), run);
    if (!capture) {
      run.post([this, message = QString::fromStdString(capture.error().text())] {
        m_loading->cancel();
        Q_EMIT openingFailed(message);
      });
      return;
    }
    run.post([this, path, made = std::make_shared<const Capture>(std::move(*capture))] { setCapture(made, path); });
  });
  Q_EMIT openingStarted();
}

void Document::cancelOpening()
{
  if (m_loading->isRunning()) {
    m_loading->cancel();
    Q_EMIT openingCancelled();
  } else if (m_following && !m_live) {
    stopFollowing();
  }
}

void Document::setCapture(std::shared_ptr<const Capture> capture, const QString& path)
{
  m_loading->cancel();
  m_capture = withConditioning(std::move(capture), m_capture.get());
  m_path = path;
  // The buses stay: after a change to the firmware the next capture has the same wires.
  for (const auto& entry : m_buses) {
    entry->job->cancel();
    entry->view.streams.clear();
  }
  Q_EMIT captureChanged();
  for (const auto& entry : m_buses)
    decode(*entry);
}

void Document::setConditioning(std::size_t channel, Conditioning how)
{
  if (!m_capture || m_capture->channels.at(channel).conditioning == how)
    return;
  // The tracks are shared: this copies names and handles only. A wire with several names is one wire.
  auto changed = std::make_shared<Capture>(*m_capture);
  for (Channel& other : changed->channels) {
    if (other.track.sameAs(changed->channels[channel].track))
      other.conditioning = how;
  }
  m_capture = std::move(changed);
  Q_EMIT conditioningChanged();
  for (const auto& entry : m_buses) {
    // By what the bus wants, not by what is decoded: its first decode may be under way.
    const std::vector<BusWire>& wires = entry->view.wanted.wires;
    const bool affected = std::any_of(wires.begin(), wires.end(), [&](const BusWire& wire) {
      const auto found = m_capture->find(wire.channel);
      return found && m_capture->channels[*found].track.sameAs(m_capture->channels[channel].track);
    });
    if (affected)
      decode(*entry);
  }
}

BusId Document::addBus(const Bus& bus)
{
  auto entry = std::make_unique<Entry>();
  entry->view.id = BusId{++m_lastId};
  entry->view.wanted = bus;
  entry->view.shown = bus;
  entry->guessFormat = bus.protocol().facts().payloadMayBeText && bus.format == ValueFormat::Hex;
  entry->job = std::make_unique<Job>(Job::Urgency::Background);
  Entry& added = *entry;
  connect(added.job.get(), &Job::failed, this, [this, e = &added](const QString& message) {
    e->view.decoding = false;
    e->view.error = Error{ErrorCode::Unreadable, message.toStdString(), {}, {}};
    Q_EMIT busChanged(e->view.id);
  });
  m_buses.push_back(std::move(entry));
  Q_EMIT busListChanged();
  decode(added);
  return added.view.id;
}

void Document::changeBus(BusId bus, const Bus& changed)
{
  Entry& entry = entryOf(bus);
  const Bus before = entry.view.wanted;
  if (before == changed && !entry.view.error)
    return;
  entry.view.wanted = changed;
  entry.view.shown.name = changed.name;
  Bus renamed = before;
  renamed.name = changed.name;
  if (renamed != changed)
    entry.guessFormat = false;  // somebody has said how its values are to be shown
  Bus dressed = renamed;
  dressed.format = changed.format;
  // A decode under way groups by the old format, and what it publishes would overtake a new grouping.
  const bool busy = entry.view.decoding || m_live;
  if (dressed != changed || entry.view.error || (renamed != changed && busy)) {
    decode(entry);
    return;
  }
  entry.view.shown.format = changed.format;
  if (renamed != changed)
    group(entry);
  else
    Q_EMIT busChanged(bus);
}

/// What was decoded has another number format: what is one transaction may follow from that.
void Document::group(Entry& entry)
{
  std::vector<FrameIndex> streams;
  for (const StreamView& stream : entry.view.streams)
    streams.push_back(stream.transactions.frames());
  entry.view.decoding = true;
  Entry* e = &entry;
  entry.job->start([this, e, streams, bus = entry.view.shown](JobRun& run) {
    std::vector<Transactions> grouped;
    for (const FrameIndex& frames : streams)
      grouped.emplace_back(bus, frames);
    run.post([this, e, grouped] {
      for (std::size_t i = 0; i < grouped.size(); ++i)
        e->view.streams[i].transactions = grouped[i];
      e->view.decoding = false;
      Q_EMIT busChanged(e->view.id);
    });
  });
  Q_EMIT busChanged(entry.view.id);
}

void Document::removeBus(BusId bus)
{
  std::erase_if(m_buses, [bus](const auto& entry) { return entry->view.id == bus; });
  Q_EMIT busListChanged();
}

void Document::stopDecoding(BusId bus)
{
  if (m_live)
    return;
  Entry& entry = entryOf(bus);
  entry.job->cancel();
  entry.view.decoding = false;
  Q_EMIT busChanged(bus);
}

bool Document::isDecoding() const
{
  return std::any_of(m_buses.begin(), m_buses.end(), [](const auto& e) { return e->view.decoding; });
}

const BusView* Document::find(BusId bus) const
{
  const auto found = std::find_if(m_buses.begin(), m_buses.end(), [bus](const auto& e) { return e->view.id == bus; });
  return found == m_buses.end() ? nullptr : &(*found)->view;
}

const StreamView* Document::find(StreamId stream) const
{
  const BusView* const view = find(stream.bus);
  if (view == nullptr || stream.stream < 0 || static_cast<std::size_t>(stream.stream) >= view->streams.size())
    return nullptr;
  return &view->streams[static_cast<std::size_t>(stream.stream)];
}

Document::Entry& Document::entryOf(BusId bus)
{
  const auto found = std::find_if(m_buses.begin(), m_buses.end(), [bus](const auto& e) { return e->view.id == bus; });
  assert(found != m_buses.end());
  return **found;
}

void Document::guessFormat(Entry& entry)
{
  if (!entry.guessFormat || entry.view.frameCount() == 0)
    return;
  entry.guessFormat = false;
  std::vector<FrameIndex> streams;
  for (const StreamView& stream : entry.view.streams)
    streams.push_back(stream.transactions.frames());
  if (!readsLikeText(entry.view.shown, streams))
    return;
  Bus bus = entry.view.wanted;
  bus.format = ValueFormat::Text;
  changeBus(entry.view.id, bus);
}

void Document::decode(Entry& entry)
{
  entry.job->cancel();
  entry.view.error.reset();
  entry.view.decoding = false;
  const BusId id = entry.view.id;
  if (!m_capture) {
    Q_EMIT busChanged(id);
    return;
  }
  auto resolved = resolveBus(entry.view.wanted, *m_capture);
  if (!resolved) {
    entry.view.error = resolved.error();
    Q_EMIT busChanged(id);
    return;
  }
  entry.live.reset();
  if (m_live) {
    decodeLive(entry, std::move(*resolved));
    return;
  }
  entry.view.decoding = true;
  entry.view.progress = 0.0;
  // `e` outlives the job: the job is its member, and waits for its runs when it goes.
  Entry* e = &entry;
  entry.job->start([this, e, capture = m_capture, bus = std::move(*resolved)](JobRun& run) {
    std::vector<StreamView> views;
    for (const BusStream& stream : bus.streams)
      views.push_back(viewOf(bus.bus, stream, inputOf(*capture, stream), {}, 0.0));
    const auto publish = [&](bool done, double share) {
      run.post([this, e, views, done, share, shown = bus.bus] {
        e->view.progress = share;
        e->view.decoding = !done;
        e->view.streams = views;
        e->view.shown = shown;
        e->view.shown.name = e->view.wanted.name;  // it may have another since
        Q_EMIT busChanged(e->view.id);
        if (done)
          guessFormat(*e);
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
        StreamView view = viewOf(bus.bus, bus.streams[i], input, sofar.snapshot(), decoder.measuredHertz());
        const std::lock_guard lock(access);
        views[i] = std::move(view);
        publish(false, share);
      };
      auto decoded = decodeStream(bus.bus, input, run.stop(), arrived);
      if (!decoded)
        return false;
      StreamView view = viewOf(bus.bus, bus.streams[i], input, decoded->frames, decoded->measuredHertz);
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
  Q_EMIT busChanged(id);
}

Bus Document::suggestBus(const Protocol& protocol) const
{
  std::vector<Bus> others;
  for (const auto& entry : m_buses)
    others.push_back(entry->view.wanted);
  return bexto::suggestBus(protocol, m_capture.get(), others);
}

std::vector<LedgerSource> Document::ledgerSources() const
{
  std::vector<LedgerSource> sources;
  for (const auto& entry : m_buses) {
    for (const StreamView& stream : entry->view.streams)
      sources.push_back({entry->view.shown,
                         stream.line,
                         stream.transactions,
                         nullptr,
                         entry->view.streams.size() > 1,
                         {entry->view.id, static_cast<int>(&stream - entry->view.streams.data())}});
  }
  return sources;
}

}  // namespace bexto::ui
