#include "ui/timeline/plot_painter.h"

#include <QCoreApplication>
#include <QPainterPath>
#include <algorithm>
#include <cmath>

#include "core/view/plot_shape.h"
#include "ui/theme/theme.h"

namespace bexto::ui {

namespace {

QString tr(const char* text)
{
  return QCoreApplication::translate("PlotPainter", text);
}

/// Nearer than this, dots would run into one another.
constexpr double kDotsApart = 7.0;
constexpr int kInset = 7;

/// What is said instead of a curve.
QString whyEmpty(const PlotView& view)
{
  if (view.field == nullptr)
    return tr("no sheet of this bus has this value");
  if (view.making)
    return tr("looking …");
  return view.series.empty() ? tr("nobody said it in this capture") : QString();
}

class Curve {
 public:
  Curve(QPainter& p, const PlotView& view, const Engine& engine, const std::vector<PlotStop>& stops,
        const PlotScale& scale, QRect rect)
      : m_p(p), m_view(view), m_engine(engine), m_stops(stops), m_scale(scale), m_rect(rect)
  {
    const int inset = std::min(px(kInset), rect.height() / 5);
    m_top = rect.top() + inset;
    m_bottom = rect.bottom() - inset;
  }

  double yOf(double value) const
  {
    const double part = (value - m_scale.low) / (m_scale.high - m_scale.low);
    // Farther out of the lane it makes no difference, and painters have their limits.
    return m_bottom - std::clamp(part, -50.0, 50.0) * (m_bottom - m_top);
  }

  void paint()
  {
    const Palette& c = theme().colours();
    m_p.fillRect(QRectF(m_rect.left(), m_top, m_rect.width(), 1), tint(c.rule, 60));
    m_p.fillRect(QRectF(m_rect.left(), m_bottom, m_rect.width(), 1), tint(c.rule, 60));
    if (m_scale.low < 0.0 && m_scale.high > 0.0)
      m_p.fillRect(QRectF(m_rect.left(), yOf(0.0), m_rect.width(), 1), c.rule);
    lines();
    if (m_view.field != nullptr && !m_view.field->words.empty())
      words();
    dots();
  }

 private:
  static constexpr double kBeyond = 100.0;

  double x(double onAxis) const { return m_rect.left() + std::clamp(onAxis, -kBeyond, m_rect.width() + kBeyond); }

  /// Where the straight line between two stops is at a place of the axis: they may be far outside of it.
  QPointF between(const PlotStop& from, const PlotStop& to, double onAxis) const
  {
    const double part = (onAxis - from.x) / std::max(to.x - from.x, 1e-9);
    return {x(onAxis), yOf(from.last + (to.first - from.last) * part)};
  }

  void lines()
  {
    const Palette& c = theme().colours();
    QPainterPath path;
    bool isDown = false;
    for (std::size_t i = 0; i < m_stops.size(); ++i) {
      const PlotStop& stop = m_stops[i];
      const double at = x(stop.x);
      const bool isStraight = m_view.plot.joined;
      if (isStraight && stop.goesOn && stop.x < -kBeyond && i + 1 < m_stops.size()) {
        path.moveTo(between(stop, m_stops[i + 1], -kBeyond));
        isDown = true;
        continue;
      }
      if (isStraight && isDown && stop.x > m_rect.width() + kBeyond) {
        path.lineTo(between(m_stops[i - 1], stop, m_rect.width() + kBeyond));
        break;
      }
      isDown ? path.lineTo(at, yOf(stop.first)) : path.moveTo(at, yOf(stop.first));
      if (stop.count > 1) {
        // All that it was in this column; the line leaves it where the last one was.
        path.lineTo(at, yOf(stop.low));
        path.lineTo(at, yOf(stop.high));
        path.lineTo(at, yOf(stop.last));
      }
      isDown = stop.goesOn;
      if (isStraight && stop.goesOn)
        continue;
      path.lineTo(x(stop.until), yOf(stop.last));
    }
    m_p.setBrush(Qt::NoBrush);
    m_p.setPen(QPen(c.device, px(1.3), Qt::SolidLine, Qt::FlatCap, Qt::MiterJoin));
    m_p.drawPath(path);
  }

