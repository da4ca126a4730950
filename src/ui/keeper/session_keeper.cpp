// Tested by tests/ui/keeper_test.cpp.
#include "ui/keeper/session_keeper.h"

#include <QElapsedTimer>
#include <QFileInfo>
#include <utility>

#include "core/store/session_recorder.h"
#include "ui/text/text.h"

namespace bexto::ui {

namespace {

constexpr int kKeepAfter = 1000;  ///< ms: what a crash may cost

/// What tells one list of segments from another, however they have grown.
std::vector<std::pair<SegmentId, std::string>> namesOf(const std::vector<Segment>& segments)
{
  std::vector<std::pair<SegmentId, std::string>> names;
  names.reserve(segments.size());
  for (const Segment& segment : segments)
    names.emplace_back(segment.id, segment.name);
  return names;
}

}  // namespace

/// At most thirty times a second.
class SessionKeeper::SavingProgress final : public Progress {
 public:
  explicit SavingProgress(SessionKeeper& keeper) : m_keeper(keeper) { m_clock.start(); }
  void report(double fraction) override
  {
    constexpr qint64 kPause = 33;  // ms
    if (m_clock.elapsed() < kPause)
      return;
    m_clock.restart();
    m_keeper.post([keeper = &m_keeper, fraction] { Q_EMIT keeper->progressed(fraction); });
  }

 private:
  SessionKeeper& m_keeper;
  QElapsedTimer m_clock;
};

struct SessionKeeper::Working {
  QString path;
  std::unique_ptr<SessionRecorder> recorder;  ///< made by the first job
  std::shared_ptr<SessionStore> store;        ///< or what was restored
  std::stop_source stop;                      ///< of recording: nobody wants it any more
  bool goesOn = false;                        ///< segments are put into it; of the UI thread
  std::size_t whole = 0;                      ///< so many segments are in it for good

