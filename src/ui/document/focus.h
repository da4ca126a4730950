#pragma once

#include <QObject>
#include <optional>
#include <vector>

#include "core/view/time_axis.h"
#include "ui/document/document.h"

namespace bexto::ui {

/// A frame of a bus, and where in it the user pointed.
struct Selection {
  int bus = -1;
  int stream = -1;
  std::uint64_t frame = 0;
  Picoseconds at{0};  ///< a moment inside the frame: views that show parts of it show that part

  bool valid() const { return bus >= 0; }
  bool operator==(const Selection&) const = default;
};

/// A marker on the time axis, with a name and, if wanted, a note. When it sits on an edge it says which; when it is
/// pinned to a transaction, on which bus that is and when it begins.
struct Marker {
  struct Pin {
    QString bus;
    Picoseconds begin{0};
  };
  QString name;
  Picoseconds time{0};
  QString edge = {};  ///< "SCL rises", or empty
  QString note = {};
  std::optional<Pin> pin = {};
};

/// What the whole window looks at: one selection, one visible span, one cursor, one list of
/// markers. Views set it and follow
/// it; they do not know one another. UI thread only.
class Focus : public QObject {
  Q_OBJECT
 public:
  explicit Focus(Document& document, QObject* parent = nullptr);

  const Selection& selection() const { return m_selection; }
  void select(const Selection& selection);
  void clearSelection() { select({}); }
  /// Whether the document has that frame; a decode since may have fewer.
  bool exists(const Selection& selection) const;
  /// The transaction that holds the selection. Requires: selection().valid().
  std::uint64_t selectedTransaction() const;
  TimeRange selectedTime() const;
  const StreamView& selectedStream() const;
  /// The next frame with an error, in any bus, after the selection or the visible span's begin. False when none is
  /// left.
  bool selectFault(bool forward);
  /// The next or previous transaction of the selected stream.
  void selectNeighbour(bool forward);

  const TimeAxis& axis() const { return m_axis; }
  void setAxis(const TimeAxis& axis);
  /// The visible span was chosen: the first traffic is not shown instead.
  void keepSpan() { m_firstView = false; }
  void show(TimeRange span) { setAxis(TimeAxis(span, m_axis.width())); }
  /// Moves the view, without zooming, so that `time` is in it.
  void reveal(TimeRange time);
  /// Zooms so that `time` fills most of the view.
  void zoomTo(TimeRange time);
  void zoomToSelection();

  std::optional<Picoseconds> cursor() const { return m_cursor; }
  void setCursor(std::optional<Picoseconds> t);

  /// In the order in which they were dropped.
  const std::vector<Marker>& markers() const { return m_markers; }
  /// With the next free name: A to Z, then A2 and on.
  std::size_t addMarker(Picoseconds t, const QString& edge = {});
  /// A note on the selected transaction. Requires: selection().valid().
  std::size_t addNote(const QString& note);
  void moveMarker(std::size_t which, Picoseconds t, const QString& edge);
  /// A name that another has, or an empty one, changes nothing.
  void renameMarker(std::size_t which, const QString& name);
  void setNote(std::size_t which, const QString& note);
  void removeMarker(std::size_t which);
  void clearMarkers();

  /// The place before the last jump, and back again.
  void goBack();
  void goForward();

 Q_SIGNALS:
  void selectionChanged();
  void axisChanged();
  void cursorChanged();
  void markersChanged();

 private:
  struct Place {
    Selection selection;
    TimeAxis axis;
  };
  void busChanged(int bus);
  void forgetBuses();
  void remember();
  void goTo(const Place& place);

  Document& m_document;
  Selection m_selection;
  Picoseconds m_selectionBegin{0};
  TimeAxis m_axis;
  std::optional<Picoseconds> m_cursor;
  std::vector<Marker> m_markers;
  std::vector<Place> m_back;
  std::vector<Place> m_forward;
  bool m_firstView = false;  ///< the capture is new: show its first traffic when there is some
};

}  // namespace bexto::ui
