#include "core/protocol/spi/spi_frame.h"

#include "core/protocol/spi/spi_settings.h"

namespace bexto {

std::uint32_t SpiTransfer::word(std::size_t i, int line) const
{
  std::uint32_t value = 0;
  for (const std::uint8_t b : (line == 0 ? mosi : miso).subspan(i * bytesPerWord, bytesPerWord))
    value = value << 8U | b;
  return value;
}

SpiTransfer spiTransfer(const Bus& bus, const Frame& frame)
{
  SpiTransfer t;
  t.hasMosi = bus.has("mosi");
  t.hasMiso = bus.has("miso");
  t.words = frame.key;
  t.bytesPerWord = static_cast<std::size_t>(spiSettings(bus).bits + 7) / 8;
  const std::size_t bytes = t.words * t.bytesPerWord;
  if (t.hasMosi)
    t.mosi = frame.payload.first(bytes);
  if (t.hasMiso)
    t.miso = frame.payload.last(bytes);
  return t;
}

}  // namespace bexto