  /// States by their words, as far as there is room.
  void words()
  {
    const Palette& c = theme().colours();
    m_p.setFont(theme().words(11));
    const QFontMetrics metrics = m_p.fontMetrics();
    for (std::size_t i = 0; i < m_stops.size();) {
      // What is said again and again is one stretch.
      std::size_t end = i + 1;
      while (end < m_stops.size() && m_stops[end - 1].goesOn && m_stops[end].low == m_stops[i].last &&
             m_stops[end].high == m_stops[i].last)
        ++end;
      const double left = std::max(x(m_stops[i].x), static_cast<double>(m_rect.left())) + px(5);
      const double right = std::min(x(m_stops[end - 1].until), static_cast<double>(m_rect.right()));
      const QString text = m_view.scaleText(m_stops[i].last, m_scale.decimals);
      if (m_stops[i].count == 1 && metrics.horizontalAdvance(text) + px(4) < right - left) {
        const double y = yOf(m_stops[i].last);
        const bool above = y - metrics.height() - px(2) > m_rect.top();
        m_p.setPen(c.device);
        m_p.drawText(QPointF(left, above ? y - px(4) : y + metrics.ascent() + px(3)), text);
      }
      i = end;
    }
  }

  void dots()
  {
    const Palette& c = theme().colours();
    const StreamView* const stream = m_engine.find(m_view.stream);
    const Meaning* const meaning = stream == nullptr ? nullptr : stream->transactions.meaning().get();
    double before = -1e9;
    for (std::size_t i = 0; i < m_stops.size(); ++i) {
      const PlotStop& stop = m_stops[i];
      const double next = i + 1 < m_stops.size() ? m_stops[i + 1].x : 1e9;
      const bool apart = stop.x - before > px(kDotsApart) && next - stop.x > px(kDotsApart);
      before = stop.x;
      if (stop.count != 1 || !apart || stop.x < -5.0 || stop.x > m_rect.width() + 5.0)
        continue;
      const std::uint64_t frame = m_view.series.at(stop.point).frame;
      const bool faulty = meaning != nullptr && meaning->isFaulty({frame, frame + 1});
      m_p.setPen(Qt::NoPen);
      m_p.setBrush(faulty ? c.fault : c.device);
      const QPointF at(x(stop.x), yOf(stop.last));
      if (faulty)
        m_p.drawPolygon(
            QPolygonF({at + QPointF(0, -px(5.0)), at + QPointF(px(5.0), px(4.0)), at + QPointF(-px(5.0), px(4.0))}));
      else
        m_p.drawEllipse(at, px(2.2), px(2.2));
    }
  }

