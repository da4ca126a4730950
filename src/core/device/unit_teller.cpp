// What a row and its frame say, in words. Written for what is looked at.
#include <fmt/core.h>

#include <algorithm>

#include "core/base/say.h"
#include "core/base/time_text.h"
#include "core/decode/protocol.h"
#include "core/decode/sentence.h"
#include "core/device/field_value.h"
#include "core/device/reading.h"
#include "core/device/transport.h"

namespace bexto {

namespace {

constexpr std::size_t kBytesTold = 16;

std::string addressText(const Sheet& sheet, std::uint32_t address)
{
  const std::uint64_t last = sheet.size != 0 ? sheet.size - 1 : 0xff;
  const int digits = last > 0xffffff ? 8 : last > 0xffff ? 6 : last > 0xff || address > 0xff ? 4 : 2;
  return fmt::format("0x{:0{}X}", address, digits);
}

std::string hexRow(std::span<const std::uint8_t> bytes)
{
  return rowOfBytes(bytes, ValueFormat::Hex, kBytesTold);
}

void shiftFrames(std::vector<ToldValue>& values, std::uint64_t frame, std::size_t firstByte, bool inward)
{
  for (ToldValue& v : values) {
    v.frame = frame;
    v.firstByte += static_cast<std::uint32_t>(firstByte);
    v.inward = inward;
  }
}

void take(std::vector<ToldValue>& all, std::vector<ToldValue> more)
{
  all.insert(all.end(), std::make_move_iterator(more.begin()), std::make_move_iterator(more.end()));
}

}  // namespace

UnitTeller::UnitTeller(const Reading& reading, const Bus& bus, const FrameIndex& frames)
    : m_reading(reading), m_frames(frames), m_talk(bus.protocol().talkReader(bus))
{
}

UnitTeller::~UnitTeller() = default;

const FrameChunk& UnitTeller::chunkOf(std::uint64_t number) const
{
  const auto& chunks = m_frames.chunks();
  const auto after = std::upper_bound(chunks.begin(), chunks.end(), number,
                                      [](std::uint64_t n, const auto& chunk) { return n < chunk->first; });
  return **(after - 1);
}

std::optional<Told> UnitTeller::told(std::uint64_t unit) const
{
  const UnitRow& row = m_reading.rows().at(unit);
  if (row.item == UnitRow::kNone || !m_talk)
    return std::nullopt;
  const BusDevices& devices = m_reading.devices();
  const BusDevices::Item& item = devices.item(row.item);
  const Sheet& sheet = devices.sheet(item.sheet);
  Told told;
  if (devices.style() == TalkStyle::Characters) {
    told = messageTold(unit, row,
                       messageBytes(*sheet.framing, *m_talk, m_frames, m_reading.framesOf(unit), isText(sheet)));
  } else {
    const Frame frame = frameAt(unit);
    const Talk talk = talkOf(row, frame);
    switch (item.kind) {
      case BusDevices::Item::Kind::Space:
        told = spaceTold(unit, row, talk);
        break;
      case BusDevices::Item::Kind::Command:
        told = commandTold(unit, row, talk);
        break;
      case BusDevices::Item::Kind::Message:
        told = messageTold(unit, row, talk.out);
        break;
      case BusDevices::Item::Kind::Part:
        told = partTold(unit, row, talk);
        break;
      case BusDevices::Item::Kind::Other: {
        const std::span<const std::uint8_t> bytes = talk.inward || talk.out.empty() ? talk.in : talk.out;
        if ((row.flags & UnitRow::kSilent) != 0)
          told.text = sheet.unanswered.empty() ? say("does not answer") : say("does not answer: {}", sheet.unanswered);
        else if (bytes.empty())
          told.text = say("is there");
        else if (devices.style() == TalkStyle::Named)
          told.text = say("message {}", hexRow(bytes));
        else
          told.text = talk.inward ? say("read {}", hexRow(bytes)) : say("write {}", hexRow(bytes));
        break;
      }
    }
  }
  if (told.device.empty())
    told.device = sheet.device;
  told.frames = m_reading.framesOf(unit);
  addFaults(told, row);
  return told;
}

Told UnitTeller::spaceTold(std::uint64_t unit, const UnitRow& row, const Talk& talk) const
{
  const BusDevices& devices = m_reading.devices();
  const std::size_t number = devices.item(row.item).sheet;
  const Sheet& sheet = devices.sheet(number);
  const bool writes = !talk.inward;
  const std::size_t lead = writes ? sheet.pointerBytes : 0;
  const std::span<const std::uint8_t> bytes = (talk.inward ? talk.in : talk.out).subspan(lead);
  Told told;
  told.isRegister = true;
  if ((row.flags & UnitRow::kLost) != 0) {
    told.text = say("read {}, from where it was before the capture", hexRow(bytes));
    return told;
  }
  if ((row.flags & UnitRow::kPoints) != 0) {
    const auto touched = devices.registersIn(number, row.address, 1, false);
    if (!touched.empty())
      told.subject = sheet.registers[touched.front().number].name;
    told.text = say("goes to {}", touched.empty() || touched.front().offset != 0 ? addressText(sheet, row.address)
                                                                                 : shownName(told.subject));
    return told;
  }
  const std::vector<BusDevices::Touched> touched = devices.registersIn(number, row.address, bytes.size(), writes);
  if (touched.empty()) {
    const std::string place = addressText(sheet, row.address);
    told.text = bytes.empty() ? (writes ? say("write nothing to {}", place) : say("read nothing at {}", place))
                : writes      ? say("write to {}: {}", place, hexRow(bytes))
                              : say("read at {}: {}", place, hexRow(bytes));
    return told;
  }
  // Sentences for several come first; what they leave each by itself.
  std::vector<char> said(touched.size(), 0);
  std::vector<std::vector<ToldValue>> values(touched.size());
  for (std::size_t i = 0; i < touched.size(); ++i) {
    const SheetRegister& r = sheet.registers[touched[i].number];
    if (!touched[i].whole)
      continue;
    const std::span<const std::uint8_t> own = bytes.subspan(static_cast<std::size_t>(touched[i].offset), r.bytes);
    values[i] = valuesOf(r.fields, {own, own});
    shiftFrames(values[i], unit, lead + static_cast<std::size_t>(touched[i].offset), talk.inward);
  }
  std::vector<std::string> parts;
  for (const SheetSentence& sentence : sheet.sentences) {
    std::vector<std::size_t> places;
    for (const std::size_t of : sentence.of) {
      for (std::size_t i = 0; i < touched.size(); ++i) {
        if (touched[i].number == of && touched[i].whole && said[i] == 0)
          places.push_back(i);
      }
    }
    if (places.empty() || places.size() != sentence.of.size())
      continue;
    std::vector<ToldValue> all;
    for (const std::size_t i : places) {
      said[i] = 1;
      take(all, values[i]);
    }
    parts.push_back(filledIn(sentence.text, all));
  }
  for (std::size_t i = 0; i < touched.size(); ++i) {
    const SheetRegister& r = sheet.registers[touched[i].number];
    if (said[i] != 0)
      continue;
    if (!touched[i].whole) {
      const auto from = static_cast<std::size_t>(std::max<std::int64_t>(touched[i].offset, 0));
      const auto end = std::min<std::size_t>(bytes.size(), static_cast<std::size_t>(touched[i].offset + r.bytes));
      parts.push_back(say("{} in part: {}", shownName(r.name), hexRow(bytes.subspan(from, end - from))));
    } else if (!r.text.empty()) {
      parts.push_back(filledIn(r.text, values[i]));
    } else {
      const std::string text = sentenceOf(values[i]);
      const bool single = values[i].size() == 1 && values[i].front().name == r.name;
      parts.push_back(single ? text : say("{}: {}", shownName(r.name), text));
    }
  }
  for (std::size_t i = 0; i < touched.size(); ++i) {
    if (touched[i].whole && told.subject.empty())
      told.subject = sheet.registers[touched[i].number].name;
    take(told.values, std::move(values[i]));
  }
  if (told.subject.empty())
    told.subject = sheet.registers[touched.front().number].name;
  // Bytes outside of all registers, in front and behind.
  const std::int64_t first = touched.front().offset;
  if (first > 0)
    parts.insert(parts.begin(),
                 say("{} = {}", addressText(sheet, row.address), hexRow(bytes.first(static_cast<std::size_t>(first)))));
  const std::int64_t end = touched.back().offset + sheet.registers[touched.back().number].bytes;
  if (end > 0 && end < static_cast<std::int64_t>(bytes.size()))
    parts.push_back(say("{} = {}", addressText(sheet, row.address + static_cast<std::uint32_t>(end) / sheet.unit),
                        hexRow(bytes.subspan(static_cast<std::size_t>(end)))));
  std::string text;
  for (const std::string& part : parts)
    text += (text.empty() ? "" : ", ") + part;
  told.text = writes ? say("set {}", text) : text;
  return told;
}

Told UnitTeller::commandTold(std::uint64_t unit, const UnitRow& row, const Talk& talk) const
{
  const BusDevices& devices = m_reading.devices();
  const BusDevices::Item& item = devices.item(row.item);
  const Sheet& sheet = devices.sheet(item.sheet);
  const SheetCommand& command = sheet.commands[item.number];
  Told told;
  told.subject = command.name;
  told.values = valuesOf(command.fields, {talk.out, talk.in});
  for (ToldValue& v : told.values)
    v.frame = unit;
  const auto moved = [&](std::uint16_t way, const std::optional<std::uint32_t>& from,
                         std::span<const std::uint8_t> bytes) {
    const std::size_t first = devices.style() == TalkStyle::Addressed && way == UnitRow::kReads ? 0 : from.value_or(0);
    return (row.flags & way) != 0 && bytes.size() > first ? bytes.subspan(first) : std::span<const std::uint8_t>();
  };
  const std::span<const std::uint8_t> in = moved(UnitRow::kReads, command.reads, talk.in);
  const std::span<const std::uint8_t> out = moved(UnitRow::kWrites, command.writes, talk.out);
  const std::span<const std::uint8_t> data = in.empty() ? out : in;
  if (!command.text.empty()) {
    told.text = filledIn(command.text, told.values);
  } else {
    told.text = shownName(command.name);
    const bool single = told.values.size() == 1 && told.values.front().name == command.name;
    const std::string values = sentenceOf(told.values);
    if (single)
      told.text = values;
    else if (!values.empty())
      told.text = say("{}: {}", told.text, values);
  }
  if (!command.reads && !command.writes)
    return told;
  if ((row.flags & UnitRow::kLost) == 0 && command.address)
    told.text = say("{} at {}", told.text, addressText(sheet, row.address));
  const std::vector<BusDevices::Touched> touched =
      sheet.registers.empty() || data.empty() ? std::vector<BusDevices::Touched>()
                                              : devices.registersIn(item.sheet, row.address, data.size(), in.empty());
  std::string registers;
  for (const BusDevices::Touched& t : touched) {
    if (!t.whole)
      continue;
    const SheetRegister& r = sheet.registers[t.number];
    const std::span<const std::uint8_t> own = data.subspan(static_cast<std::size_t>(t.offset), r.bytes);
    std::vector<ToldValue> values = valuesOf(r.fields, {own, own});
    const bool single = values.size() == 1 && values.front().name == r.name;
    const std::string text = r.text.empty() ? sentenceOf(values) : filledIn(r.text, values);
    registers +=
        (registers.empty() ? "" : ", ") + (single || !r.text.empty() ? text : say("{}: {}", shownName(r.name), text));
    shiftFrames(values, unit,
                static_cast<std::size_t>(data.data() - (in.empty() ? talk.out : talk.in).data()) +
                    static_cast<std::size_t>(t.offset),
                !in.empty());
    take(told.values, std::move(values));
    if (!told.isRegister)
      told.subject = r.name;
    told.isRegister = true;
  }
  if (!registers.empty())
    told.text = in.empty() ? say("set {}", registers) : registers;
  else if (!data.empty())
    told.text = say("{}: {}", told.text, hexRow(data));
  return told;
}

Told UnitTeller::messageTold(std::uint64_t unit, const UnitRow& row, std::span<const std::uint8_t> bytes) const
{
  const BusDevices& devices = m_reading.devices();
  const BusDevices::Item& item = devices.item(row.item);
  const Sheet& sheet = devices.sheet(item.sheet);
  Told told;
  told.device = sheet.device;
  const bool characters = devices.style() == TalkStyle::Characters;
  const bool text = characters && isText(sheet);
  if (sheet.station) {
    if (const auto station = bitsAt(*sheet.station, bytes)) {
      SheetField named;
      named.words = sheet.stations;
      const std::string* const word = named.wordOf(static_cast<std::int64_t>(*station));
      told.device += word != nullptr ? " " + *word : fmt::format(" {:02X}", *station);
    }
  }
  if (item.kind != BusDevices::Item::Kind::Message) {
    const std::string line(bytes.begin(), bytes.end());
    told.text = text ? line : say("message {}", hexRow(bytes));
    if ((row.flags & UnitRow::kSilent) != 0)
      told.text = say("does not answer");
    return told;
  }
  const SheetMessage& message = sheet.messages[item.number];
  told.subject = message.name;
  if (!message.from.empty())
    told.device = message.from;
  if ((row.flags & UnitRow::kSilent) != 0) {
    told.text = say("{}: no answer", shownName(message.name));
    return told;
  }
  const std::uint64_t first = m_reading.framesOf(unit).first;
  if (!message.line_of_text.empty())
    matchLine(message.line_of_text, {reinterpret_cast<const char*>(bytes.data()), bytes.size()}, message.fields,
              &told.values);
  else
    told.values = valuesOf(message.fields, {bytes, bytes});
  for (ToldValue& v : told.values) {
    // Where characters are escaped this is a little early; without, it is the very character.
    v.frame = characters ? std::min(first + v.firstByte, m_reading.framesOf(unit).end - 1) : first;
    v.firstByte = characters ? 0 : v.firstByte;
  }
  if (!message.text.empty()) {
    told.text = filledIn(message.text, told.values);
  } else if (!message.line_of_text.empty()) {
    told.text = std::string(bytes.begin(), bytes.end());
  } else {
    const bool single = told.values.size() == 1 && told.values.front().name == message.name;
    const std::string values = sentenceOf(told.values);
    told.text = single           ? values
                : values.empty() ? shownName(message.name)
                                 : say("{}: {}", shownName(message.name), values);
  }
  if ((row.flags & UnitRow::kUncertain) != 0)
    told.text = say("{} (not certain)", told.text);
  return told;
}

std::string UnitTeller::brokenText(std::uint64_t whole) const
{
  switch (m_reading.wholes()->stateOf(whole)) {
    case Wholes::State::Interrupted:
      return say("another message began before its last part");
    case Wholes::State::OutOfOrder:
      return say("a part is missing");
    case Wholes::State::TimedOut:
      return say("its last part never came");
    case Wholes::State::Refused:
      return say("the receiver has no room for it");
    case Wholes::State::TooLong:
      return say("it is too long to be kept");
    case Wholes::State::Whole:
      break;
  }
  return {};
}

/// Part of a message, which says how it goes on; or a whole one that no message of the sheet is like.
Told UnitTeller::partTold(std::uint64_t unit, const UnitRow& row, const Talk& talk) const
{
  const BusDevices::Item& item = m_reading.devices().item(row.item);
  const Sheet& sheet = m_reading.devices().sheet(item.sheet);
  const SheetTransport& transport = sheet.transports[item.number];
  const std::string name = shownName(transport.name);
  Told told;
  told.device = transport.from.empty() ? sheet.device : transport.from;
  told.subject = transport.name;
  if (m_reading.isOfWholes()) {
    told.text = say("{} of {} bytes: {}", name, m_reading.wholes()->lengthOf(unit), hexRow(talk.out));
    return told;
  }
  const TransportPart part = transportPart(talk.out, transport.extended);
  const std::span<const std::uint8_t> data = talk.out.subspan(std::min(part.data, talk.out.size()));
  switch (part.kind) {
    case TransportPart::Kind::Single:
      told.text = say("{}, all of it: {}", name, hexRow(data.first(std::min<std::size_t>(part.length, data.size()))));
      break;
    case TransportPart::Kind::First:
      told.text = say("{}, first part of {} bytes: {}", name, part.length, hexRow(data));
      break;
    case TransportPart::Kind::Next:
      told.text = say("{}, part {}: {}", name, unsigned{part.number}, hexRow(data));
      break;
    case TransportPart::Kind::Flow: {
      // It is said to who sends under another identifier.
      const auto sender = std::find_if(sheet.transports.begin(), sheet.transports.end(),
                                       [&](const SheetTransport& t) { return t.flow == talk.name; });
      const std::string to = sender == sheet.transports.end() ? name : shownName(sender->name);
      const std::string apart = lengthText(apartOf(part.apart), 3);
      told.text = part.number == 1  ? say("{}: wait", to)
                  : part.number > 1 ? say("{}: too long, stop", to)
                  : part.block == 0 ? say("{}: go on, {} apart", to, apart)
                                    : say("{}: go on, {} at a time, {} apart", to, unsigned{part.block}, apart);
      break;
    }
    case TransportPart::Kind::None:
      told.text = say("{}: {}", name, hexRow(talk.out));
      break;
  }
  return told;
}

/// What cannot be, in words. The row says that there is something; what it is, its values do.
void UnitTeller::addFaults(Told& told, const UnitRow& row) const
{
  if (!row.isFaulty())
    return;
  const BusDevices& devices = m_reading.devices();
  const BusDevices::Item& item = devices.item(row.item);
  const Sheet& sheet = devices.sheet(item.sheet);
  told.wrongSum = (row.flags & UnitRow::kChecksum) != 0;
  if (told.wrongSum)
    told.faults.push_back((row.flags & UnitRow::kHasPec) != 0 ? say("packet error code is wrong")
                                                              : say("checksum is wrong"));
  if ((row.flags & UnitRow::kBroken) != 0)
    told.faults.push_back(brokenText(told.frames.first));
  if ((row.flags & UnitRow::kUnknown) != 0)
    told.faults.push_back(devices.style() == TalkStyle::Characters || devices.style() == TalkStyle::Named
                              ? say("no message of {}", told.device)
                              : say("no command of {}", told.device));
  if ((row.flags & UnitRow::kReadOnly) != 0) {
    for (const SheetRegister& r : sheet.registers) {
      if (r.name == told.subject && !r.writable)
        told.faults.push_back(say("{} is only for reading", shownName(r.name)));
    }
    if (told.faults.empty())
      told.faults.push_back(say("a register that is only for reading"));
  }
  if ((row.flags & UnitRow::kUndefined) != 0)
    told.faults.push_back(say("a bit is set that means nothing"));
  if ((row.flags & UnitRow::kReserved) != 0) {
    for (const ToldValue& v : told.values) {
      if (!v.wrong.empty())
        told.faults.push_back(say("{} is {}", shownName(v.name), v.wrong));
    }
  }
  if ((row.flags & UnitRow::kShort) != 0)
    told.faults.push_back(say("too short"));
  if ((row.flags & UnitRow::kCounter) != 0) {
    const auto& fields = sheet.messages[item.number].fields;
    const auto counter = std::find_if(fields.begin(), fields.end(), [](const SheetField& f) { return f.counts; });
    told.faults.push_back(say("{} jumps", counter == fields.end() ? std::string() : shownName(counter->name)));
  }
}

Talk UnitTeller::talkOf(const UnitRow& row, const Frame& frame) const
{
  Talk talk = m_talk->of(frame);
  if ((row.flags & UnitRow::kHasPec) != 0) {
    std::span<const std::uint8_t>& bytes = talk.inward ? talk.in : talk.out;
    bytes = bytes.first(bytes.size() - 1);
  }
  return talk;
}

std::span<const std::uint8_t> UnitTeller::moved(const UnitRow& row, const Talk& talk, bool& writes) const
{
  const BusDevices& devices = m_reading.devices();
  const BusDevices::Item& item = devices.item(row.item);
  const Sheet& sheet = devices.sheet(item.sheet);
  if (item.kind == BusDevices::Item::Kind::Space) {
    writes = !talk.inward;
    return writes ? talk.out.subspan(std::min<std::size_t>(sheet.pointerBytes, talk.out.size())) : talk.in;
  }
  const SheetCommand& command = sheet.commands[item.number];
  writes = (row.flags & UnitRow::kReads) == 0;
  const std::span<const std::uint8_t> all = writes ? talk.out : talk.in;
  const bool fromBegin = devices.style() == TalkStyle::Addressed && !writes;
  const std::size_t first = fromBegin ? 0 : (writes ? command.writes : command.reads).value_or(0);
  return all.subspan(std::min(first, all.size()));
}

std::uint64_t UnitTeller::stationOf(std::uint64_t unit) const
{
  const BusDevices& devices = m_reading.devices();
  const BusDevices::Item& item = devices.item(m_reading.rows().at(unit).item);
  const Sheet& sheet = devices.sheet(item.sheet);
  if (devices.style() == TalkStyle::Characters) {
    if (!sheet.station)
      return 0;
    return bitsAt(*sheet.station,
                  messageBytes(*sheet.framing, *m_talk, m_frames, m_reading.framesOf(unit), isText(sheet)))
        .value_or(0);
  }
  // Of several identifiers that a message has, the request's first belongs to the answer's first, and so on.
  if (item.kind != BusDevices::Item::Kind::Message)
    return 0;
  const std::vector<std::uint32_t>& ids = sheet.messages[item.number].ids;
  const auto found = std::find(ids.begin(), ids.end(), talkAt(unit).name);
  return static_cast<std::uint64_t>(found - ids.begin()) % std::max<std::uint64_t>(ids.size(), 1);
}

std::vector<std::uint8_t> UnitTeller::movedCopy(std::uint64_t unit) const
{
  const UnitRow& row = m_reading.rows().at(unit);
  const Frame frame = frameAt(unit);
  bool writes = false;
  const std::span<const std::uint8_t> bytes = moved(row, talkOf(row, frame), writes);
  return {bytes.begin(), bytes.end()};
}

std::size_t UnitTeller::movedBytes(std::uint64_t unit) const
{
  const UnitRow& row = m_reading.rows().at(unit);
  const Frame frame = frameAt(unit);
  bool writes = false;
  return moved(row, talkOf(row, frame), writes).size();
}

std::optional<double> UnitTeller::number(std::uint64_t unit, const SheetField& field, const SheetRegister* reg,
                                         std::vector<std::uint8_t>& buffer) const
{
  const BusDevices& devices = m_reading.devices();
  const UnitRow& row = m_reading.rows().at(unit);
  const BusDevices::Item& item = devices.item(row.item);
  const Sheet& sheet = devices.sheet(item.sheet);
  if (devices.style() == TalkStyle::Characters) {
    const SheetMessage& message = sheet.messages[item.number];
    buffer = messageBytes(*sheet.framing, *m_talk, m_frames, m_reading.framesOf(unit), isText(sheet));
    if (!message.line_of_text.empty()) {
      std::vector<ToldValue> values;
      matchLine(message.line_of_text, {reinterpret_cast<const char*>(buffer.data()), buffer.size()}, message.fields,
                &values);
      for (const ToldValue& v : values) {
        if (v.name == field.name)
          return v.number;
      }
      return std::nullopt;
    }
    const FieldBytes bytes{buffer, buffer};
    return isThere(message.fields, field, bytes) ? numberOf(field, bytes) : std::nullopt;
  }
  const Frame frame = frameAt(unit);
  const Talk talk = talkOf(row, frame);
  if (reg == nullptr) {
    const FieldBytes bytes{talk.out, item.kind == BusDevices::Item::Kind::Message ? talk.out : talk.in};
    if (!field.onlyWith)
      return numberOf(field, bytes);
    const std::vector<SheetField>& fields = item.kind == BusDevices::Item::Kind::Message
                                                ? sheet.messages[item.number].fields
                                                : sheet.commands[item.number].fields;
    return isThere(fields, field, bytes) ? numberOf(field, bytes) : std::nullopt;
  }
  // A register: where its bytes are in what was moved.
  bool writes = false;
  const std::span<const std::uint8_t> bytes = moved(row, talk, writes);
  if ((row.flags & (UnitRow::kLost | UnitRow::kPoints)) != 0 || (writes ? !reg->writable : !reg->readable))
    return std::nullopt;
  // An access that goes beyond the last address goes on at the first.
  const std::int64_t places = std::int64_t{reg->at} - std::int64_t{row.address};
  const auto around = static_cast<std::int64_t>(devices.spaceSize(item.sheet));
  const std::int64_t offset = (places < 0 ? places + around : places) * sheet.unit;
  if (offset < 0 || offset + reg->bytes > static_cast<std::int64_t>(bytes.size()))
    return std::nullopt;
  const std::span<const std::uint8_t> own = bytes.subspan(static_cast<std::size_t>(offset), reg->bytes);
  const FieldBytes ownBytes{own, own};
  return isThere(reg->fields, field, ownBytes) ? numberOf(field, ownBytes) : std::nullopt;
}

}  // namespace bexto
