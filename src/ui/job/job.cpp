#include "ui/job/job.h"

#include <QElapsedTimer>
#include <QtConcurrent>

namespace bexto::ui {

namespace {

qint64 milliseconds()
{
  static const QElapsedTimer kClock = [] {
    QElapsedTimer clock;
    clock.start();
    return clock;
  }();
  return kClock.elapsed();
}

}  // namespace

void JobRun::post(std::function<void()> action)
{
  Job* job = &m_job;  // the job waits for its runs, and its end takes queued calls with it
  QMetaObject::invokeMethod(
      job, [job, number = m_number, action = std::move(action)] { job->deliver(number, action); },
      Qt::QueuedConnection);
}

void JobRun::report(double fraction)
{
  const qint64 now = milliseconds();
  if (now - m_lastReport < 33)
    return;
  m_lastReport = now;
  Job* job = &m_job;
  post([job, fraction] { Q_EMIT job->progressed(fraction); });
}

Job::Job(QObject* parent) : QObject(parent) {}

Job::~Job()
{
  m_stop.request_stop();
  for (QFuture<void>& future : m_futures)
    future.waitForFinished();
}

void Job::start(Task task)
{
  cancel();
  m_stop = std::stop_source();
  m_running = true;
  std::erase_if(m_futures, [](const QFuture<void>& f) { return f.isFinished(); });
  m_futures.push_back(QtConcurrent::run([this, task = std::move(task), stop = m_stop.get_token(), number = m_number] {
    JobRun run(*this, stop, number);
    task(run);
    run.post([this] {
      m_running = false;
      Q_EMIT finished();
    });
  }));
}

void Job::cancel()
{
  m_stop.request_stop();
  ++m_number;
  m_running = false;
}

void Job::deliver(int number, const std::function<void()>& action)
{
  if (number == m_number)
    action();
}

}  // namespace bexto::ui