  QPainter& m_p;
  const PlotView& m_view;
  const Engine& m_engine;
  const std::vector<PlotStop>& m_stops;
  const PlotScale& m_scale;
  QRect m_rect;
  double m_top = 0.0;
  double m_bottom = 1.0;
};

void writeBeside(QPainter& p, const QString& text, QPointF at, QRect rect)
{
  const Palette& c = theme().colours();
  p.setFont(theme().data(11, true));
  const double width = p.fontMetrics().horizontalAdvance(text) + px(8);
  const double height = p.fontMetrics().height() + px(2);
  const bool left = at.x() + width + px(10) > rect.right();
  QRectF box(left ? at.x() - width - px(6) : at.x() + px(6), at.y() - height - px(2), width, height);
  box.moveTop(std::clamp(box.top(), rect.top() + 1.0, std::max(rect.top() + 1.0, rect.bottom() - height)));
  p.setPen(QPen(c.rule, 1));
  p.setBrush(c.panel);
  p.drawRoundedRect(box, 3, 3);
  p.setPen(c.device);
  p.drawText(box, Qt::AlignCenter, text);
  p.setPen(QPen(c.panel, 1));
  p.setBrush(c.device);
  p.drawEllipse(at, px(3.2), px(3.2));
}

}  // namespace

PlotPicture::PlotPicture(const PlotView& view, const Engine& engine, const TimeAxis& axis)
    : m_view(view), m_engine(engine), m_axis(axis)
{
  if (engine.capture())
    m_stops = plotShape(view.series, axis, engine.capture()->gaps, engine.whole().end);
  m_scale = plotScale(m_stops, axis.width(), view.field);
}

void PlotPicture::paint(QPainter& p, QRect rect, std::optional<Picoseconds> cursor) const
{
  if (const QString why = whyEmpty(m_view); !why.isEmpty()) {
    p.setPen(theme().colours().muted);
    p.setFont(theme().words(12));
    p.drawText(rect.adjusted(px(8), 0, -px(8), 0), Qt::AlignLeft | Qt::AlignVCenter, why);
    return;
  }
  Curve(p, m_view, m_engine, m_stops, m_scale, rect).paint();
  if (cursor && m_engine.capture())
    readOut(p, rect, *cursor);
}

void PlotPicture::readOut(QPainter& p, QRect rect, Picoseconds cursor) const
{
  const std::vector<TimeRange>& gaps = m_engine.capture()->gaps;
  const Picoseconds end = m_engine.whole().end;
  const double x = rect.left() + m_axis.xOf(cursor);
  const auto point = plotPointAt(m_view.series, cursor, gaps, end);
  if (!point || x < rect.left() || x > rect.right())
    return;
  const ValueSeries::Point said = m_view.series.at(*point);
  double value = said.value;
  if (m_view.plot.joined && *point + 1 < m_view.series.size()) {
    // The dot stands on the line; what was said is what is written.
    const ValueSeries::Point next = m_view.series.at(*point + 1);
    const double whole = distance(said.at, next.at);
    if (whole > 0.0 && plotPointAt(m_view.series, next.at - Picoseconds{1}, gaps, end) == point)
      value += (next.value - value) * distance(said.at, cursor) / whole;
  }
  const Curve curve(p, m_view, m_engine, m_stops, m_scale, rect);
  writeBeside(p, m_view.textOf(m_engine, said), QPointF(x, curve.yOf(value)), rect);
}

void PlotPicture::paintHead(QPainter& p, QRect head) const
{
  const Palette& c = theme().colours();
  const int inset = std::min(px(kInset), head.height() / 5);
  p.fillRect(QRect(head.left() + px(4), head.top() + inset, px(3), head.height() - 2 * inset), c.device);
  const int room = head.width() - px(16);
  if (head.height() >= px(44) && whyEmpty(m_view).isEmpty()) {
    p.setFont(theme().data(9));
    p.setPen(c.muted);
    const QRect labels = head.adjusted(0, inset - px(6), -px(4), px(6) - inset);
    const auto text = [&](double value) {
      return p.fontMetrics().elidedText(m_view.scaleText(value, m_scale.decimals), Qt::ElideRight, room);
    };
    p.drawText(labels, Qt::AlignRight | Qt::AlignTop, text(m_scale.high));
    p.drawText(labels, Qt::AlignRight | Qt::AlignBottom, text(m_scale.low));
  }
  // What it is a part of has a line of its own, where there is one.
  const QString& part = m_view.subject;
  const bool twoLines = !part.isEmpty() && head.height() >= px(44);
  if (twoLines) {
    p.setFont(theme().words(11));
    p.setPen(c.muted);
    p.drawText(head.adjusted(px(12), px(16), -px(4), 0), Qt::AlignLeft | Qt::AlignVCenter,
               p.fontMetrics().elidedText(part, Qt::ElideRight, room));
  }
  const QString name = twoLines ? m_view.valueName : m_view.name;
  const QString unit = m_view.field == nullptr ? QString() : toQString(m_view.field->unit);
  p.setFont(theme().words(12));
  p.setPen(c.ink);
  p.drawText(
      head.adjusted(px(12), 0, -px(4), twoLines ? -px(12) : 0), Qt::AlignLeft | Qt::AlignVCenter,
      p.fontMetrics().elidedText(unit.isEmpty() ? name : name + QStringLiteral(" · ") + unit, Qt::ElideRight, room));
}

}  // namespace bexto::ui
