// Tested by tests/core/onewire_test.cpp.
#include "core/protocol/onewire/onewire_properties.h"

#include <fmt/core.h>

#include "core/protocol/onewire/onewire_frame.h"

namespace bexto {

namespace {

Property presence()
{
  Property p;
  p.key = "presence";
  p.label = "presence";
  p.sort = Property::Sort::Flag;
  p.phrase = "presence";
  p.example = "presence:no";
  p.help = "whether a 1-Wire device answered the reset";
  p.of = [](const FrameContext& c) -> PropertyValue { return oneWireTransaction(c.frame).presence; };
  return p;
}

Property command()
{
  Property p;
  p.key = "rom_command";
  p.label = "ROM command";
  p.sort = Property::Sort::Hex;
  p.phrase = "ROM command";
  p.example = "rom_command:F0";
  p.help = "what a 1-Wire controller says first, in hex";
  p.of = [](const FrameContext& c) -> PropertyValue {
    const OneWireTransaction t = oneWireTransaction(c.frame);
    return valueIf(t.command.has_value(), t.command.value_or(0));
  };
  p.said = [](const FrameContext& c) {
    const OneWireTransaction t = oneWireTransaction(c.frame);
    return t.command ? fmt::format("{:02X}", *t.command) : std::string();
  };
  p.isKey = [](const FrameChunk& chunk, std::size_t i) { return (chunk.flags[i] & onewire::kHasCommand) != 0; };
  return p;
}

Property rom()
{
  Property p;
  p.key = "rom";
  p.sort = Property::Sort::Bytes;
  p.phrase = "ROM";
  p.example = "rom:\"4E *\"";
  p.help = "the ROM of a 1-Wire device as sent, the family code first";
  p.of = [](const FrameContext& c) -> PropertyValue {
    const OneWireTransaction t = oneWireTransaction(c.frame);
    return valueIf(!t.rom.empty(), t.rom);
  };
  p.said = [](const FrameContext& c) { return hexOf(oneWireTransaction(c.frame).rom); };
  p.isName = true;
  p.hasColumn = false;
  return p;
}

Property data()
{
  Property p;
  p.key = "data";
  p.sort = Property::Sort::Bytes;
  p.of = [](const FrameContext& c) -> PropertyValue {
    const OneWireTransaction t = oneWireTransaction(c.frame);
    return valueIf(t.command.has_value(), t.data);
  };
  p.said = [](const FrameContext& c) { return hexOf(oneWireTransaction(c.frame).data); };
  p.hasColumn = false;  // the payload column says it
  return p;
}

Property bits()
{
  Property p;
  p.key = "bits";
  p.label = "bits";
  p.sort = Property::Sort::Decimal;
  p.phrase = "bits";
  p.example = "bits>0";
  p.help = "slots of a 1-Wire transaction behind its last whole byte; of a search that found nobody all";
  p.of = [](const FrameContext& c) -> PropertyValue { return std::int64_t{oneWireTransaction(c.frame).bits}; };
  return p;
}

}  // namespace

std::vector<Property> oneWireProperties()
{
  return {presence(), command(), rom(), data(), bits()};
}

}  // namespace bexto
