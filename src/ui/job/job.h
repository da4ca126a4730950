#pragma once

#include <QFuture>
#include <QObject>
#include <cstdint>
#include <functional>
#include <stop_token>
#include <vector>

#include "core/base/progress.h"

namespace bexto::ui {

class Job;

/// What a task may do besides its work. Used on the task's thread.
class JobRun final : public Progress {
 public:
  JobRun(Job& job, std::stop_token stop, int number) : m_job(job), m_stop(std::move(stop)), m_number(number) {}

  const std::stop_token& stop() const { return m_stop; }
  /// Runs `action` on the UI thread soon, unless by then the job was cancelled or started anew.
  void post(std::function<void()> action);
  /// Arrives as Job::progressed(), at most thirty times a second.
  void report(double fraction) override;

 private:
  Job& m_job;
  std::stop_token m_stop;
  int m_number;
  qint64 m_lastReport = -1000;
};

/// One piece of work off the UI thread, cancellable. Lives on the UI thread.
///
/// The task owns copies of all it needs. A newer start makes the older run's posts vanish; each run has a stop source
/// of its own, and one that was stopped before its turn came does not begin. The destructor cancels and waits.
///
/// What the user waits for has threads of its own, so that it does not stand behind thirty decodes.
class Job : public QObject {
  Q_OBJECT
 public:
  using Task = std::function<void(JobRun&)>;

  enum class Urgency : std::uint8_t {
    Waited,      ///< somebody looks at where the result will be
    Background,  ///< long work that fills views bit by bit: decodes
  };

  explicit Job(Urgency urgency = Urgency::Waited, QObject* parent = nullptr);
  ~Job() override;

  void start(Task task);
  void cancel();
  bool isRunning() const { return m_running; }
  /// Whether any job is at work or waits for its turn, those that were cancelled included: for those who wait until a
  /// window has come to rest.
  static bool anyAtWork();

 Q_SIGNALS:
  void progressed(double fraction);
  /// The task has returned and was neither cancelled nor replaced.
  void finished();
  /// The task ended by an exception, out of memory mostly: what it says. finished() follows.
  void failed(const QString& message);

 private:
  friend class JobRun;
  void deliver(int number, const std::function<void()>& action);

  Urgency m_urgency;
  std::stop_source m_stop;
  int m_number = 0;
  bool m_running = false;
  std::vector<QFuture<void>> m_futures;
};

}  // namespace bexto::ui
