#include "ui/engine/capture_source.h"

#include <QDateTime>
#include <QFileInfo>
#include <QTimer>
#include <utility>

#include "core/format/capture_format.h"
#include "core/format/vcd_follower.h"
#include "ui/text/text.h"

namespace bexto::ui {

namespace {

constexpr int kAskEvery = 80;  ///< ms

/// What a person has to be asked before the file is read; nullptr: nothing.
std::shared_ptr<const HowToRead> questionOf(const QString& path, bool adds)
{
  const auto format = formatOfFile(path.toStdString());
  if (!format || (*format)->asks == CaptureFormat::Asks::Nothing)
    return nullptr;
  auto question = std::make_shared<HowToRead>();
  question->path = path;
  question->adds = adds;
  question->asks = (*format)->asks;
  if (question->asks == CaptureFormat::Asks::Layout) {
    auto begin = readCsvBegin(path.toStdString());
    if (!begin)
      return nullptr;
    question->begin = std::move(*begin);
  }
  return question;
}

}  // namespace

Segment segmentOf(const QString& path, std::shared_ptr<const Capture> capture, bool grows)
{
  const QFileInfo file(path);
  const QDateTime begin = grows || !file.exists() ? QDateTime::currentDateTime() : file.lastModified();
  return {file.completeBaseName().toStdString(),
          capture->startedAt.empty() ? begin.toUTC().toString(Qt::ISODate).toStdString() : capture->startedAt,
          {},
          !grows,
          std::move(capture)};
}

/// A file that somebody still writes: asked a few times a second for what was added.
struct CaptureSource::Following {
  explicit Following(const QString& path) : file(std::make_shared<VcdFollower>(path.toStdString())) {}

