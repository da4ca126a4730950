#include "ui/job/job.h"

#include <QElapsedTimer>
#include <QThreadPool>
#include <QtConcurrent>
#include <new>

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

QThreadPool& poolFor(Job::Urgency urgency)
{
  static QThreadPool waited;
  static QThreadPool background;
  return urgency == Job::Urgency::Waited ? waited : background;
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

Job::Job(Urgency urgency, QObject* parent) : QObject(parent), m_urgency(urgency) {}

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
  const auto work = [this, task = std::move(task), stop = m_stop.get_token(), number = m_number] {
    if (stop.stop_requested())
      return;
    JobRun run(*this, stop, number);
    try {
      task(run);
    } catch (const std::bad_alloc&) {
      run.post([this] { Q_EMIT failed(tr("There is not enough memory for this.")); });
    } catch (const std::exception& e) {
      run.post([this, what = QString::fromUtf8(e.what())] { Q_EMIT failed(what); });
    }
    run.post([this] {
      m_running = false;
      Q_EMIT finished();
    });
  };
  m_futures.push_back(QtConcurrent::run(&poolFor(m_urgency), work));
}

void Job::cancel()
{
  m_stop.request_stop();
  ++m_number;
  m_running = false;
}

bool Job::anyAtWork()
{
  return poolFor(Urgency::Waited).activeThreadCount() > 0 || poolFor(Urgency::Background).activeThreadCount() > 0;
}

void Job::deliver(int number, const std::function<void()>& action)
{
  if (number == m_number)
    action();
}

}  // namespace bexto::ui
