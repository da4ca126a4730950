#include "core/view/time_axis.h"

#include <fmt/core.h>

#include <algorithm>
#include <cmath>

#include "core/base/time_text.h"

namespace bexto {

namespace {

constexpr double kFinest = 1.0;  // ps a pixel
constexpr double kHalfOfAllTime = 4e18;
constexpr double kMargin = 0.03;  // of the width, beyond the capture's ends; nothing when all of it is in view

/// 1, 2 or 5 times a power of ten, at least `least` and at least 1 ps.
Picoseconds niceStep(double least)
{
  double step = std::pow(10.0, std::floor(std::log10(std::max(1.0, least))));
  for (const double factor : {1.0, 2.0, 5.0, 10.0}) {
    if (step * factor >= least)
      return wholePicoseconds(step * factor);
  }
  return wholePicoseconds(step * 10.0);
}

Picoseconds floorTo(Picoseconds t, Picoseconds step)
{
  const std::int64_t rest = t.count() % step.count();
  return minus(t, Picoseconds{rest < 0 ? rest + step.count() : rest});
}

int decimalsFor(Picoseconds step)
{
  int decimals = 12;
  for (std::int64_t unit = 10; decimals > 0 && step.count() % unit == 0; unit *= 10)
    --decimals;
  return decimals;
}

}  // namespace

TimeAxis::TimeAxis(TimeRange span, int width) : m_origin(span.begin), m_width(std::max(1, width))
{
  const double length = std::max(64.0, distance(span.begin, span.end));
  m_scale = std::max(kFinest, length / m_width);
}

Picoseconds TimeAxis::timeAt(double x) const
{
  const double after = m_offset + x * m_scale;
  if (std::abs(after) < kHalfOfAllTime)
    return plus(m_origin, wholePicoseconds(after));
  // The distance may not fit where the moment does: an origin before the capture's begin.
  const Picoseconds half = wholePicoseconds(after / 2.0);
  return plus(plus(m_origin, half), half);
}

TimeAxis TimeAxis::zoomed(double factor, double x, TimeRange whole) const
{
  TimeAxis next = *this;
  const double widest = std::max(64.0, static_cast<double>(whole.length().count())) / m_width;
  next.m_scale = std::clamp(m_scale / factor, kFinest, std::max(kFinest, widest));
  next.m_offset += x * (m_scale - next.m_scale);
  return next.within(whole);
}

TimeAxis TimeAxis::panned(double pixels, TimeRange whole) const
{
  TimeAxis next = *this;
  next.m_offset += pixels * m_scale;
  return next.within(whole);
}

TimeAxis TimeAxis::finer(double factor) const
{
  TimeAxis axis = *this;
  axis.m_scale = m_scale / factor;
  axis.m_width = static_cast<int>(std::lround(m_width * factor));
  return axis;
}

TimeAxis TimeAxis::resized(int width) const
{
  TimeAxis next = *this;
  next.m_width = std::max(1, width);
  return next;
}

TimeAxis TimeAxis::within(TimeRange whole) const
{
  TimeAxis next = *this;
  const double shown = m_scale * m_width;
  const double margin = std::clamp(distance(whole.begin, whole.end) - shown, 0.0, shown * kMargin);
  const double earliest = distance(m_origin, whole.begin) - margin;
  const double latest = distance(m_origin, whole.end) + margin - shown;
  next.m_offset = latest < earliest ? (earliest + latest) / 2.0 : std::clamp(m_offset, earliest, latest);
  const double steps = std::floor(next.m_offset);
  next.m_origin = plus(next.m_origin, wholePicoseconds(steps));
  next.m_offset -= steps;
  return next;
}

std::vector<AxisTick> TimeAxis::ticks(double apart) const
{
  const Picoseconds step = niceStep(apart * m_scale);
  // The label in full stands at a round place; those after it say how much later they are.
  const Picoseconds bigStep = wholePicoseconds(10.0 * static_cast<double>(step.count()));
  std::vector<AxisTick> ticks;
  Picoseconds base = kNever;
  for (Picoseconds t = plus(floorTo(timeAt(0.0), step), step); xOf(t) < m_width && t != kNever; t = plus(t, step)) {
    const bool origin = base == kNever || t >= plus(floorTo(base, bigStep), bigStep);
    if (origin)
      base = t;
    if (t < Picoseconds{0})
      continue;
    AxisTick tick{xOf(t), {}, origin};
    tick.label = origin ? momentText(t, decimalsFor(step)) + " s" : "+" + lengthText(t - base, 3);
    ticks.push_back(std::move(tick));
    for (int i = 1; i < 5; ++i) {
      const double x = xOf(t) + static_cast<double>(step.count()) / m_scale * i / 5.0;
      if (step.count() >= 5 && x < m_width)
        ticks.push_back({x, {}, false});
    }
  }
  return ticks;
}

}  // namespace bexto
