// Tested by tests/core/query_scan_test.cpp and tests/core/samples_test.cpp.
#include "core/protocol/spi/spi_properties.h"

#include "core/protocol/spi/spi_frame.h"
#include "core/protocol/spi/spi_settings.h"

namespace bexto {

namespace {

std::string saidBytes(const char* name, std::span<const std::uint8_t> bytes)
{
  return std::string(name) + " " + (bytes.empty() ? "–" : hexOf(bytes));
}

Property mosi()
{
  Property p;
  p.key = "mosi";
  p.label = "MOSI";
  p.sort = Property::Sort::Bytes;
  p.phrase = "MOSI";
  p.example = "mosi:\"|9F\"";
  p.help = "bytes that the SPI controller sends, written as for data";
  p.of = [](const FrameContext& c) -> PropertyValue {
    const SpiTransfer t = spiTransfer(c.bus, c.frame);
    return valueIf(t.hasMosi, t.mosi);
  };
  p.said = [](const FrameContext& c) {
    const SpiTransfer t = spiTransfer(c.bus, c.frame);
    return t.hasMosi ? saidBytes("mosi", t.mosi) : std::string();
  };
  return p;
}

Property miso()
{
  Property p;
  p.key = "miso";
  p.label = "MISO";
  p.sort = Property::Sort::Bytes;
  p.phrase = "MISO";
  p.example = "miso:\"00|\"";
  p.help = "bytes that the SPI peripheral sends, written as for data";
  p.of = [](const FrameContext& c) -> PropertyValue {
    const SpiTransfer t = spiTransfer(c.bus, c.frame);
    return valueIf(t.hasMiso, t.miso);
  };
  p.said = [](const FrameContext& c) {
    const SpiTransfer t = spiTransfer(c.bus, c.frame);
    return t.hasMiso ? saidBytes("miso", t.miso) : std::string();
  };
  return p;
}

Property wordBits()
{
  Property p;
  p.key = "word_bits";
  p.label = "word bits";
  p.phrase = "word bits";
  p.example = "word_bits:16";
  p.help = "bits of an SPI word";
  p.of = [](const FrameContext& c) -> PropertyValue { return std::int64_t{spiSettings(c.bus).bits}; };
  return p;
}

Property words()
{
  Property p;
  p.key = "words";
  p.label = "words";
  p.phrase = "words";
  p.example = "words>4";
  p.help = "whole words of an SPI transfer";
  p.of = [](const FrameContext& c) -> PropertyValue { return std::int64_t{c.frame.key}; };
  p.isKey = [](const FrameChunk&, std::size_t) { return true; };
  return p;
}

}  // namespace

std::vector<Property> spiProperties()
{
  return {mosi(), miso(), wordBits(), words()};
}

}  // namespace bexto
