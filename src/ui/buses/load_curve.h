#pragma once

#include <QRectF>
#include <cstdint>
#include <vector>

class QPainter;

namespace bexto::ui {

/// A small curve of how busy a bus is over the capture; `density` has 0 to 255 a point.
void paintLoadCurve(QPainter& painter, QRectF rect, const std::vector<std::uint8_t>& density);

}  // namespace bexto::ui