  std::shared_ptr<VcdFollower> file;  ///< the job's runs share it; they never overlap
  Job job;
  QTimer timer;
};

CaptureSource::CaptureSource(QObject* parent) : QObject(parent)
{
  connect(&m_loading, &Job::progressed, this, &CaptureSource::progressed);
  connect(&m_loading, &Job::failed, this, &CaptureSource::fail);
}

CaptureSource::~CaptureSource() = default;

void CaptureSource::setState(State state)
{
  const State before = std::exchange(m_state, state);
  Q_EMIT stateChanged(before);
}

void CaptureSource::fail(const QString& message)
{
  m_loading.cancel();
  dropFollowing();
  dropRecording();
  m_message = message;
  setState(State::Failed);
}

void CaptureSource::drop()
{
  m_loading.cancel();
  dropFollowing();
  dropRecording();
  if (m_state != State::Idle)
    setState(State::Idle);
}

void CaptureSource::open(const QString& path, const std::optional<ReadHints>& hints)
{
  read(path, hints, false);
}

void CaptureSource::add(const QString& path, const std::optional<ReadHints>& hints)
{
  read(path, hints, true);
}

void CaptureSource::read(const QString& path, const std::optional<ReadHints>& hints, bool adds)
{
  dropFollowing();
  dropRecording();
  m_wasRecording = false;
  m_path = path;
  m_loading.start([this, path, hints, adds](JobRun& run) {
    if (looksLikeSession(path.toStdString())) {
      auto session = openUnsaved(path.toStdString());
      if (!session) {
        run.post([this, message = toQString(session.error().text())] { fail(message); });
        return;
      }
      run.post([this, adds, made = std::make_shared<const SessionStore::Opened>(std::move(*session))] {
        m_loading.cancel();
        m_state = State::Idle;
        if (adds)
          Q_EMIT segmentsRead(std::make_shared<const std::vector<Segment>>(made->file.segments));
        else
          Q_EMIT sessionOpened(made);
        Q_EMIT stateChanged(State::Opening);
      });
      return;
    }
    if (!hints) {
      if (const auto question = questionOf(path, adds)) {
        run.post([this, question] {
          m_loading.cancel();
          setState(State::Idle);
          Q_EMIT asked(question);
        });
        return;
      }
    }
    auto capture = readCapture(path.toStdString(), hints.value_or(ReadHints()), run.stop(), run);
    if (!capture) {
      run.post([this, message = toQString(capture.error().text())] { fail(message); });
      return;
    }
    run.post([this, path, adds, made = std::make_shared<const Capture>(std::move(*capture))] {
      m_loading.cancel();
      m_state = State::Idle;
      if (adds)
        Q_EMIT segmentsRead(std::make_shared<const std::vector<Segment>>(1, segmentOf(path, made, false)));
      else
        Q_EMIT opened(made);
      Q_EMIT stateChanged(State::Opening);
    });
  });
  setState(State::Opening);
}

void CaptureSource::follow(const QString& path)
{
  m_loading.cancel();
  dropFollowing();
  dropRecording();
  m_wasRecording = false;
  m_path = path;
  m_following = std::make_shared<Following>(path);
  connect(&m_following->timer, &QTimer::timeout, this, &CaptureSource::askForMore);
  connect(&m_following->job, &Job::failed, this, &CaptureSource::fail);
  m_following->timer.start(kAskEvery);
  setState(State::Opening);
  askForMore();
}

void CaptureSource::record(const CapturePlan& plan, const std::vector<Bus>& buses)
{
  m_loading.cancel();
  dropFollowing();
  dropRecording();
  m_path = tr("Capture %1").arg(QDateTime::currentDateTime().toString(QStringLiteral("yyyy-MM-dd hh-mm-ss")));
  m_wasRecording = true;
  m_recording = std::make_unique<Recording>(plan, buses);
  connect(m_recording.get(), &Recording::began, this, [this, repeat = plan.repeat](const Segment& segment) {
    const State before = std::exchange(m_state, State::Live);
    Q_EMIT recorded(segment, repeat == CapturePlan::Repeat::Collect);
    m_replacesItself = repeat == CapturePlan::Repeat::Again;
    Q_EMIT stateChanged(before);
  });
  connect(m_recording.get(), &Recording::grew, this, &CaptureSource::grew);
  connect(m_recording.get(), &Recording::ended, this, [this] {
    if (isLive())
      setState(State::Waiting);
  });
  connect(m_recording.get(), &Recording::stands, this, [this](const live::CaptureStatus& status) {
    if (m_state == State::Opening && status.phase != live::CaptureStatus::Phase::Connecting)
      setState(State::Waiting);
    Q_EMIT stands();
  });
  connect(m_recording.get(), &Recording::finished, this, &CaptureSource::endRecording);
  setState(State::Opening);
}

void CaptureSource::endRecording(const QString& message)
{
  // It is its own call that this is.
  m_recording.release()->deleteLater();
  m_replacesItself = false;
  m_message = message;
  setState(message.isEmpty() ? State::Idle : State::Failed);
}

void CaptureSource::end()
{
  if (m_recording) {
    m_recording->stop();
    if (m_state == State::Live)
      setState(State::Ending);
  } else if (m_state == State::Opening) {
    drop();
    Q_EMIT cancelled();
  } else if (m_state == State::Live) {
    setState(State::Ending);
    askForMore();
  }
}

void CaptureSource::askForMore()
{
  if (m_following->job.isRunning())
    return;
  const bool last = m_state == State::Ending;
  m_following->job.start([this, file = m_following->file, last](JobRun& run) {
    const auto more = file->more(last, run.stop());
    if (!more)
      run.post([this, message = toQString(more.error().text())] { fail(message); });
    else if ((*more || last) && file->hasHeader())
      run.post([this, last, capture = std::make_shared<const Capture>(file->capture())] { take(capture, last); });
  });
}

void CaptureSource::take(const std::shared_ptr<const Capture>& capture, bool last)
{
  if (m_state == State::Opening) {
    m_state = State::Live;
    Q_EMIT opened(capture);
    Q_EMIT stateChanged(State::Opening);
  } else {
    Q_EMIT grew(capture);
  }
  if (last) {
    dropFollowing();
    setState(State::Idle);
  }
}

/// What was recorded so far stays as it was handed on.
void CaptureSource::dropRecording()
{
  if (!m_recording)
    return;
  m_replacesItself = false;
  m_recording->disconnect(this);
  // The other end may take its time, and nobody waits for it.
  m_recording->setParent(this);
  m_recording.release()->retire();
}

void CaptureSource::dropFollowing()
{
  if (!m_following)
    return;
  m_following->timer.stop();
  m_following->job.cancel();
  // It may be its own job that calls.
  QMetaObject::invokeMethod(
      this, [gone = std::exchange(m_following, nullptr)] {}, Qt::QueuedConnection);
}

}  // namespace bexto::ui
