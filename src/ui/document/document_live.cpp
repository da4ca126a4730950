// A capture that somebody still writes: the file is asked a few times a second for what was added, the tracks grow, and
// each bus's decode goes on from where it stood.
#include <QTimer>
#include <utility>

#include "core/format/vcd_follower.h"
#include "ui/document/document.h"
#include "ui/document/live_decode.h"

namespace bexto::ui {

namespace {
constexpr int kAskEvery = 80;  ///< ms
}

struct Document::Following {
  Following(const QString& path) : file(std::make_shared<VcdFollower>(path.toStdString())) {}

  std::shared_ptr<VcdFollower> file;  ///< the job's runs share it; they never overlap
  Job job;
  QTimer timer;
  bool ending = false;
};

Document::~Document() = default;

void Document::follow(const QString& path)
{
  m_loading->cancel();
  leaveLive();
  m_openingPath = path;
  m_following = std::make_shared<Following>(path);
  connect(&m_following->timer, &QTimer::timeout, this, &Document::askForMore);
  m_following->timer.start(kAskEvery);
  Q_EMIT openingStarted();
  askForMore();
}

void Document::stopFollowing()
{
  if (!m_following || m_following->ending)
    return;
  m_following->ending = true;
  // With no capture yet there is nothing to end well.
  if (!m_live) {
    dropFollowing();
    Q_EMIT openingCancelled();
    return;
  }
  askForMore();
}

void Document::askForMore()
{
  if (m_following->job.isRunning())
    return;
  m_following->job.start([this, file = m_following->file, final = m_following->ending](JobRun& run) {
    const auto more = file->more(final, run.stop());
    if (!more) {
      run.post([this, message = QString::fromStdString(more.error().text())] {
        // What was read stays and is complete as far as it goes.
        leaveLive();
        Q_EMIT openingFailed(message);
      });
      return;
    }
    if ((*more || final) && file->hasHeader()) {
      run.post([this, final, capture = std::make_shared<const Capture>(file->capture())] {
        grow(capture);
        if (final)
          leaveLive();
      });
    }
  });
}

void Document::grow(std::shared_ptr<const Capture> capture)
{
  if (!m_live) {
    m_live = true;
    setCapture(std::move(capture), m_openingPath);
    Q_EMIT liveChanged();
    return;
  }
  auto grown = std::make_shared<Capture>(*capture);
  for (std::size_t i = 0; i < grown->channels.size(); ++i)
    grown->channels[i].conditioning = m_capture->channels[i].conditioning;
  m_capture = std::move(grown);
  Q_EMIT captureGrew();
  for (const auto& entry : m_buses)
    continueDecode(*entry);
}

/// Another file takes the place of the one that grew; what was read of that is what it is.
void Document::leaveLive()
{
  dropFollowing();
  endLive();
}

void Document::dropFollowing()
{
  if (!m_following)
    return;
  m_following->timer.stop();
  m_following->job.cancel();
  // It may be its own job that calls.
  QMetaObject::invokeMethod(
      this, [gone = std::exchange(m_following, nullptr)] {}, Qt::QueuedConnection);
}

void Document::endLive()
{
  if (!m_live)
    return;
  m_live = false;
  for (const auto& entry : m_buses)
    decode(*entry);  // anew: what was open at the end is cut there now
  Q_EMIT liveChanged();
}

void Document::decodeLive(Entry& entry, ResolvedBus bus)
{
  entry.live = std::make_shared<LiveDecode>(std::move(bus), *m_capture);
  continueDecode(entry);
}

void Document::continueDecode(Entry& entry)
{
  if (!entry.live || entry.view.error) {
    // A channel or a rate that was not to be had before may be now.
    if (!entry.job->isRunning())
      decode(entry);
    return;
  }
  if (entry.job->isRunning()) {
    entry.behind = true;
    return;
  }
  entry.behind = false;
  Entry* e = &entry;
  entry.job->start([this, e, live = entry.live, capture = m_capture](JobRun& run) {
    std::vector<StreamView> views = live->extend(*capture, run.stop());
    if (views.empty())
      return;
    run.post([this, e, live, views = std::move(views)] {
      e->view.streams = views;
      e->view.shown = live->bus();
      e->view.shown.name = e->view.wanted.name;  // it may have another since
      Q_EMIT busChanged(e->view.id);
      constexpr std::uint64_t kEnough = 60;
      if (e->view.frameCount() >= kEnough)
        guessFormat(*e);
      // The run itself ends after this; then it can go on.
      if (e->behind)
        QMetaObject::invokeMethod(
            e->job.get(),
            [this, e] {
              if (m_live && e->behind)
                continueDecode(*e);
            },
            Qt::QueuedConnection);
    });
  });
}

}  // namespace bexto::ui
