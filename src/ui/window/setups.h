#pragma once

#include <QObject>
#include <map>

#include "core/store/setup_file.h"
#include "ui/engine/engine.h"

class QWidget;

namespace bexto::ui {

class NoticeBar;

/// Keeps the buses as a set-up in a file, and puts one on what is open.
class Setups : public QObject {
  Q_OBJECT
 public:
  /// All outlive it.
  Setups(SessionModel& session, Engine& engine, NoticeBar& notice, QWidget* window);

  void askToKeep();
  void askToPutOn();
  void keep(const QString& path);
  /// Asks once which channels those are that the capture does not have. Requires: a capture is open.
  void putOn(const QString& path);

 private:
  void apply(const Setup& setup, const std::map<std::string, std::string>& paths, const QString& name);
  QString folder() const;

  SessionModel& m_session;
  Engine& m_engine;
  NoticeBar& m_notice;
  QWidget* m_window;
};

}  // namespace bexto::ui
