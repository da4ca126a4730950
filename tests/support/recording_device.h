#pragma once

#include <QPaintDevice>

namespace bexto::test {

/// Something to paint on that is no picture: of a screen of usual density, in true colours. What it keeps its paint
/// engine says.
class RecordingDevice : public QPaintDevice {
 public:
  explicit RecordingDevice(QSize size) : m_size(size) {}

 protected:
  int metric(PaintDeviceMetric metric) const override
  {
    switch (metric) {
      case PdmWidth:
        return m_size.width();
      case PdmHeight:
        return m_size.height();
      case PdmDpiX:
      case PdmDpiY:
      case PdmPhysicalDpiX:
      case PdmPhysicalDpiY:
        return 96;
      case PdmDepth:
        return 32;
      case PdmDevicePixelRatio:
        return 1;
      case PdmDevicePixelRatioScaled:
        return static_cast<int>(devicePixelRatioFScale());
      default:
        return QPaintDevice::metric(metric);
    }
  }

 private:
  QSize m_size;
};

}  // namespace bexto::test
