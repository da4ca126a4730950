#pragma once

#include <QPainter>
#include <optional>

#include "core/view/plot_shape.h"
#include "ui/timeline/plot_series.h"

namespace bexto::ui {

/// A value over time, ready to be painted on one axis. Borrows all that it is made of.
class PlotPicture {
 public:
  PlotPicture(const PlotView& view, const Engine& engine, const TimeAxis& axis);

  /// The curve in `rect`, whose width is that of the axis. `cursor`: what the value is then is written beside it.
  void paint(QPainter& p, QRect rect, std::optional<Picoseconds> cursor) const;
  /// Its name and unit, and the ends of its scale.
  void paintHead(QPainter& p, QRect head) const;

 private:
  void readOut(QPainter& p, QRect rect, Picoseconds cursor) const;

  const PlotView& m_view;
  const Engine& m_engine;
  const TimeAxis& m_axis;
  std::vector<PlotStop> m_stops;
  PlotScale m_scale;
};

}  // namespace bexto::ui
