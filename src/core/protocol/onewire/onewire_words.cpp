// Tested by tests/core/onewire_test.cpp.
#include "core/protocol/onewire/onewire_words.h"

#include "core/base/say.h"
#include "core/decode/property.h"
#include "core/protocol/onewire/onewire_frame.h"

namespace bexto {

namespace {

/// Without spaces: one name.
std::string romText(std::span<const std::uint8_t> rom)
{
  std::string text = hexOf(rom);
  for (char& c : text)
    c = c >= 'a' ? static_cast<char>(c - 'a' + 'A') : c;
  return text;
}

std::string commandText(const Bus& bus, std::uint32_t command)
{
  const std::string name = romCommandName(command);
  return name.empty() ? say("command {}", addressText(command, 8, bus.format)) : name;
}

Detail presenceDetail(const Frame& frame, const OneWireTransaction& t)
{
  Detail d;
  d.role = t.presence ? Role::Acknowledge : Role::Start;
  d.name = say("reset");
  d.value = t.presence ? say("answered") : say("not answered");
  d.meaning = t.isOverdrive ? say("at overdrive") : std::string();
  d.wrong = hasError(frame.errors, OneWireError::NoPresence);
  return d;
}

/// The family code, the serial number, the CRC.
Detail romDetail(const Frame& frame, const OneWireTransaction& t, std::size_t part)
{
  Detail d;
  if (part == 0) {
    d.role = Role::Address;
    d.name = say("family code");
    d.value = romText(t.rom.first(1));
  } else if (part == 1) {
    d.role = Role::Address;
    d.name = say("serial number");
    d.value = romText(t.rom.subspan(1, onewire::kRomBytes - 2));
    d.field = 1;
  } else {
    d.role = Role::Check;
    d.name = say("CRC");
    d.value = romText(t.rom.last(1));
    d.wrong = hasError(frame.errors, OneWireError::Crc);
    d.meaning = d.wrong ? say("wrong") : say("right");
  }
  return d;
}

constexpr std::size_t kRomLines = 3;

}  // namespace

Sentence oneWireSentence(const Bus& bus, const Frame& frame, std::size_t most)
{
  SentenceWriter out;
  const OneWireTransaction t = oneWireTransaction(frame);
  if (!t.command)
    out.add(Tone::Plain, t.presence ? say("reset, answered") : say("reset"));
  else
    out.add(Tone::Plain, commandText(bus, *t.command));
  if (!t.rom.empty())
    out.add(Tone::Address, " " + romText(t.rom));
  if (!t.data.empty())
    out.add(Tone::Payload, " " + rowOfBytes(t.data, bus.format, most));
  return out.takeWithFaults(faultText(bus, frame));
}

std::uint64_t oneWireDetailCount(const Frame& frame)
{
  const OneWireTransaction t = oneWireTransaction(frame);
  return 1 + (t.command ? 1U : 0U) + (t.rom.empty() ? 0U : kRomLines) + t.data.size() + (t.bits > 0 ? 1U : 0U);
}

Detail oneWireDetail(const Bus& bus, const Frame& frame, std::uint64_t index)
{
  const OneWireTransaction t = oneWireTransaction(frame);
  Detail d;
  auto i = static_cast<std::size_t>(index);
  const std::size_t romLines = t.rom.empty() ? 0U : kRomLines;
  const std::size_t before = 1 + (t.command ? 1U : 0U);
  if (i == 0) {
    d = presenceDetail(frame, t);
  } else if (i < before) {
    d.role = Role::Control;
    d.name = say("ROM command");
    d.value = addressText(*t.command, 8, bus.format);
    d.meaning = romCommandName(*t.command);
  } else if (i < before + romLines) {
    d = romDetail(frame, t, i - before);
  } else if (i < before + romLines + t.data.size()) {
    d.field = i - before - romLines;
    d.name = say("byte {}", d.field);
    d.value = loneValueText(t.data[d.field], 8, bus.format);
  } else {
    const bool isUnfound =
        t.command && t.rom.empty() && t.data.empty() && onewire::followsCommand(*t.command) == onewire::Follows::Search;
    d.role = !t.command ? Role::Control : isUnfound ? Role::Address : Role::Data;
    d.field = isUnfound ? 0 : t.data.size();
    d.name = isUnfound ? say("slots of the search") : say("bits left over");
    d.value = std::to_string(t.bits);
  }
  if (index + 1 == oneWireDetailCount(frame) && hasError(frame.errors, OneWireError::Incomplete)) {
    d.meaning = andThen(d.meaning, say("cut short"));
    d.wrong = true;
  }
  return d;
}

std::string oneWireFaultText(const Frame& frame)
{
  FaultList faults;
  if (hasError(frame.errors, OneWireError::NoPresence))
    faults.add(say("nobody answered the reset"));
  if (hasError(frame.errors, OneWireError::Crc))
    faults.add(say("CRC of the ROM is wrong"));
  if (hasError(frame.errors, OneWireError::Incomplete))
    faults.add(say("cut short"));
  return faults.text();
}

}  // namespace bexto
