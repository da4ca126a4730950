#pragma once

#include <QObject>
#include <array>
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

/// A marker on the time axis. When it sits on an edge it says which.
struct Marker {
  Picoseconds time{0};
  QString edge;  ///< "SCL rises", or empty
};

/// What the whole window looks at: one selection, one visible span, one cursor, two markers. Views set it and follow
/// it; they do not know one another. UI thread only.
class Focus : public QObject {
  Q_OBJECT
 public:
  explicit Focus(Document& document, QObject* parent = nullptr);

  const Selection& selection() const { return m_selection; }
  void select(const Selection& selection);
  void clearSelection() { select({}); }
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
  void show(TimeRange span) { setAxis(TimeAxis(span, m_axis.width())); }
  /// Moves the view, without zooming, so that `time` is in it.
  void reveal(TimeRange time);
  /// Zooms so that `time` fills most of the view.
  void zoomTo(TimeRange time);
  void zoomToSelection();

  std::optional<Picoseconds> cursor() const { return m_cursor; }
  void setCursor(std::optional<Picoseconds> t);

  const std::array<std::optional<Marker>, 2>& markers() const { return m_markers; }
  void setMarker(std::size_t which, Picoseconds t, const QString& edge);
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
  bool exists(const Selection& selection) const;  ///< a decode since may have fewer frames
  void goTo(const Place& place);

  Document& m_document;
  Selection m_selection;
  Picoseconds m_selectionBegin{0};
  TimeAxis m_axis;
  std::optional<Picoseconds> m_cursor;
  std::array<std::optional<Marker>, 2> m_markers;
  std::vector<Place> m_back;
  std::vector<Place> m_forward;
  bool m_firstView = false;  ///< the capture is new: show its first traffic when there is some
};

}  // namespace bexto::ui
