#pragma once

#include <QAbstractScrollArea>
#include <vector>

#include "ui/access/painted_rows.h"
#include "ui/focus/focus.h"
#include "ui/theme/theme.h"
#include "ui/timeline/lane_heads.h"
#include "ui/verdicts/verdicts.h"

namespace bexto::ui {

class LaneFinder;
class LaneFooter;
class PlotSeries;

/// The Timeline: bus lanes and wire lanes on one time axis, a ruler on top, a progress line while a capture loads.
///
/// Wheel zooms at the pointer, drag pans, Shift+wheel pans, click selects, double-click zooms (on a lane's head: opens
/// the bus's settings). Arrow keys pan, plus and
/// minus zoom, Home and End go to the capture's ends, Return zooms to the selection, M drops a marker at the cursor.
/// Markers are dragged by their flags and snap to edges. Lanes are moved, resized, renamed and more at their heads (see
/// LaneHeads); Alt with up and down walks them for the keyboard, the menu key opens their menu.
class TimelineView : public QAbstractScrollArea, public PaintedRows {
  Q_OBJECT
 public:
  TimelineView(SessionModel& session, Engine& engine, Focus& focus, QWidget* parent = nullptr);

  /// Puts a new marker at the cursor, or in the middle of the view, on the nearest edge within reach.
  void dropMarker();
  /// Gives the keyboard to the line in which a channel is looked for.
  void findChannel();
  /// Marks in the lanes what is wrong by the rules.
  void showFindings(Verdicts& verdicts);
  const std::vector<TimelineLane>& lanes() const { return m_lanes; }
  LaneHeads& heads() { return *m_heads; }
  const PlotSeries& plots() const { return *m_plots; }
  /// Where a moment is in this widget's viewport.
  double xOf(Picoseconds t) const { return px(kLaneHeader) + m_focus.axis().xOf(t); }

  // PaintedRows: the lanes.
  int spokenRows() const override { return static_cast<int>(m_lanes.size()); }
  QString spokenText(int row, int column) const override;
  QRect spokenRect(int row, int column) const override;
  int spokenCurrent() const override { return m_currentLane; }
  void pickSpoken(int row) override;

 Q_SIGNALS:
  /// Asked for from the context menu, or by a double-click on the lane's head.
  void settingsWanted(BusId bus);
  /// Asked for from the context menu of a plot: its values in a file.
  void plotValuesWanted(const bexto::Plot& plot);
  /// The same: what is seen of all plots as a picture.
  void plotPictureWanted();

 protected:
  void paintEvent(QPaintEvent* event) override;
  void resizeEvent(QResizeEvent* event) override;
  void scrollContentsBy(int dx, int dy) override;
  bool viewportEvent(QEvent* event) override;
  void wheelEvent(QWheelEvent* event) override;
  void mousePressEvent(QMouseEvent* event) override;
  void mouseMoveEvent(QMouseEvent* event) override;
  void mouseReleaseEvent(QMouseEvent* event) override;
  void mouseDoubleClickEvent(QMouseEvent* event) override;
  void keyPressEvent(QKeyEvent* event) override;
  void contextMenuEvent(QContextMenuEvent* event) override;

 private:
  void rebuild();
  void updateScrollBars();
  void placeFooter();
  void showSelectedLane();
  void showNewPlot();
  const TimelineLane* laneAt(QPoint pos) const;
  Picoseconds timeAt(double x) const { return m_focus.axis().timeAt(x - px(kLaneHeader)); }
  /// What a click at that place picks; invalid for nothing.
  Selection pick(QPoint pos) const;
  Selection pickSaid(const PlotView& plot, const StreamView& stream, QPoint pos) const;
  MarkerId markerAt(QPoint pos) const;
  /// None: a new one.
  void placeMarker(MarkerId marker, double x, const TimelineLane* preferred);
  void zoomBy(double factor, double x);
  void walkLanes(int by);

  SessionModel& m_session;
  Engine& m_engine;
  Focus& m_focus;
  Verdicts* m_verdicts = nullptr;
  PlotSeries* m_plots;
  LaneHeads* m_heads;
  LaneFooter* m_footer;  ///< below the last lane
  LaneFinder* m_finder;
  std::size_t m_plotCount = 0;
  int m_currentLane = -1;  ///< for the keyboard: whose menu opens
  bool m_atHeads = false;  ///< the press went to the heads
  std::vector<TimelineLane> m_lanes;
  QPoint m_pressed;
  QPoint m_last;
  bool m_panning = false;
  bool m_pressing = false;
  bool m_draggingMarker = false;  ///< further than a hand trembles
  MarkerId m_draggedMarker = MarkerId::None;
};

}  // namespace bexto::ui
