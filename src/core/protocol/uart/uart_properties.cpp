#include "core/protocol/uart/uart_properties.h"

#include <fmt/core.h>

#include "core/protocol/uart/uart_frame.h"
#include "core/protocol/uart/uart_settings.h"

namespace bexto {

namespace {

Property line()
{
  Property p;
  p.key = "line";
  p.sort = Property::Sort::Word;
  p.choices = {"rx", "tx"};
  p.of = [](const FrameContext& c) -> PropertyValue { return std::string(c.line); };
  p.said = [](const FrameContext& c) { return std::string(c.line); };
  p.hasColumn = false;  // the name of the bus says it
  return p;
}

Property value()
{
  Property p;
  p.key = "value";
  p.label = "value";
  p.sort = Property::Sort::Hex;
  p.phrase = "character";
  p.example = "value:0D,0A";
  p.help = "a UART character, in hex";
  p.of = [](const FrameContext& c) -> PropertyValue { return valueIf(uartHasValue(c.frame), c.frame.key); };
  p.said = [](const FrameContext& c) {
    const std::uint32_t key = c.frame.key;
    if (!uartHasValue(c.frame))
      return std::string();
    return fmt::format("{:#04x}{}", key, key >= 0x20 && key < 0x7f ? fmt::format(" '{:c}'", key) : "");
  };
  p.bits = [](const FrameContext& c) { return uartSettings(c.bus).bits; };
  p.isKey = [](const FrameChunk& chunk, std::size_t i) { return (chunk.flags[i] & kUartHasValue) != 0; };
  return p;
}

Property bits()
{
  Property p;
  p.key = "bits";
  p.label = "bits";
  p.phrase = "data bits";
  p.example = "bits:7";
  p.help = "data bits of a UART character";
  p.of = [](const FrameContext& c) -> PropertyValue {
    return valueIf(c.frame.kind == kUartCharacter, uartSettings(c.bus).bits);
  };
  return p;
}

}  // namespace

std::vector<Property> uartProperties()
{
  return {line(), value(), bits()};
}

}  // namespace bexto
