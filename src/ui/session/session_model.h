#pragma once

#include <QObject>
#include <QString>
#include <QUndoStack>
#include <functional>
#include <memory>
#include <vector>

#include "core/session/edit.h"

namespace bexto::ui {

/// The session of the window, and the way back. Everything that a user changes is changed here, as a step that can be
/// undone; everybody else reads value() and hears of changes. UI thread only.
class SessionModel : public QObject {
  Q_OBJECT
 public:
  explicit SessionModel(QObject* parent = nullptr);

  const Session& value() const { return m_value; }
  /// Of the segment that is looked at.
  std::vector<Marker> markers() const { return markersInView(m_value); }
  const QUndoStack& steps() const { return m_steps; }
  /// One step back or forward. What somebody has typed and nobody has taken yet is a step first.
  void undo();
  void redo();

  /// Does it as one step, called `text` in the menu ("add bus sensors"). Steps of one `gesture`, one right after the
  /// other, are one: a marker that is dragged, a name that is typed. What changes nothing is no step.
  void edit(const QString& text, const std::function<void(Session&)>& change, const QString& gesture = {});
  /// What follows is a step of its own, whatever its gesture.
  void endGesture() { m_gestureEnded = true; }

  BusId addBus(const Bus& bus);
  void changeBus(BusId id, const Bus& bus);
  void removeBus(BusId id);
  void setSheets(BusId id, const SheetTexts& sheets, const QString& gesture = {});
  void setBooks(BusId id, const SheetTexts& books, const QString& gesture = {});
  /// Of channels by their paths; several for one wire that has several names.
  void setConditioning(const std::vector<std::string>& channels, Conditioning how);
  void addPlot(const Plot& plot);
  void removePlot(const Plot& plot);
  void setLanes(const QString& text, const LaneArrangement& lanes, const QString& gesture = {});
  MarkerId addMarker(Picoseconds time, const QString& edge = {});
  MarkerId addNote(BusId bus, Picoseconds begin, const QString& note);
  void moveMarker(MarkerId id, Picoseconds time, const QString& edge);
  void renameMarker(MarkerId id, const QString& name);
  void setNote(MarkerId id, const QString& note);
  void removeMarker(MarkerId id);
  void clearMarkers();
  void setFilter(const LineFilter& filter);
  void setColumns(const std::string& list, const std::vector<ColumnPlace>& columns);

  // None of these is a step.
  void look(const InView& view) { m_value.view = view; }
  void plan(const CapturePlan& plan);
  /// It was sent: first in the list, once.
  void keepSend(const SendLine& line);
  void forgetSend(const SendLine& line);
  /// Columns as they are when nobody has chosen any: what the first choice goes back to.
  void assumeColumns(const std::string& list, const std::vector<ColumnPlace>& columns);
  /// Another capture is open: the way back ends here.
  void takeCapture(const QString& path, const std::vector<Bus>& own = {});
  /// Another segment is looked at, as `view` says.
  void showSegment(SegmentId segment, const InView& view);
  /// A segment is gone, and what was noted in it: no way leads back to that.
  void forgetSegment(SegmentId segment);
  /// New segments have ids from here on.
  void setLastSegment(std::uint32_t id) { m_value.lastSegment = id; }
  /// Another session, as it was left: the way back ends here.
  void replace(const Session& session);
  /// What is now is what was saved, until somebody changes it.
  void setClean();
  /// Whether anything was changed since. Going back to where it was saved is no change.
  bool isChanged() const { return !m_steps.isClean(); }
  /// What was found out about a bus, and holds for every step back as well.
  void amend(BusId bus, const std::function<void(SessionBus&)>& with);

 Q_SIGNALS:
  /// A step back or forward is next: who waits for a pause in what is typed takes it now.
  void settling();
  /// Once a step, forward or back.
  void changed(const bexto::SessionChange& change);
  /// What is to be captured next is another.
  void planned();
  /// What was sent before is another list.
  void sendsChanged();

 private:
  class Step;

  Session m_value;
  QUndoStack m_steps;
  std::vector<std::weak_ptr<Edit>> m_edits;  ///< of the steps that there are
  bool m_gestureEnded = false;
};

}  // namespace bexto::ui
