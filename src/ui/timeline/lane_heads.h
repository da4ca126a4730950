#pragma once

#include <QObject>
#include <QPoint>
#include <functional>
#include <optional>

#include "ui/timeline/timeline_lanes.h"

class QLineEdit;
class QMenu;
class QWidget;

namespace bexto::ui {

/// What the user does at the heads of the lanes: drags them to another place, drags their lower edge for another
/// height, gives a wire another name, hides, folds, inverts and filters. Positions are those of the Timeline's
/// viewport; `scroll` is how far its content is scrolled.
class LaneHeads : public QObject {
  Q_OBJECT
 public:
  /// `lanes` are the Timeline's, from top to bottom; lanesChanged() is to be called when they are others.
  LaneHeads(SessionModel& session, Engine& engine, const std::vector<TimelineLane>& lanes, QWidget& viewport);

  /// What is being dragged or resized stays so as long as its lane is there.
  void lanesChanged();
  /// Number of the lane with that key; -1: there is none now.
  int find(const LaneKey& key) const;

  /// Whether the head takes the press: then it gets the moves and the release too.
  bool press(QPoint pos, int scroll);
  void move(QPoint pos, int scroll);
  void release();
  bool isDragging() const { return m_dragged.valid(); }
  /// The pointer that fits this place, when the head has a word in it.
  std::optional<Qt::CursorShape> cursorAt(QPoint pos, int scroll) const;
  /// Where the dragged lane would go, in content coordinates; -1: nowhere else.
  int dropLine() const { return m_dropLine; }

  /// Adds what can be done with lane `number` (-1: with none of them).
  void fillMenu(QMenu& menu, int number, int scroll);
  // With a number that is no lane's, these do nothing.
  /// Opens a line edit over the wire's name; Escape leaves the name as it was.
  void rename(int number, int scroll);
  /// One place up or down: wires among their bus's wires, buses and loose wires among each other.
  void shift(int number, int by);
  void resize(int number, int height);
  void setHidden(const TimelineLane& lane, bool hidden);
  /// Puts the wires of a bus or number away, or back.
  void setFolded(const TimelineLane& lane, bool folded);
  /// Puts all wires away, so that each bus is one low lane; or all of them back, when there are none to put away.
  void toggleWires();
  /// All lanes as if nothing had been done to them.
  void reset();
  void setConditioning(const TimelineLane& lane, Conditioning how);

 Q_SIGNALS:
  /// What is drawn of a drag is other now; what the lanes are, the session says.
  void dragged();

 private:
  bool isLane(int number) const { return number >= 0 && static_cast<std::size_t>(number) < m_lanes.size(); }
  int laneAt(QPoint pos, int scroll) const;
  /// The lane whose lower edge is at that place; -1: none.
  int edgeAt(QPoint pos, int scroll) const;
  /// The rivals of a lane for a place, in their order.
  std::vector<int> siblingsOf(int number) const;
  void moveBefore(int number, std::size_t place);
  QString nameOfKey(const LaneKey& key) const;
  const LaneArrangement& arrangement() const { return m_session.value().lanes; }
  void change(const QString& text, const std::function<void(LaneArrangement&)>& with, const QString& gesture = {});
  void addFilters(QMenu& menu, const TimelineLane& lane);
  void addColours(QMenu& menu, const TimelineLane& lane);
  void askFilter(const TimelineLane& lane);

  SessionModel& m_session;
  Engine& m_engine;
  QWidget& m_viewport;
  const std::vector<TimelineLane>& m_lanes;
  LaneKey m_pressed;
  LaneKey m_dragged;
  LaneKey m_resized;
  QPoint m_from;
  int m_heightBefore = 0;
  int m_dropLine = -1;
  std::size_t m_dropPlace = 0;
};

}  // namespace bexto::ui
