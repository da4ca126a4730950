#pragma once

#include <QObject>
#include <QString>
#include <memory>
#include <optional>

#include "core/format/capture_format.h"
#include "core/format/csv_reader.h"
#include "core/store/session_store.h"
#include "ui/engine/recording.h"
#include "ui/job/job.h"

namespace bexto::ui {

/// A file that does not say all that is needed to read it, or says it in a way that a person had better look at.
struct HowToRead {
  QString path;
  bool adds = false;  ///< to the session that is open
  CaptureFormat::Asks asks = CaptureFormat::Asks::Nothing;
  CsvBegin begin;  ///< of rows of text
};

/// A capture as a segment, with the time of its file where nothing else is known. Growing ones begin now.
Segment segmentOf(const QString& path, std::shared_ptr<const Capture> capture, bool grows);

/// Where a capture comes from, and what is going on there: one thing at a time, with one way to end it. UI thread only;
/// files are read in jobs.
class CaptureSource : public QObject {
  Q_OBJECT
 public:
  enum class State : std::uint8_t {
    Idle,     ///< nothing is going on; a capture may be open
    Opening,  ///< a file is being read, or one that is to grow has no header yet
    Waiting,  ///< an instrument is there, and nothing is being recorded: what is to start it has not come
    Live,     ///< the capture is open and grows
    Ending,   ///< it grows no more; what is there is read to its end
    Failed,   ///< the last thing that was tried went wrong: message() says why
  };

  explicit CaptureSource(QObject* parent = nullptr);
  ~CaptureSource() override;

  State state() const { return m_state; }
  bool isOpening() const { return m_state == State::Opening; }
  /// Something is being captured from an instrument, or waited for there.
  bool isRecording() const { return m_recording != nullptr; }
  /// What is recorded next takes the place of what was recorded before it, and so on until it is stopped.
  bool replacesItself() const { return m_replacesItself; }
  /// What was tried last was that.
  bool wasRecording() const { return m_wasRecording; }
  /// How that stands.
  live::CaptureStatus status() const { return m_recording ? m_recording->status() : live::CaptureStatus(); }
  /// The capture that is open is not whole yet.
  bool isLive() const { return m_state == State::Live || m_state == State::Ending; }
  /// Of the file that is being read, or was tried last.
  const QString& path() const { return m_path; }
  const QString& message() const { return m_message; }

  /// Reads the file whole: a capture, or a session. What is open stays until then, and for good when it fails. A file
  /// that grew is left as it is. Without hints it is asked for some where the file needs them.
  void open(const QString& path, const std::optional<ReadHints>& hints = {});
  /// Reads the file whole, as open() does, to be put beside what is open.
  void add(const QString& path, const std::optional<ReadHints>& hints = {});
  /// Reads a file that somebody still writes, and goes on reading as it grows.
  void follow(const QString& path);
  /// Captures from an instrument. What is open stays until something was recorded.
  void record(const CapturePlan& plan, const std::vector<Bus>& buses);
  /// Opening or waiting: gives it up. Live: what is there becomes the capture. Else nothing.
  void end();
  /// Of what is being recorded: chunks that are on the disk.
  void letGo(std::vector<SessionRecorder::ChunkOnDisk> chunks)
  {
    if (m_recording)
      m_recording->letGo(std::move(chunks));
  }
  /// While something is captured: says it, once or every so often.
  void send(const live::Outgoing& what, Picoseconds every)
  {
    if (m_recording)
      m_recording->send(what, every);
  }
  void sendNothing()
  {
    if (m_recording)
      m_recording->sendNothing();
  }
  /// Whatever is going on is over, without a word of what was read since.
  void drop();

 Q_SIGNALS:
  /// open() with hints goes on with it. Nothing is being opened meanwhile.
  void asked(const std::shared_ptr<const bexto::ui::HowToRead>& question);
  void stateChanged(bexto::ui::CaptureSource::State before);
  void progressed(double fraction);
  /// A capture, whole or, when live, its begin. stateChanged() follows.
  void opened(const std::shared_ptr<const bexto::Capture>& capture);
  /// A session. stateChanged() follows.
  void sessionOpened(const std::shared_ptr<const bexto::SessionStore::Opened>& session);
  /// Of a file that is to be added. stateChanged() follows.
  void segmentsRead(const std::shared_ptr<const std::vector<bexto::Segment>>& segments);
  /// A recording began: the capture so far. With `beside` it goes to those that there are. stateChanged() follows.
  void recorded(const bexto::Segment& segment, bool beside);
  /// How a recording stands: several times a second.
  void stands();
  /// The same capture, longer.
  void grew(const std::shared_ptr<const bexto::Capture>& capture);
  /// What was being opened was given up by the user.
  void cancelled();

 private:
  struct Following;

  void read(const QString& path, const std::optional<ReadHints>& hints, bool adds);
  void setState(State state);
  void fail(const QString& message);
  void askForMore();
  void take(const std::shared_ptr<const Capture>& capture, bool last);
  void dropFollowing();
  void dropRecording();
  void endRecording(const QString& message);

  State m_state = State::Idle;
  QString m_path;
  QString m_message;
  Job m_loading;
  std::shared_ptr<Following> m_following;
  std::unique_ptr<Recording> m_recording;
  bool m_replacesItself = false;
  bool m_wasRecording = false;
};

}  // namespace bexto::ui
