#include "core/decode/payload.h"

#include "core/decode/can.h"
#include "core/decode/i2c.h"
#include "core/decode/spi.h"

namespace bexto {

const char* wayName(PayloadWay way)
{
  switch (way) {
    case PayloadWay::Only:
      return "";
    case PayloadWay::Written:
      return "written";
    case PayloadWay::Read:
      return "read";
    case PayloadWay::Mosi:
      return "MOSI";
    case PayloadWay::Miso:
      return "MISO";
  }
  return "";
}

FramePayloads payloadsOf(const Bus& bus, const Frame& frame)
{
  FramePayloads out;
  switch (bus.protocol()) {
    case Protocol::Uart:
      break;
    case Protocol::I2c:
      if (const I2cTransfer t = i2cTransfer(frame); t.hasAddress)
        out.add(t.read ? PayloadWay::Read : PayloadWay::Written, t.data);
      break;
    case Protocol::Spi: {
      const SpiTransfer t = spiTransfer(bus, frame);
      if (t.hasMosi)
        out.add(PayloadWay::Mosi, t.mosi);
      if (t.hasMiso)
        out.add(PayloadWay::Miso, t.miso);
      break;
    }
    case Protocol::Can:
      if (frame.kind == FrameKind::Data || frame.kind == FrameKind::Remote)
        out.add(PayloadWay::Only, canData(frame));
      break;
  }
  return out;
}

}  // namespace bexto
