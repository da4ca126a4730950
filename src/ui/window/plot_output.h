#pragma once

#include <QObject>
#include <memory>
#include <stop_token>

#include "core/session/plot.h"

class QImage;
class QWidget;

namespace bexto::ui {

class Engine;
class Focus;
class Job;
class NoticeBar;
class SessionModel;
class TimelineView;

/// Takes plots out of the window: their values as CSV, and what is seen of them as a picture. UI thread only; values
/// are written in the background, and the notice bar says how it goes.
class PlotOutput : public QObject {
  Q_OBJECT
 public:
  PlotOutput(SessionModel& session, Engine& engine, Focus& focus, TimelineView& timeline, NoticeBar& notice,
             QWidget* window);
  ~PlotOutput() override;

  void askForValues(const Plot& plot);
  void writeValues(const QString& path, const Plot& plot);
  void askForPicture();
  void writePicture(const QString& path);
  bool isWriting() const;

  /// All plots with the ruler above them and what they are of below, twice as fine as the screen. Null: there are none.
  QImage picture() const;

 private:
  QString askForName(const QString& title, const QString& filter, const QString& name) const;
  /// Says it when the name is that of the capture itself.
  bool mayWrite(const QString& path) const;

  SessionModel& m_session;
  Engine& m_engine;
  Focus& m_focus;
  TimelineView& m_timeline;
  NoticeBar& m_notice;
  QWidget* m_window;
  std::stop_source m_cancel;
  std::unique_ptr<Job> m_job;
};

}  // namespace bexto::ui
