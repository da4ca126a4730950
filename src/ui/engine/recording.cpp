// Tested by tests/ui/bench_test.cpp.
#include "ui/engine/recording.h"

#include <exception>
#include <functional>
#include <iterator>
#include <utility>

#include "ui/text/text.h"

namespace bexto::ui {

/// From the capture's thread to the window's.
class Recording::Listener final : public live::CaptureListener {
 public:
  explicit Listener(Recording& recording) : m_recording(recording) {}

  void began(const Segment& segment) override
  {
    m_recording.post([r = &m_recording, segment] { Q_EMIT r->began(segment); });
  }
  void grew(const std::shared_ptr<const Capture>& capture) override
  {
    const std::lock_guard lock(m_recording.m_mutex);
    if (std::exchange(m_recording.m_grown, capture) != nullptr)
      return;  // the call that is under way takes it along
    m_recording.post([r = &m_recording] {
      std::shared_ptr<const Capture> grown;
      {
        const std::lock_guard look(r->m_mutex);
        grown = std::exchange(r->m_grown, nullptr);
      }
      if (grown)
        Q_EMIT r->grew(grown);
    });
  }
  std::vector<SessionRecorder::ChunkOnDisk> onDisk() override
  {
    const std::lock_guard lock(m_recording.m_mutex);
    return std::exchange(m_recording.m_onDisk, {});
  }
  void ended() override
  {
    // What has not been looked at yet is of this one, and the next one may begin before the window is there.
    const std::lock_guard lock(m_recording.m_mutex);
    m_recording.post([r = &m_recording, last = std::exchange(m_recording.m_grown, nullptr)] {
      if (last)
        Q_EMIT r->grew(last);
      Q_EMIT r->ended();
    });
  }
  void stands(const live::CaptureStatus& status) override
  {
    m_recording.post([r = &m_recording, status] {
      r->m_status = status;
      Q_EMIT r->stands(status);
    });
  }

 private:
  Recording& m_recording;
};

Recording::Recording(const CapturePlan& plan, const std::vector<Bus>& buses, QObject* parent) : QObject(parent)
{
  m_thread.reset(QThread::create([this, plan, buses, stop = m_stop.get_token()] {
    QString message;
    try {
      Listener listener(*this);
      auto source = live::makeSource(plan.source);
      const Result<void> outcome = source ? live::runCapture(**source, plan, buses, stop, listener, m_outbox.get())
                                          : Result<void>(tl::unexpected(source.error()));
      if (!outcome)
        message = toQString(outcome.error().text());
    } catch (const std::exception& e) {
      message = QString::fromUtf8(e.what());
    }
    post([this, message] { Q_EMIT finished(message); });
  }));
  m_thread->start();
}

Recording::~Recording()
{
  m_stop.request_stop();
  m_thread->wait();
}

void Recording::retire()
{
  stop();
  connect(m_thread.get(), &QThread::finished, this, &QObject::deleteLater);
  if (m_thread->isFinished())
    deleteLater();
}

void Recording::letGo(std::vector<SessionRecorder::ChunkOnDisk> chunks)
{
  const std::lock_guard lock(m_mutex);
  std::move(chunks.begin(), chunks.end(), std::back_inserter(m_onDisk));
}

void Recording::send(const live::Outgoing& what, Picoseconds every)
{
  if (every > Picoseconds{0})
    m_outbox->repeat(what, std::chrono::duration_cast<std::chrono::nanoseconds>(every));
  else
    m_outbox->send(what);
}

/// Never arrives once this is gone.
void Recording::post(std::function<void()> action)
{
  QMetaObject::invokeMethod(this, std::move(action), Qt::QueuedConnection);
}

SourceQuestion::~SourceQuestion()
{
  drop();
}

void SourceQuestion::drop()
{
  ++m_number;
  if (!m_thread)
    return;
  m_stop.request_stop();
  m_thread->wait();
  m_thread.reset();
}

void SourceQuestion::ask(const std::string& url)
{
  drop();
  m_stop = std::stop_source();
  m_thread.reset(QThread::create([this, url, stop = m_stop.get_token(), number = m_number] {
    auto source = live::makeSource(url);
    auto facts = source ? (*source)->open(stop) : Result<live::SourceFacts>(tl::unexpected(source.error()));
    QMetaObject::invokeMethod(
        this,
        [this, number, facts = std::move(facts)] {
          if (number != m_number)
            return;
          drop();
          if (facts)
            Q_EMIT answered(*facts);
          else
            Q_EMIT failed(toQString(facts.error().text()));
        },
        Qt::QueuedConnection);
  }));
  m_thread->start();
}

}  // namespace bexto::ui