  Result<void> begin()
  {
    if (recorder || store)
      return {};
    auto made = SessionRecorder::create(path.toStdString());
    if (!made)
      return tl::unexpected(made.error());
    recorder = std::move(*made);
    return {};
  }
  Result<void> set(const SessionFile& file)
  {
    if (auto begun = begin(); !begun)
      return begun;
    return recorder ? recorder->set(file) : store->save(file);
  }
  void remove()
  {
    recorder.reset();
    store.reset();
    UnsavedFolder::remove(path);
  }
};

SessionKeeper::SessionKeeper(SessionModel& session, Engine& engine, QObject* parent)
    : QObject(parent),
      m_session(session),
      m_engine(engine),
      m_worker([this](const char* what) { post([this, message = QString::fromUtf8(what)] { fail(message); }); })
{
  m_soon.setSingleShot(true);
  m_soon.setInterval(kKeepAfter);
  connect(&m_soon, &QTimer::timeout, this, &SessionKeeper::keepNow);
  connect(&engine, &Engine::sessionLeaving, this, &SessionKeeper::leave);
  const CaptureSource& source = engine.source();
  connect(&source, &CaptureSource::opened, this, &SessionKeeper::takeCapture);
  connect(&source, &CaptureSource::recorded, this, [this](const Segment& /*segment*/, bool beside) {
    if (!beside || m_engine.segments().size() == 1) {
      takeCapture();
      m_carried = true;  // it is nowhere else
      tell();
    }
  });
  connect(&source, &CaptureSource::sessionOpened, this, &SessionKeeper::takeSession);
  connect(&engine, &Engine::captureGrew, this, [this] {
    m_carried = m_carried || !m_path.isEmpty();  // it was saved before its end
    keepSoon();
  });
  connect(&engine, &Engine::segmentsChanged, this, [this] {
    // Which one is shown is where somebody looks; another list is a change.
    if (!m_open || namesOf(m_kept) == namesOf(m_engine.segments()))
      return;
    m_carried = true;
    const auto before = namesOf(m_kept);
    const auto now = namesOf(m_engine.segments());
    // What was recorded goes behind what is kept already.
    if (m_working && m_working->goesOn && before.size() < now.size() &&
        std::equal(before.begin(), before.end(), now.begin())) {
      m_kept = m_engine.segments();
      keepSegments();
      keepSoon();
      return;
    }
    keepAnew();
  });
  connect(&source, &CaptureSource::stateChanged, this, [this, &source](CaptureSource::State before) {
    const bool was = before == CaptureSource::State::Live || before == CaptureSource::State::Ending;
    if (was && !source.isLive() && m_open) {
      m_saved.clear();
      m_carried = m_carried || !m_path.isEmpty();
      if (m_working)
        keepSegments();
      tell();
    }
    if (source.state() == CaptureSource::State::Failed || source.state() == CaptureSource::State::Idle)
      m_restoring.clear();
  });
  connect(&session, &SessionModel::changed, this, &SessionKeeper::keepSoon);
  connect(&session.steps(), &QUndoStack::cleanChanged, this, &SessionKeeper::tell);
}

SessionKeeper::~SessionKeeper()
{
  m_soon.stop();
  leave();
}

QString SessionKeeper::readOnly() const
{
  return m_store ? toQString(m_store->readOnly()) : QString();
}

bool SessionKeeper::isModified() const
{
  return m_open && (m_carried || m_session.isChanged());
}

SessionFile SessionKeeper::now() const
{
  SessionFile file = m_file;
  file.session = m_session.value();
  file.segments = m_engine.segments();
  file.shown = m_engine.shownSegment();
  return file;
}

/// The same as a file of the folder of unsaved work has it.
SessionFile SessionKeeper::unsaved() const
{
  SessionFile file = now();
  file.continues = m_path.toStdString();
  return file;
}

/// What is open makes room. Changes that nobody saved stay in the folder, to be found there.
void SessionKeeper::leave()
{
  m_soon.stop();
  ++m_number;
  // One that takes its own place again and again is not to be found later; a save that is under way may fail.
  const bool drops = m_engine.source().replacesItself() && !m_session.isChanged();
  const bool keep = (isModified() && !drops) || m_saving;
  if (keep && isModified())
    working();  // the change may be younger than a second
  if (const std::shared_ptr<Working> old = std::exchange(m_working, nullptr)) {
    if (keep) {
      m_worker.add([old, file = unsaved(), folder = m_folder] {
        [[maybe_unused]] const auto kept = old->set(file);  // said before, if it cannot
        old->recorder.reset();
        folder.prune();
      });
    } else {
      old->stop.request_stop();
      m_worker.add([old] { old->remove(); });
    }
  }
  m_carried = isModified() && !m_session.value().buses.empty();
  m_open = false;
}

void SessionKeeper::takeCapture()
{
  m_path.clear();
  m_store.reset();
  m_saved.clear();
  m_file = {};
  m_open = true;
  m_kept = m_engine.segments();
  m_session.setClean();
  m_complained = false;
  keepSegments();
  keepSoon();
  tell();
}

void SessionKeeper::takeSession(const std::shared_ptr<const SessionStore::Opened>& opened)
{
  m_file = opened->file;
  m_file.segments.clear();
  m_open = !m_engine.segments().empty();
  m_kept = m_engine.segments();
  // The file that is open already, once more: it is ours, and not another Bexto's.
  if (m_store)
    opened->store->takeOver(*m_store);
  m_store = opened->store;
  m_path = m_engine.source().path();
  m_carried = false;
  m_session.setClean();
  m_complained = false;
  m_saved = m_engine.segments();
  if (m_restoring == m_path) {
    m_path = toQString(std::exchange(m_file.continues, {}));
    m_restoring.clear();
    m_carried = true;
    if (!opened->base)
      m_saved.clear();
    m_working = std::make_shared<Working>();
    m_working->path = toQString(m_store->path());
    m_working->store = std::exchange(m_store, opened->base);
  }
  tell();
}

void SessionKeeper::keepSoon()
{
  if (m_open && !m_soon.isActive())
    m_soon.start();
  tell();
}

std::shared_ptr<SessionKeeper::Working> SessionKeeper::working()
{
  if (!m_working) {
    m_working = std::make_shared<Working>();
    m_working->path = m_folder.newFile();
  }
  return m_working;
}

void SessionKeeper::keepNow()
{
  if (!m_open)
    return;
  if (m_engine.source().isLive())
    keepSegments();
  if (!isModified() && !m_working)
    return;
  m_worker.add([this, working = working(), file = unsaved()] {
    if (auto kept = working->set(file); !kept)
      post([this, message = toQString(kept.error().text())] { fail(message); });
  });
}

/// A capture without a name is in the folder from its first moment, or as much of it as there is.
void SessionKeeper::keepSegments()
{
  working()->goesOn = true;
  m_worker.add([this, working = working(), segments = m_engine.segments()] {
    NoProgress progress;
    auto kept = working->begin();
    for (std::size_t i = working->whole; kept && working->recorder && i < segments.size(); ++i) {
      kept = working->recorder->record(i, segments[i], working->stop.get_token(), progress);
      working->whole += kept && i == working->whole && segments[i].whole ? 1 : 0;
      auto onDisk = kept ? working->recorder->takeOnDisk(i, segments[i]) : std::vector<SessionRecorder::ChunkOnDisk>();
      if (!onDisk.empty())
        post([this, onDisk = std::move(onDisk)] { m_engine.source().letGo(onDisk); });
    }
    if (!kept && kept.error().code != ErrorCode::Cancelled)
      post([this, message = toQString(kept.error().text())] { fail(message); });
  });
}

/// The list of segments is another one: a recording goes on only with those that it has.
void SessionKeeper::keepAnew()
{
  m_kept = m_engine.segments();
  const std::shared_ptr<Working> old = std::exchange(m_working, nullptr);
  keepSegments();
  if (old) {
    old->stop.request_stop();
    m_worker.add([old] { old->remove(); });
  }
  keepSoon();
}

void SessionKeeper::setAbout(const About& about)
{
  if (about == m_file.about || !m_open)
    return;
  m_file.about = about;
  m_carried = true;
  keepSoon();
}

void SessionKeeper::save()
{
  if (m_saving || m_path.isEmpty())
    return;
  if (!m_store || m_saved != m_engine.segments()) {
    saveAs(m_path);  // more is to be written than what was set up
    return;
  }
  m_saving = true;
  const std::shared_ptr<Working> old = std::exchange(m_working, nullptr);
  m_session.setClean();
  m_worker.add([this, number = m_number, store = m_store, file = now(), old] {
    auto done = store->save(file);
    if (done && old)
      old->remove();
    post([this, old, number, message = done ? QString() : toQString(done.error().text())] {
      m_saving = false;
      if (number != m_number)
        return endLate(message);
      if (message.isEmpty()) {
        m_carried = false;
        Q_EMIT saved(m_path);
      } else {
        m_carried = true;  // it is as unsaved as before
        m_working = m_working ? m_working : old;
        Q_EMIT failed(message);
      }
      tell();
    });
  });
  tell();
}

void SessionKeeper::saveAs(const QString& path)
{
  if (m_saving || !m_engine.capture())
    return;
  m_saving = true;
  m_stopSaving = std::stop_source();
  m_session.setClean();
  SessionFile file = now();
  m_worker.add([this, number = m_number, path, file = std::move(file), own = m_store, stop = m_stopSaving.get_token()] {
    SavingProgress progress(*this);
    auto done = writeSession(path.toStdString(), file, stop, progress, own.get());
    auto opened =
        done ? SessionStore::open(path.toStdString()) : Result<SessionStore::Opened>(tl::unexpected(done.error()));
    const bool cancelled = !opened && opened.error().code == ErrorCode::Cancelled;
    post([this, number, path, segments = file.segments, cancelled, store = opened ? opened->store : nullptr,
          message = opened ? QString() : toQString(opened.error().text())] {
      m_saving = false;
      if (number != m_number)
        return endLate(cancelled ? QString() : message);
      if (store) {
        m_path = path;
        m_store = store;
        m_saved = segments;
        m_carried = m_open && m_engine.segments() != segments;
        if (const std::shared_ptr<Working> old = std::exchange(m_working, nullptr)) {
          old->stop.request_stop();
          m_worker.add([old] { old->remove(); });
        }
        Q_EMIT saved(path);
      } else {
        m_carried = true;
        if (!cancelled)
          Q_EMIT failed(message);
      }
      if (m_session.isChanged())
        keepSoon();
      tell();
    });
  });
  tell();
}

/// A save of the session before has ended. What could not be written is in the folder still.
void SessionKeeper::endLate(const QString& message)
{
  if (!message.isEmpty())
    Q_EMIT failed(message);
  tell();
}

void SessionKeeper::cancelSaving()
{
  m_stopSaving.request_stop();
}

void SessionKeeper::discard()
{
  m_soon.stop();
  m_carried = false;
  m_session.setClean();
  if (const std::shared_ptr<Working> old = std::exchange(m_working, nullptr)) {
    old->stop.request_stop();
    m_worker.add([old] { old->remove(); });
  }
  m_open = false;  // nothing more is kept of it
}

std::vector<UnsavedWork> SessionKeeper::left() const
{
  return m_folder.left();
}

void SessionKeeper::restore(const QString& unsaved)
{
  m_engine.source().open(unsaved);
  m_restoring = unsaved;
}

void SessionKeeper::forget(const QString& unsaved)
{
  UnsavedFolder::remove(unsaved);
  Q_EMIT changed();
}

void SessionKeeper::fail(const QString& message)
{
  m_saving = false;
  if (!std::exchange(m_complained, true))
    Q_EMIT failed(tr("Unsaved work cannot be kept safe: %1").arg(message));
}

/// From the worker's thread to this one; never arrives once this is gone.
void SessionKeeper::post(std::function<void()> action)
{
  QMetaObject::invokeMethod(this, std::move(action), Qt::QueuedConnection);
}

void SessionKeeper::tell()
{
  Q_EMIT changed();
}

}  // namespace bexto::ui
