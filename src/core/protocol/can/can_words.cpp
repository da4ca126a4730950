#include "core/protocol/can/can_words.h"

#include <fmt/core.h>

#include "core/base/say.h"
#include "core/base/time_text.h"
#include "core/protocol/can/can_frame.h"
#include "core/protocol/can/can_frame_reader.h"
#include "core/protocol/can/can_record.h"

namespace bexto {

namespace {

std::string idText(const CanFrame& can, ValueFormat format)
{
  return addressText(can.id, can.extended ? 29 : 11, format);
}

/// "FD BRS", "remote": what kind of frame it is, as its control bits say.
std::string kindText(const Frame& frame, const CanFrame& can)
{
  if (frame.kind == kCanRemote)
    return say("remote") + " ";
  // Of all others the format is known, or they say what cut them.
  if (!can.hasFormat && (frame.flags & can::kRecorded) != 0 && frame.errors == 0)
    return say("CAN XL, not read") + " ";
  std::string text;
  if (can.hasFormat && can.fd)
    text += "FD ";
  if (can.brs)
    text += "BRS ";
  if (can.esi)
    text += "ESI ";
  return text;
}

/// The lines that a data or remote frame opens to, as far as it was read.
enum class Line : std::uint8_t { Identifier, Format, Length, Data, Crc, Ack };

struct Place {
  Line line = Line::Identifier;
  std::size_t number = 0;  ///< of a data byte
};

std::vector<Place> linesOf(const CanFrame& can)
{
  std::vector<Place> lines{{Line::Identifier, 0}};
  if (can.hasFormat)
    lines.push_back({Line::Format, 0});
  if (can.hasDlc)
    lines.push_back({Line::Length, 0});
  for (std::size_t i = 0; i < can.data.size(); ++i)
    lines.push_back({Line::Data, i});
  if (can.hasCrc)
    lines.push_back({Line::Crc, 0});
  if (can.hasAck)
    lines.push_back({Line::Ack, 0});
  return lines;
}

void describe(const Bus& bus, const Frame& frame, const CanFrame& can, Place place, Detail& d)
{
  switch (place.line) {
    case Line::Identifier:
      d.role = Role::Address;
      d.name = say("identifier");
      d.value = can.hasId ? idText(can, bus.format) : "–";
      d.meaning = !can.hasId ? say("cut before it was whole") : can.extended ? say("29 bits") : say("11 bits");
      return;
    case Line::Format:
      d.role = Role::Control;
      d.name = say("format");
      d.value = can.fd ? "FD" : "classic";
      d.meaning = frame.kind == kCanRemote ? say("asks for data") : can.brs ? say("rate switched") : "";
      if (can.esi)
        d.meaning += std::string(d.meaning.empty() ? "" : ", ") + say("sender error passive");
      return;
    case Line::Length:
      d.role = Role::Length;
      d.name = "DLC";
      d.value = fmt::format("{}", can.dlc);
      d.meaning = counted(canDataLength(can.dlc, can.fd), kBytes);
      return;
    case Line::Data:
      d.role = Role::Data;
      d.name = say("byte {}", place.number);
      d.value = loneValueText(can.data[place.number], 8, bus.format);
      d.field = place.number;
      return;
    case Line::Crc:
      d.role = Role::Check;
      d.name = "CRC";
      d.value = addressText(can.crc, can.fd ? (can.data.size() > 16 ? 21 : 17) : 15, bus.format);
      d.wrong = hasError(frame.errors, CanError::Crc) || hasError(frame.errors, CanError::StuffCount);
      d.meaning = hasError(frame.errors, CanError::Crc)          ? say("wrong")
                  : hasError(frame.errors, CanError::StuffCount) ? say("right, stuff count wrong")
                                                                 : say("right");
      return;
    case Line::Ack:
      d.role = Role::Acknowledge;
      d.name = "ACK";
      d.value = can.ack ? "✓" : "✗";
      d.meaning = can.ack ? say("acknowledged") : say("not acknowledged");
      d.wrong = !can.ack;
      return;
  }
}

}  // namespace

Sentence canSentence(const Bus& bus, const Frame& frame, std::size_t most)
{
  SentenceWriter out;
  if (!canHasHeader(frame)) {
    const bool error = frame.kind == kCanError;
    out.add(error ? Tone::Fault : Tone::Plain, error ? say("error frame") : say("overload frame"));
    return out.takeWithFaults(isCanReport(frame) ? canReportText(frame) : faultText(bus, frame));
  }
  const CanFrame can = canFrame(frame);
  if (!can.hasId)
    out.add(Tone::Plain, say("no identifier"));
  else
    out.add(Tone::Address, idText(can, bus.format) + " ");
  out.add(Tone::Plain, kindText(frame, can));
  if (can.hasDlc)
    out.add(Tone::Plain, fmt::format("[{}]  ", canDataLength(can.dlc, can.fd)));
  if (!can.data.empty())
    out.add(Tone::Payload, rowOfBytes(can.data, bus.format, most));
  if (can.hasAck && can.ack)
    out.add(Tone::Plain, can.data.empty() ? "✓" : " ✓");
  FaultList faults;
  faults.addAllBut(errorBit(CanError::Ack), bus, frame);
  // That nobody answers is said where the answer would be.
  if (can.hasAck && !can.ack)
    out.add(Tone::Fault, (can.data.empty() ? "✗ " : " ✗ ") + say("not acknowledged"));
  return out.takeWithFaults(faults.text());
}

std::uint64_t canDetailCount(const Frame& frame)
{
  if (!canHasHeader(frame))
    return 1;
  return linesOf(canFrame(frame)).size();
}

Detail canDetail(const Bus& bus, const Frame& frame, std::uint64_t index)
{
  Detail d;
  if (!canHasHeader(frame)) {
    d.role = Role::Flag;
    d.name = frame.kind == kCanError ? say("error flag") : say("overload flag");
    d.value = lengthText(frame.time.length(), 3);
    d.meaning = frame.errors != 0 ? faultText(bus, frame) : say("with its delimiter");
    d.wrong = frame.kind == kCanError;
    if (isCanReport(frame)) {
      d.name = say("report of the controller");
      d.value.clear();
      d.meaning = canReportText(frame);
    }
    return d;
  }
  const CanFrame can = canFrame(frame);
  const std::vector<Place> lines = linesOf(can);
  const auto i = static_cast<std::size_t>(index);
  describe(bus, frame, can, lines[i], d);
  const bool cut = hasError(frame.errors, CanError::Stuff) || hasError(frame.errors, CanError::Form) ||
                   hasError(frame.errors, CanError::Incomplete);
  if (cut && i + 1 == lines.size()) {
    FaultList faults;
    faults.addAllBut(errorBit(CanError::Ack), bus, frame);
    d.meaning = andThen(d.meaning, faults.text());
    d.wrong = true;
  }
  return d;
}

std::string canFaultText(const Frame& frame)
{
  if (isCanReport(frame))
    return canReportText(frame);
  FaultList faults;
  if (hasError(frame.errors, CanError::Stuff))
    faults.add(say("six equal bits"));
  if (hasError(frame.errors, CanError::Form))
    faults.add(say("a fixed bit is wrong"));
  if (hasError(frame.errors, CanError::Crc))
    faults.add(say("CRC is wrong"));
  if (hasError(frame.errors, CanError::StuffCount))
    faults.add(say("stuff count is wrong"));
  if (hasError(frame.errors, CanError::Ack))
    faults.add(say("not acknowledged"));
  if (hasError(frame.errors, CanError::Incomplete))
    faults.add((frame.flags & can::kRecorded) != 0 ? say("cut in the recording") : say("cut by the capture's end"));
  return faults.text();
}

}  // namespace bexto
