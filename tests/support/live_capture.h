#pragma once

#include <QEventLoop>
#include <QThread>
#include <QTimer>
#include <functional>
#include <memory>
#include <mutex>

#include "live/capture_run.h"

namespace bexto::test {

/// A capture in a thread of its own, and what it said so far.
class LiveCapture final : public live::CaptureListener {
 public:
  LiveCapture(const CapturePlan& plan, std::vector<Bus> buses, live::Outbox* outbox = nullptr)
  {
    m_thread.reset(QThread::create([this, plan, buses = std::move(buses), outbox] {
      auto source = live::makeSource(plan.source);
      m_outcome = source ? live::runCapture(**source, plan, buses, m_stop.get_token(), *this, outbox)
                         : Result<void>(tl::unexpected(source.error()));
    }));
    m_thread->start();
  }
  ~LiveCapture() override { finish(); }

  /// Until `done` says so, while the events of this thread go on; false: it never did.
  bool until(const std::function<bool()>& done, int mostMs = 10000)
  {
    for (int waited = 0; !done(); waited += 5) {
      if (waited > mostMs)
        return false;
      QEventLoop loop;
      QTimer::singleShot(5, &loop, &QEventLoop::quit);
      loop.exec();
    }
    return true;
  }
  Result<void> finish()
  {
    m_stop.request_stop();
    return wait();
  }
  Result<void> wait()
  {
    until([this] { return m_thread->isFinished(); });
    m_thread->wait();
    return m_outcome;
  }

  live::CaptureStatus status() const
  {
    const std::lock_guard lock(m_mutex);
    return m_status;
  }
  std::vector<Segment> segments() const
  {
    const std::lock_guard lock(m_mutex);
    return m_segments;
  }
  /// The last one's; nullptr before the first.
  std::shared_ptr<const Capture> capture() const
  {
    const std::lock_guard lock(m_mutex);
    return m_segments.empty() ? nullptr : m_segments.back().capture;
  }

  void began(const Segment& segment) override
  {
    const std::lock_guard lock(m_mutex);
    m_segments.push_back(segment);
  }
  void grew(const std::shared_ptr<const Capture>& capture) override
  {
    const std::lock_guard lock(m_mutex);
    m_segments.back().capture = capture;
  }
  void ended() override
  {
    const std::lock_guard lock(m_mutex);
    m_segments.back().whole = true;
  }
  void stands(const live::CaptureStatus& status) override
  {
    const std::lock_guard lock(m_mutex);
    m_status = status;
  }

 private:
  mutable std::mutex m_mutex;
  std::vector<Segment> m_segments;
  live::CaptureStatus m_status;
  std::stop_source m_stop;
  Result<void> m_outcome;
  std::unique_ptr<QThread> m_thread;
};

}  // namespace bexto::test
