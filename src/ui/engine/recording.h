#pragma once

#include <QObject>
#include <QString>
#include <QThread>
#include <memory>
#include <mutex>
#include <stop_token>
#include <vector>

#include "live/capture_run.h"

namespace bexto::ui {

/// A capture that is being taken from an instrument, in a thread of its own. UI thread only; what it tells arrives
/// there. Its end stops the capture and waits for it.
class Recording : public QObject {
  Q_OBJECT
 public:
  Recording(const CapturePlan& plan, const std::vector<Bus>& buses, QObject* parent = nullptr);
  ~Recording() override;

  /// Ends it soon; all that was recorded is handed on, then finished() comes.
  void stop() { m_stop.request_stop(); }
  /// The same, and it goes by itself once it has ended, or with its parent.
  void retire();
  /// Chunks that are on the disk need not stay in memory.
  void letGo(std::vector<SessionRecorder::ChunkOnDisk> chunks);
  /// Says something as soon as it can; `every` is 0 for once.
  void send(const live::Outgoing& what, Picoseconds every);
  /// Of what is said every so often nothing more.
  void sendNothing() { m_outbox->clear(); }
  const live::CaptureStatus& status() const { return m_status; }

 Q_SIGNALS:
  void began(const bexto::Segment& segment);
  /// The one that began last is longer. What came faster than it is looked at is one step.
  void grew(const std::shared_ptr<const bexto::Capture>& capture);
  void ended();
  void stands(const bexto::live::CaptureStatus& status);
  /// The last thing: why it ended before its time; empty: it did not.
  void finished(const QString& message);

 private:
  class Listener;
  friend class Listener;

  void post(std::function<void()> action);

  std::stop_source m_stop;
  std::shared_ptr<live::Outbox> m_outbox = std::make_shared<live::Outbox>();
  live::CaptureStatus m_status;
  std::mutex m_mutex;
  std::shared_ptr<const Capture> m_grown;  ///< that nobody was told of yet
  std::vector<SessionRecorder::ChunkOnDisk> m_onDisk;
  std::unique_ptr<QThread> m_thread;
};

/// Asks a source what it is and can, in a thread of its own.
class SourceQuestion : public QObject {
  Q_OBJECT
 public:
  explicit SourceQuestion(QObject* parent = nullptr) : QObject(parent) {}
  ~SourceQuestion() override;

  /// What was asked before is no longer of interest.
  void ask(const std::string& url);
  bool isAsking() const { return m_thread != nullptr; }

 Q_SIGNALS:
  void answered(const bexto::live::SourceFacts& facts);
  void failed(const QString& message);

 private:
  void drop();

  std::stop_source m_stop;
  std::unique_ptr<QThread> m_thread;
  int m_number = 0;
};

}  // namespace bexto::ui
