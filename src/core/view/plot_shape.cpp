// Tested by tests/core/plot_shape_test.cpp.
#include "core/view/plot_shape.h"

#include <algorithm>
#include <cmath>

namespace bexto {

namespace {

/// Up to when the point holds: `next` is when the following one was said, or the capture's end.
Picoseconds holdsUntil(const ValueSeries& series, Picoseconds at, Picoseconds next, const std::vector<TimeRange>& gaps)
{
  Picoseconds until = next;
  if (series.silence() != kNever && next - at > series.silence())
    until = plus(at, series.holds());
  const auto gap =
      std::lower_bound(gaps.begin(), gaps.end(), at, [](const TimeRange& g, Picoseconds t) { return g.end <= t; });
  if (gap != gaps.end() && gap->begin < until)
    until = std::max(at, gap->begin);
  return until;
}

}  // namespace

std::vector<PlotStop> plotShape(const ValueSeries& series, const TimeAxis& axis, const std::vector<TimeRange>& gaps,
                                Picoseconds until)
{
  std::vector<PlotStop> stops;
  const std::uint64_t size = series.size();
  const TimeRange span = axis.span();
  std::uint64_t next = series.countBefore(span.begin);
  const auto add = [&](std::uint64_t begin, std::uint64_t end) {
    PlotStop stop;
    stop.point = begin;
    stop.count = end - begin;
    const ValueSeries::Point first = series.at(begin);
    const ValueSeries::Point last = stop.count == 1 ? first : series.at(end - 1);
    const ValueSeries::Range range = series.rangeOf(begin, end);
    stop.x = stop.count == 1 ? axis.xOf(first.at) : std::floor(axis.xOf(first.at)) + 0.5;
    stop.first = first.value;
    stop.last = last.value;
    stop.low = range.low;
    stop.high = range.high;
    const Picoseconds following = end < size ? series.at(end).at : std::max(until, last.at);
    const Picoseconds held = holdsUntil(series, last.at, following, gaps);
    stop.goesOn = end < size && held == following;
    stop.until = std::max(stop.x, axis.xOf(held));
    stops.push_back(stop);
  };
  if (next > 0)
    add(next - 1, next);
  while (next < size) {
    const Picoseconds at = series.at(next).at;
    if (at > span.end) {
      add(next, next + 1);
      break;
    }
    const double column = std::floor(axis.xOf(at));
    std::uint64_t end = std::max(next + 1, series.countBefore(axis.timeAt(column + 1.0)));
    end = std::min(end, size);
    add(next, end);
    next = end;
  }
  return stops;
}

PlotScale plotScale(const std::vector<PlotStop>& stops, int width, const SheetField* field)
{
  PlotScale scale;
  if (field != nullptr && field->form == FieldForm::Flag)
    return scale;
  bool any = false;
  const auto take = [&](double low, double high) {
    scale.low = any ? std::min(scale.low, low) : low;
    scale.high = any ? std::max(scale.high, high) : high;
    any = true;
  };
  for (const PlotStop& stop : stops) {
    if (stop.x >= 0.0 && stop.x <= width)
      take(stop.low, stop.high);
  }
  // What holds into the view; and where nothing was said in it, a line goes through from one side to the other.
  const bool isBetween = !any;
  for (const PlotStop& stop : stops) {
    if (isBetween || (stop.x < 0.0 && stop.until > 0.0))
      take(stop.last, stop.last);
  }
  if (!any)
    return scale;
  double step = std::max(scale.high - scale.low, 0.0) / 4.0;
  const double size = std::max(std::abs(scale.low), std::abs(scale.high));
  // One value alone, or as good as alone for a double.
  if (step <= size * 1e-13)
    step = std::max(size * 1e-3, 1e-3);
  // No finer than what can be said at all.
  if (field != nullptr && field->form != FieldForm::Float && field->scale != 0.0)
    step = std::max(step, std::abs(field->scale));
  const double power = std::pow(10.0, std::floor(std::log10(step)));
  const double part = step / power;
  step = power * (part <= 1.0 ? 1.0 : part <= 2.0 ? 2.0 : part <= 5.0 ? 5.0 : 10.0);
  const double low = std::floor(scale.low / step) * step;
  const double high = std::ceil(scale.high / step) * step;
  scale.low = low;
  scale.high = high > low ? high : low + step;
  if (low == high)
    scale.low = low - step;
  scale.decimals = std::clamp(static_cast<int>(-std::floor(std::log10(step) + 1e-9)), 0, 12);
  return scale;
}

std::optional<std::uint64_t> plotPointAt(const ValueSeries& series, Picoseconds t, const std::vector<TimeRange>& gaps,
                                         Picoseconds until)
{
  const std::uint64_t after = series.countBefore(t + Picoseconds{1});
  if (after == 0)
    return std::nullopt;
  const Picoseconds at = series.at(after - 1).at;
  const Picoseconds next = after < series.size() ? series.at(after).at : std::max(until, at);
  return holdsUntil(series, at, next, gaps) < t ? std::nullopt : std::optional(after - 1);
}

}  // namespace bexto
