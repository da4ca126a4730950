// Tested by tests/core/query_scan_test.cpp and tests/core/samples_test.cpp.
#include "core/protocol/can/can_properties.h"

#include <fmt/core.h>
#include <linux/can/error.h>

#include "core/protocol/can/can_frame.h"
#include "core/protocol/can/can_record.h"

namespace bexto {

namespace {

/// What a frame with a header says; of a flag, that nothing was read.
CanFrame read(const Frame& frame)
{
  return canHasHeader(frame) ? canFrame(frame) : CanFrame{};
}

// A bit of the frame and whether it was read: as a property, as its word in a line, and as a word of the filter
// language.

template <bool CanFrame::*kHas, bool CanFrame::*kBit>
PropertyValue bitOf(const FrameContext& c)
{
  const CanFrame can = read(c.frame);
  return valueIf(can.*kHas, can.*kBit);
}

template <bool CanFrame::*kHas, bool CanFrame::*kBit, bool kWanted = true>
bool isBit(const Bus& /*bus*/, const Frame& frame)
{
  const CanFrame can = read(frame);
  return can.*kHas && can.*kBit == kWanted;
}

Property id()
{
  Property p;
  p.key = "id";
  p.sort = Property::Sort::Hex;
  p.phrase = "identifier";
  p.example = "id:1A0..1AF";
  p.help = "CAN identifier, in hex";
  p.of = [](const FrameContext& c) -> PropertyValue {
    const CanHead head = canHead(c.frame);
    return valueIf(head.hasId, head.id);
  };
  p.said = [](const FrameContext& c) {
    const CanHead head = canHead(c.frame);
    return head.hasId ? fmt::format("{:0{}X}", head.id, head.extended ? 8 : 3) : std::string();
  };
  p.bits = [](const FrameContext& c) { return canHead(c.frame).extended ? 29 : 11; };
  p.isKey = [](const FrameChunk& chunk, std::size_t i) { return canHead(chunk.kind[i], chunk.flags[i], 0).hasId; };
  p.isName = true;
  p.hasColumn = false;
  return p;
}

Property extended()
{
  Property p;
  p.key = "extended";
  p.label = "extended";
  p.sort = Property::Sort::Flag;
  p.phrase = "extended identifier";
  p.example = "extended:yes";
  p.help = "yes or no: whether a CAN identifier has 29 bits";
  p.of = bitOf<&CanFrame::hasExtended, &CanFrame::extended>;
  // The digits of an identifier tell.
  p.said = [](const FrameContext& c) {
    const CanFrame can = read(c.frame);
    return std::string(can.hasExtended && can.extended && !can.hasId ? "extended" : "");
  };
  return p;
}

Property format()
{
  Property p;
  p.key = "format";
  p.label = "format";
  p.sort = Property::Sort::Word;
  p.choices = {"classic", "fd"};
  p.phrase = "format";
  p.example = "format:fd";
  p.help = "classic or fd, of a CAN frame";
  p.of = [](const FrameContext& c) -> PropertyValue {
    const CanFrame can = read(c.frame);
    return valueIf(can.hasFormat, std::string(can.fd ? "fd" : "classic"));
  };
  p.said = [](const FrameContext& c) {
    const CanFrame can = read(c.frame);
    return std::string(can.hasFormat && can.fd ? "fd" : "");
  };
  return p;
}

Property dlc()
{
  Property p;
  p.key = "dlc";
  p.label = "DLC";
  p.phrase = "DLC";
  p.example = "dlc:9..15";
  p.help = "the length code of a CAN frame";
  p.of = [](const FrameContext& c) -> PropertyValue {
    const CanFrame can = read(c.frame);
    return valueIf(can.hasDlc, can.dlc);
  };
  p.said = [](const FrameContext& c) {
    const CanFrame can = read(c.frame);
    return can.hasDlc ? fmt::format("[{}]", can.dlc) : std::string();
  };
  return p;
}

Property brs()
{
  Property p;
  p.key = "brs";
  p.label = "BRS";
  p.sort = Property::Sort::Flag;
  p.phrase = "switched rate";
  p.example = "brs:no";
  p.help = "yes or no: whether a CAN FD frame switches its rate";
  p.of = bitOf<&CanFrame::hasBrs, &CanFrame::brs>;
  p.said = [](const FrameContext& c) {
    const CanFrame can = read(c.frame);
    return std::string(can.hasBrs && can.brs ? "brs" : "");
  };
  return p;
}

Property esi()
{
  Property p;
  p.key = "esi";
  p.label = "ESI";
  p.sort = Property::Sort::Flag;
  p.phrase = "error-passive sender";
  p.example = "esi:yes";
  p.help = "yes or no: whether the sender of a CAN FD frame is error passive";
  p.of = bitOf<&CanFrame::hasEsi, &CanFrame::esi>;
  p.said = [](const FrameContext& c) {
    const CanFrame can = read(c.frame);
    return std::string(can.hasEsi && can.esi ? "esi" : "");
  };
  return p;
}

Property data()
{
  Property p;
  p.key = "data";
  p.sort = Property::Sort::Bytes;
  p.of = [](const FrameContext& c) -> PropertyValue {
    const CanFrame can = read(c.frame);
    return valueIf(can.hasDlc && c.frame.kind == kCanData, can.data);
  };
  p.said = [](const FrameContext& c) {
    const CanFrame can = read(c.frame);
    if (!can.hasDlc || c.frame.kind != kCanData)
      return std::string();
    const std::string hex = hexOf(can.data);
    return hex.empty() ? "–" : hex;
  };
  p.hasColumn = false;  // the payload column says it
  return p;
}

Property crc()
{
  Property p;
  p.key = "crc";
  p.label = "CRC";
  p.sort = Property::Sort::Hex;
  p.phrase = "CRC";
  p.example = "crc:1A2B";
  p.help = "the CRC that a CAN frame carries, in hex";
  p.of = [](const FrameContext& c) -> PropertyValue {
    const CanFrame can = read(c.frame);
    return valueIf(can.hasCrc, can.crc);
  };
  p.bits = [](const FrameContext& c) {
    const CanFrame can = read(c.frame);
    return !can.fd ? 15 : can.data.size() > 16 ? 21 : 17;
  };
  return p;
}

Property ack()
{
  Property p;
  p.key = "ack";
  p.label = "ACK";
  p.sort = Property::Sort::Flag;
  p.phrase = "acknowledged";
  p.example = "ack:no";
  p.help = "yes or no: whether somebody acknowledged a CAN frame";
  p.of = bitOf<&CanFrame::hasAck, &CanFrame::ack>;
  p.said = [](const FrameContext& c) {
    const CanFrame can = read(c.frame);
    return std::string(!can.hasAck ? "" : can.ack ? "ack" : "no-ack");
  };
  return p;
}

Property report()
{
  Property p;
  p.key = "report";
  p.sort = Property::Sort::Text;
  p.phrase = "report";
  p.example = "report:\"bus off\"";
  p.help = "what a CAN controller reported, in words; only of recorded frames";
  p.of = [](const FrameContext& c) -> PropertyValue { return valueIf(isCanReport(c.frame), canReportText(c.frame)); };
  p.said = [](const FrameContext& c) { return canReportText(c.frame); };
  p.hasColumn = false;  // the sentence says it
  p.inTables = false;
  return p;
}

template <std::uint32_t kClass>
bool reports(const Bus& /*bus*/, const Frame& frame)
{
  return hasCanReport(frame, kClass);
}

}  // namespace

std::vector<Property> canProperties()
{
  return {id(), extended(), format(), dlc(), brs(), esi(), data(), crc(), ack(), report()};
}

std::vector<PropertyWord> canPropertyWords()
{
  return {
      {"nack", "no acknowledge", isBit<&CanFrame::hasAck, &CanFrame::ack, false>},
      {"ack", "an acknowledge", isBit<&CanFrame::hasAck, &CanFrame::ack>},
      {"extended", "a 29-bit identifier", isBit<&CanFrame::hasExtended, &CanFrame::extended>},
      {"standard", "an 11-bit identifier", isBit<&CanFrame::hasExtended, &CanFrame::extended, false>},
      {"fd", "CAN FD format", isBit<&CanFrame::hasFormat, &CanFrame::fd>},
      {"classic", "classic CAN format", isBit<&CanFrame::hasFormat, &CanFrame::fd, false>},
      {"brs", "a switched rate", isBit<&CanFrame::hasBrs, &CanFrame::brs>},
      {"esi", "an error-passive sender", isBit<&CanFrame::hasEsi, &CanFrame::esi>},
      {"bus-off", "a controller that went off the bus", reports<CAN_ERR_BUSOFF>},
  };
}

}  // namespace bexto
