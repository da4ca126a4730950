#pragma once

#include <QCoreApplication>
#include <QPainter>
#include <vector>

#include "core/view/bus_lane.h"
#include "core/view/time_axis.h"
#include "ui/focus/focus.h"
#include "ui/timeline/timeline_lanes.h"
#include "ui/verdicts/verdicts.h"

namespace bexto::ui {

/// Paints lanes on any device: the Timeline, a picture, a bench. Reads everything, keeps nothing.
class TimelinePainter {
  Q_DECLARE_TR_FUNCTIONS(TimelinePainter)

 public:
  TimelinePainter(QPainter& painter, const Engine& engine, std::vector<Marker> markers, const Focus& focus,
                  const TimeAxis& axis)
      : m_p(painter), m_engine(engine), m_markers(std::move(markers)), m_focus(focus), m_axis(axis)
  {
  }

  /// For pictures: nobody points at them.
  void hideCursor() { m_hidesCursor = true; }
  /// Marks what is wrong by the rules in the lanes of buses. Borrows it.
  void showFindings(const Verdicts& verdicts) { m_verdicts = &verdicts; }
  /// The lanes with their headers; `area` is the part of the device they may use, `scroll` the content's offset.
  void lanes(const std::vector<TimelineLane>& lanes, QRect area, int scroll);
  void ruler(QRect area);
  /// Lines and flags of markers and cursor over the lanes; `area` without the headers.
  void overlay(QRect area, int rulerTop);

 private:
  void header(const TimelineLane& lane, QRect rect);
  void busLane(const TimelineLane& lane, QRect rect);
  void wireLane(const TimelineLane& lane, QRect rect);
  void plotLane(const PlotView& plot, QRect rect, QRect area);
  void numberLane(const TimelineLane& lane, QRect rect);
  QImage wirePicture(const ConditionedTrack& track, int width, int height) const;
  void sentence(const BusView& view, const StreamView& stream, const LaneSentence& s, QRectF rect, bool selected);
  void moment(const BusView& view, const StreamView& stream, const LaneSentence& s, QRectF bar, double until,
              bool selected);
  void field(const LaneField& f, QRectF rect);
  void findings(BusId bus, int stream, QRect rect);
  void dimension(QRect wire, QRect room);

  QPainter& m_p;
  const Engine& m_engine;
  std::vector<Marker> m_markers;
  const Focus& m_focus;
  const TimeAxis& m_axis;
  bool m_hidesCursor = false;
  const Verdicts* m_verdicts = nullptr;
  std::vector<LaneBit> m_bits;  ///< of the bus lane painted last, for the wire that they were sampled from
  LaneKey m_bitsGroup;          ///< key of that bus lane
};

/// How a lead of that colour looks on a screen; the standard names colours and leaves their shade open.
QColor wireColour(WireColour colour);

}  // namespace bexto::ui
