// Tested by tests/core/query_scan_test.cpp and tests/core/samples_test.cpp.
#include "core/protocol/i2c/i2c_properties.h"

#include <fmt/core.h>

#include "core/protocol/i2c/i2c_frame.h"

namespace bexto {

namespace {

std::string acksOf(const I2cTransfer& transfer)
{
  std::string acks;
  for (std::size_t i = 0; i < transfer.data.size(); ++i)
    acks += transfer.ackOf(i) ? '1' : '0';
  return acks;
}

const char* endName(I2cEnd end)
{
  switch (end) {
    case I2cEnd::Stop:
      return "stop";
    case I2cEnd::Restart:
      return "restart";
    case I2cEnd::None:
      return "none";
  }
  return "";
}

/// Nobody answered: to the address, or to a written byte. A reader ends with a byte that it does not acknowledge; that
/// is no refusal.
bool hasNack(const I2cTransfer& t)
{
  if (!t.hasAddress)
    return false;
  if (!t.addressAck)
    return true;
  for (std::size_t i = 0; !t.read && i < t.data.size(); ++i) {
    if (!t.ackOf(i))
      return true;
  }
  return false;
}

bool hasAddress(const Frame& frame)
{
  return (frame.flags & i2c::kHasAddress) != 0;
}

Property address()
{
  Property p;
  p.key = "address";
  p.sort = Property::Sort::Hex;
  p.phrase = "address";
  p.example = "address:2A,52";
  p.help = "I2C address, in hex";
  p.of = [](const FrameContext& c) -> PropertyValue { return valueIf(hasAddress(c.frame), c.frame.key); };
  p.said = [](const FrameContext& c) {
    return hasAddress(c.frame) ? fmt::format("{:#04x}", c.frame.key) : std::string();
  };
  p.bits = [](const FrameContext& c) { return (c.frame.flags & i2c::kTenBit) != 0 ? 10 : 7; };
  p.isKey = [](const FrameChunk& chunk, std::size_t i) { return (chunk.flags[i] & i2c::kHasAddress) != 0; };
  p.isName = true;
  p.hasColumn = false;
  return p;
}

Property addressBits()
{
  Property p;
  p.key = "address_bits";
  p.label = "address bits";
  p.phrase = "address bits";
  p.example = "address_bits:10";
  p.help = "7 or 10, of an I2C address";
  p.of = [](const FrameContext& c) -> PropertyValue {
    return valueIf(hasAddress(c.frame), i2cTransfer(c.frame).tenBit ? 10 : 7);
  };
  return p;
}

Property direction()
{
  Property p;
  p.key = "direction";
  p.label = "direction";
  p.sort = Property::Sort::Word;
  p.choices = {"read", "write"};
  p.phrase = "direction";
  p.example = "direction:read";
  p.help = "read or write, of an I2C transfer";
  p.of = [](const FrameContext& c) -> PropertyValue {
    return valueIf(hasAddress(c.frame), std::string(i2cTransfer(c.frame).read ? "read" : "write"));
  };
  p.said = [](const FrameContext& c) {
    return !hasAddress(c.frame) ? "" : std::string(i2cTransfer(c.frame).read ? "read" : "write");
  };
  return p;
}

Property addressAck()
{
  Property p;
  p.key = "address_ack";
  p.label = "address acked";
  p.sort = Property::Sort::Flag;
  p.phrase = "address acknowledged";
  p.example = "address_ack:no";
  p.help = "yes or no: whether an I2C address was acknowledged";
  p.of = [](const FrameContext& c) -> PropertyValue {
    return valueIf(hasAddress(c.frame), i2cTransfer(c.frame).addressAck);
  };
  p.said = [](const FrameContext& c) {
    return !hasAddress(c.frame) ? "" : std::string(i2cTransfer(c.frame).addressAck ? "ack" : "no-ack");
  };
  return p;
}

Property data()
{
  Property p;
  p.key = "data";
  p.sort = Property::Sort::Bytes;
  p.of = [](const FrameContext& c) -> PropertyValue { return valueIf(hasAddress(c.frame), i2cTransfer(c.frame).data); };
  p.said = [](const FrameContext& c) {
    if (!hasAddress(c.frame))
      return std::string();
    const std::string hex = hexOf(i2cTransfer(c.frame).data);
    return hex.empty() ? "–" : hex;
  };
  p.hasColumn = false;  // the payload column says it
  return p;
}

Property acks()
{
  Property p;
  p.key = "acks";
  p.label = "acks";
  p.sort = Property::Sort::Text;
  p.phrase = "acknowledges";
  p.example = "acks:*0";
  p.help = "a 1 or 0 for each data byte of an I2C transfer; * is any number of them, ? any one";
  p.of = [](const FrameContext& c) -> PropertyValue {
    return valueIf(hasAddress(c.frame), acksOf(i2cTransfer(c.frame)));
  };
  return p;
}

Property end()
{
  Property p;
  p.key = "end";
  p.label = "end";
  p.sort = Property::Sort::Word;
  p.choices = {"stop", "restart", "none"};
  p.phrase = "end by";
  p.example = "end:restart";
  p.help = "how an I2C transfer ended: stop, restart or none";
  p.of = [](const FrameContext& c) -> PropertyValue { return std::string(endName(i2cTransfer(c.frame).end)); };
  p.said = [](const FrameContext& c) { return std::string(endName(i2cTransfer(c.frame).end)); };
  return p;
}

}  // namespace

std::vector<Property> i2cProperties()
{
  return {address(), addressBits(), direction(), addressAck(), data(), acks(), end()};
}

std::vector<PropertyWord> i2cPropertyWords()
{
  return {
      {"read", "a read", [](const Bus&, const Frame& f) { return hasAddress(f) && (f.flags & i2c::kRead) != 0; }},
      {"write", "a write", [](const Bus&, const Frame& f) { return hasAddress(f) && (f.flags & i2c::kRead) == 0; }},
      {"nack", "no acknowledge", [](const Bus&, const Frame& f) { return hasNack(i2cTransfer(f)); }},
      {"ack", "an acknowledge",
       [](const Bus&, const Frame& f) { return hasAddress(f) && (f.flags & i2c::kAddressAck) != 0; }},
      {"extended", "a 10-bit address",
       [](const Bus&, const Frame& f) { return hasAddress(f) && (f.flags & i2c::kTenBit) != 0; }},
      {"standard", "a 7-bit address",
       [](const Bus&, const Frame& f) { return hasAddress(f) && (f.flags & i2c::kTenBit) == 0; }},
  };
}

}  // namespace bexto
