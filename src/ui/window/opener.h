#pragma once

#include <QObject>
#include <functional>
#include <memory>

#include "core/store/session_file.h"
#include "ui/engine/capture_source.h"
#include "ui/job/job.h"

class QDropEvent;
class QWidget;

namespace bexto::ui {

class NoticeBar;

/// The ways by which a file comes into the window: dialogs, a drop, the demo; and what a file has to be asked for
/// before it is read.
class Opener : public QObject {
  Q_OBJECT
 public:
  /// Both outlive it.
  Opener(CaptureSource& source, NoticeBar& notice, QWidget* window);

  void open(const QString& path) { m_source.open(path); }
  /// Dialogs begin in the folder of `near`.
  void askForCapture(const QString& near);
  /// Beside what is open.
  void askForSegment(const QString& near);
  void askForGrowingCapture(const QString& near);
  /// What openDemo() makes, in a job.
  void offerDemo(std::function<SessionFile()> make) { m_makeDemo = std::move(make); }
  void openDemo();
  /// A single file that is here: then the drop is accepted.
  static bool takes(QDropEvent& event);
  void drop(QDropEvent& event);

 private:
  void ask(const std::shared_ptr<const HowToRead>& question);

  CaptureSource& m_source;
  NoticeBar& m_notice;
  QWidget* m_window;
  std::function<SessionFile()> m_makeDemo;
  Job* m_demoJob;
};

}  // namespace bexto::ui
