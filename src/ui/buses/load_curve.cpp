#include "ui/buses/load_curve.h"

#include <QPainter>
#include <QPolygonF>
#include <algorithm>

#include "ui/theme/theme.h"

namespace bexto::ui {

void paintLoadCurve(QPainter& painter, QRectF rect, const std::vector<std::uint8_t>& density)
{
  if (density.size() < 2)
    return;
  // Against its own highest point: the shape is what is read, the figure stands beside it.
  const double highest = std::max<double>(1.0, *std::max_element(density.begin(), density.end()));
  QPolygonF line;
  for (std::size_t i = 0; i < density.size(); ++i)
    line << QPointF(rect.left() + rect.width() * static_cast<double>(i) / static_cast<double>(density.size() - 1),
                    rect.bottom() - (rect.height() - 1.0) * density[i] / highest);
  painter.setPen(QPen(theme().colours().payload, 1.1));
  painter.drawPolyline(line);
}

}  // namespace bexto::ui
