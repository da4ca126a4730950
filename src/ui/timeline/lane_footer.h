#pragma once

#include <QWidget>

#include "ui/session/session_model.h"
#include "ui/timeline/timeline_lanes.h"

class QToolButton;

namespace bexto::ui {

/// Below the last lane: what has none, with the button that gives it one, or puts it away again.
class LaneFooter : public QWidget {
  Q_OBJECT
 public:
  LaneFooter(SessionModel& session, QWidget* parent);

  /// `searching`: somebody looks for a channel, so what has no lane is what else was found.
  void follow(const LanesLeft& left, bool searching);
  /// How high it is; 0 when it has nothing to say.
  int wantedHeight() const;

 private:
  QToolButton* addButton(const char* name);
  void change(const QString& text, const std::function<void(LaneArrangement&)>& with);

  SessionModel& m_session;
  QToolButton* m_moving;
  QToolButton* m_loose;
  QToolButton* m_still;
};

}  // namespace bexto::ui
