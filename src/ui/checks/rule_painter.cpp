#include "ui/checks/rule_painter.h"

#include <algorithm>
#include <cmath>

#include "ui/theme/theme.h"

namespace bexto::ui {

namespace {

/// From the least to the most that a gauge has to show, with a little room beside it.
struct Scale {
  double low = 0.0;
  double high = 1.0;
  double left = 0.0;
  double width = 1.0;
  double at(double value) const { return left + std::clamp((value - low) / (high - low), 0.0, 1.0) * width; }
};

Scale scaleOf(const RuleResult& rule, QRect room)
{
  double low = std::min(rule.limits.min.value_or(rule.spread.min), rule.worst->value);
  double high = std::max(rule.limits.max.value_or(rule.spread.max), rule.worst->value);
  // A long tail away from the limit would leave nothing to see of what is near it.
  if (rule.limits.min && !rule.limits.max) {
    const double room1 = std::max(std::abs(*rule.limits.min), std::abs(*rule.limits.min - low)) * 1.5;
    high = std::max(std::min(rule.spread.max, *rule.limits.min + std::max(room1, 1e-9)), rule.worst->value);
  }
  if (high <= low)
    high = low + std::max(1.0, std::abs(low) * 0.1);
  const double beside = (high - low) * 0.08;
  return {low - beside, high + beside, static_cast<double>(room.left()), static_cast<double>(room.width())};
}

}  // namespace

void paintGauge(QPainter& p, QRect room, const RuleResult& rule)
{
  if (!rule.worst || rule.spread.count == 0 || room.width() < px(30))
    return;
  const Palette& c = theme().colours();
  const Scale scale = scaleOf(rule, room);
  const double middle = room.center().y() + 0.5;
  const double left = rule.limits.min ? scale.at(*rule.limits.min) : room.left();
  const double right = rule.limits.max ? scale.at(*rule.limits.max) : room.right() + 1.0;
  const double tall = px(12.0);
  p.setRenderHint(QPainter::Antialiasing);
  p.fillRect(QRectF(left, middle - tall / 2, std::max(1.0, right - left), tall), c.wash);
  const double from = scale.at(rule.spread.min);
  const double to = scale.at(rule.spread.max);
  p.fillRect(QRectF(from, middle - px(1.5), std::max(px(2.0), to - from), px(3.0)), tint(c.ink, 60));
  p.setPen(QPen(c.ink, 1.2));
  for (const auto& limit : {rule.limits.min, rule.limits.max}) {
    if (limit)
      p.drawLine(QPointF(scale.at(*limit), middle - tall / 2 - px(1)),
                 QPointF(scale.at(*limit), middle + tall / 2 + px(1)));
  }
  const bool fails = rule.verdict == Verdict::Fail;
  const QPointF worst(scale.at(rule.worst->value), middle);
  p.setPen(QPen(c.panel, 1));
  p.setBrush(fails ? c.fault : rule.verdict == Verdict::Undecided ? c.check : c.payload);
  if (fails) {
    // A triangle besides the colour.
    const double s = px(5.0);
    p.drawPolygon(QPolygonF({worst + QPointF(0, -s), worst + QPointF(s, s * 0.8), worst + QPointF(-s, s * 0.8)}));
  } else {
    p.drawEllipse(worst, px(3.5), px(3.5));
  }
}

void paintHistogram(QPainter& p, QRect room, const RuleResult& rule)
{
  if (!rule.histogram || rule.spread.count == 0 || room.width() < px(20))
    return;
  const Palette& c = theme().colours();
  double low = rule.spread.min;
  double high = rule.spread.max;
  if (high <= low) {
    low -= std::max(0.5, std::abs(low) * 0.05);
    high += std::max(0.5, std::abs(high) * 0.05);
  }
  const double beside = (high - low) * 0.02;
  low -= beside;
  high += beside;
  const auto bars = static_cast<std::size_t>(std::clamp(room.width() / px(3), 8, 64));
  const auto counts = rule.histogram->bars(low, high, bars);
  const double most = static_cast<double>(*std::max_element(counts.begin(), counts.end()));
  const double step = static_cast<double>(room.width()) / static_cast<double>(bars);
  for (std::size_t i = 0; i < bars; ++i) {
    if (counts[i] == 0)
      continue;
    // A single one beside millions is still to be seen.
    const double share = std::log1p(static_cast<double>(counts[i])) / std::log1p(most);
    const double tall = std::max(px(2.0), share * room.height());
    const double value = low + (static_cast<double>(i) + 0.5) / static_cast<double>(bars) * (high - low);
    const bool beyond = (rule.limits.min && value < *rule.limits.min) || (rule.limits.max && value > *rule.limits.max);
    p.fillRect(
        QRectF(room.left() + static_cast<double>(i) * step, room.bottom() + 1 - tall, std::max(1.0, step - 1.0), tall),
        beyond && rule.verdict == Verdict::Fail ? c.fault : tint(c.ink, 55));
  }
  p.setPen(QPen(c.ink, 1, Qt::DotLine));
  for (const auto& limit : {rule.limits.min, rule.limits.max}) {
    if (!limit || *limit < low || *limit > high)
      continue;
    const double x = room.left() + (*limit - low) / (high - low) * room.width();
    p.drawLine(QPointF(x, room.top()), QPointF(x, room.bottom()));
  }
}

}  // namespace bexto::ui
