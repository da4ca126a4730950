#pragma once

#include <cstdint>
#include <vector>

#include "core/base/time.h"
#include "core/device/sheet.h"
#include "core/device/value_series.h"
#include "core/view/time_axis.h"

namespace bexto {

/// What a value was in one pixel column in which somebody said it.
struct PlotStop {
  double x = 0.0;      ///< of its only point; of several the middle of the column. May be outside of the axis
  double until = 0.0;  ///< up to where the last one holds: the next stop, or before it where silence or a gap begins
  double first = 0.0;
  double last = 0.0;
  double low = 0.0;
  double high = 0.0;
  std::uint64_t point = 0;  ///< number of the first in the series
  std::uint64_t count = 1;
  bool goesOn = false;  ///< the next stop follows without silence between
};

/// What a series looks like on the axis: the last point before the view, one stop for each pixel column with points in
/// it, and the first one behind. `gaps` are stretches without a recording, rising; `until` is where the capture ends.
/// Costs a few searches a column, whatever the number of points.
std::vector<PlotStop> plotShape(const ValueSeries& series, const TimeAxis& axis, const std::vector<TimeRange>& gaps,
                                Picoseconds until);

/// The scale of a lane: round numbers with all of the values in view between them.
struct PlotScale {
  double low = 0.0;
  double high = 1.0;
  int decimals = 0;  ///< that its ends need to be written
};
/// Of what is in view: stops in the axis, and what holds into it from before. `field`: whole numbers have no ends
/// between them, and a flag those of 0 and 1, whatever is in view.
PlotScale plotScale(const std::vector<PlotStop>& stops, int width, const SheetField* field);

/// The number of the point that holds at `t`; nothing where none does. As plotShape() has it.
std::optional<std::uint64_t> plotPointAt(const ValueSeries& series, Picoseconds t, const std::vector<TimeRange>& gaps,
                                         Picoseconds until);

}  // namespace bexto
