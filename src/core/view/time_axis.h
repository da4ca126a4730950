#pragma once

#include <string>
#include <vector>

#include "core/base/time.h"

namespace bexto {

/// A mark on the ruler.
struct AxisTick {
  double x = 0.0;       ///< pixels from the left edge of the axis
  std::string label;    ///< empty for a minor tick
  bool origin = false;  ///< the label is a whole moment; the others count from the last such one: "+20 µs"
};

/// Time ↔ pixels of a stretch of screen. A value; "zoomed" and "panned" give new ones. Pixels are logical ones and may
/// be fractions; x runs from 0 at the left edge to width(), and outside of that where a moment is outside of span().
class TimeAxis {
 public:
  TimeAxis() = default;
  /// Shows `span` on `width` pixels. Spans shorter than 64 ps or empty are widened.
  TimeAxis(TimeRange span, int width);

  int width() const { return m_width; }
  /// What is in view.
  TimeRange span() const { return {timeAt(0.0), timeAt(m_width)}; }
  double picosecondsPerPixel() const { return m_scale; }

  /// Exact to a fraction of a pixel at any zoom, however long the capture.
  double xOf(Picoseconds t) const { return (distance(m_origin, t) - m_offset) / m_scale; }
  /// The moment at a pixel, rounded to a whole picosecond; the last one where there is none so far.
  Picoseconds timeAt(double x) const;

  /// By `factor` > 1 closer, with the moment at `x` staying where it is; never wider than `whole`, never past 1 ps a
  /// pixel.
  TimeAxis zoomed(double factor, double x, TimeRange whole) const;
  /// Moves the view by that many pixels towards later times, staying at `whole`.
  TimeAxis panned(double pixels, TimeRange whole) const;
  /// The same left edge and scale on another width.
  TimeAxis resized(int width) const;

  /// The same span on pixels that are so much finer: those of a screen that has several for each of the window's.
  TimeAxis finer(double factor) const;

  /// Major ticks are at least `apart` pixels from one another.
  std::vector<AxisTick> ticks(double apart) const;

  bool operator==(const TimeAxis&) const = default;

 private:
  TimeAxis within(TimeRange whole) const;

  // Whole picoseconds and a rest below one, so that panning by pixels does not creep at any zoom.
  Picoseconds m_origin{0};
  double m_offset = 0.0;
  double m_scale = 1e6;
  int m_width = 1;
};

}  // namespace bexto
