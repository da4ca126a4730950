#include "core/decode/payload.h"

#include "core/decode/can.h"
#include "core/decode/i2c.h"

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

PayloadReader::PayloadReader(const Bus& bus) : m_protocol(bus.protocol())
{
  if (const auto* spi = std::get_if<SpiSettings>(&bus.settings)) {
    m_mosi = !bus.channelOf("mosi").empty();
    m_miso = !bus.channelOf("miso").empty();
    m_bytesPerWord = static_cast<std::size_t>(spi->bits + 7) / 8;
  }
}

FramePayloads PayloadReader::of(const Frame& frame) const
{
  FramePayloads out;
  switch (m_protocol) {
    case Protocol::Uart:
      break;
    case Protocol::I2c:
      if (const I2cTransfer t = i2cTransfer(frame); t.hasAddress)
        out.add(t.read ? PayloadWay::Read : PayloadWay::Written, t.data);
      break;
    case Protocol::Spi: {
      // As spiTransfer() has it, without asking the bus again for each of millions of frames.
      const std::size_t bytes = frame.key * m_bytesPerWord;
      if (m_mosi)
        out.add(PayloadWay::Mosi, frame.payload.first(bytes));
      if (m_miso)
        out.add(PayloadWay::Miso, frame.payload.last(bytes));
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
