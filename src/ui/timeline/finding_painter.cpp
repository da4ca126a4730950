// What checks found, on the lanes: marks of findings, and a measured interval below its wire.
#include <algorithm>

#include "ui/theme/theme.h"
#include "ui/timeline/timeline_painter.h"

namespace bexto::ui {

/// What is wrong by the rules and no fault of a frame: a mark at the foot of the lane, hollow for a limit.
void TimelinePainter::findings(BusId bus, int stream, QRect rect)
{
  const BusCheck* const check = m_verdicts == nullptr ? nullptr : m_verdicts->of(bus);
  if (check == nullptr)
    return;
  const Palette& c = theme().colours();
  const TimeRange span = m_axis.span();
  auto at = std::partition_point(check->findings.begin(), check->findings.end(),
                                 [&](const Finding& f) { return f.time.begin < span.begin; });
  double free = -1e9;
  for (; at != check->findings.end() && at->time.begin < span.end; ++at) {
    const RuleSort sort = check->rules[at->rule].sort;
    if (sort == RuleSort::Error || sort == RuleSort::Sheet || static_cast<int>(at->stream) != stream)
      continue;
    const double x = rect.left() + m_axis.xOf(at->time.begin);
    if (x < free)
      continue;  // it would stand on the one before
    const double foot = rect.bottom() - 0.5;
    const double half = px(4.0);
    m_p.setPen(QPen(c.fault, 1.2));
    m_p.setBrush(at->gravity == Gravity::Limit ? QBrush(c.ground) : QBrush(c.fault));
    m_p.drawPolygon(QPolygonF({{x, foot - px(7.0)}, {x + half, foot}, {x - half, foot}}));
    free = x + half;
  }
}

/// From edge to edge: two lines down from the wire, a line with arrows between, and beside it symbol, value and limit.
void TimelinePainter::dimension(QRect wire, QRect room)
{
  const MeasuredInterval& interval = *m_focus.interval();
  const Palette& c = theme().colours();
  const QColor ink = interval.fails ? c.fault : c.ink;
  const double left = room.left() + m_axis.xOf(interval.time.begin);
  const double right = room.left() + m_axis.xOf(interval.time.end);
  const double y = room.center().y();
  m_p.setPen(QPen(ink, 1));
  for (const double x : {left, right})
    m_p.drawLine(QPointF(x, wire.top() + px(4)), QPointF(x, room.bottom() - px(3)));
  m_p.setBrush(ink);
  const double head = px(5.0);
  const bool inside = right - left > px(24.0);
  // Between narrow lines there is no room for arrows: they point at them from outside.
  const double from = inside ? left : left - px(18.0);
  const double to = inside ? right : right + px(18.0);
  m_p.drawLine(QPointF(from, y), QPointF(to, y));
  const auto arrow = [&](double x, double way) {
    m_p.drawPolygon(QPolygonF({{x, y}, {x - way * head, y - head / 2}, {x - way * head, y + head / 2}}));
  };
  arrow(left, inside ? -1.0 : 1.0);
  arrow(right, inside ? 1.0 : -1.0);
  m_p.setFont(theme().data(11, true));
  const QFontMetrics metrics = m_p.fontMetrics();
  const QString text = interval.limit.isEmpty() ? interval.text : interval.text + QStringLiteral("  ") + interval.limit;
  const double width = metrics.horizontalAdvance(text) + px(8.0);
  const bool between = inside && right - left > width + px(16.0);
  double x = between ? (left + right - width) / 2 : to + px(4.0);
  if (!between && x + width > room.right())
    x = from - px(4.0) - width;
  x = std::clamp(x, static_cast<double>(room.left()), std::max<double>(room.left(), room.right() - width));
  const QRectF box(x, y - metrics.height() / 2.0, width, metrics.height());
  m_p.fillRect(box, c.ground);
  m_p.drawText(box, Qt::AlignCenter, text);
}

}  // namespace bexto::ui
