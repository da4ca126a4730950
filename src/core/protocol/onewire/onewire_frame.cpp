// Tested by tests/core/onewire_test.cpp.
#include "core/protocol/onewire/onewire_frame.h"

#include "core/base/say.h"

namespace bexto {

OneWireTransaction oneWireTransaction(const Frame& frame)
{
  OneWireTransaction t;
  t.presence = (frame.flags & onewire::kPresence) != 0;
  t.isOverdrive = (frame.flags & onewire::kIsOverdrive) != 0;
  if ((frame.flags & onewire::kHasCommand) != 0)
    t.command = frame.key;
  t.data = frame.payload;
  if ((frame.flags & onewire::kHasRom) != 0) {
    t.rom = t.data.first(onewire::kRomBytes);
    t.data = t.data.subspan(onewire::kRomBytes);
  }
  t.bits = frame.flags >> onewire::kBitsShift;
  return t;
}

std::string romCommandName(std::uint32_t command)
{
  switch (static_cast<RomCommand>(command)) {
    case RomCommand::Read:
      return say("read ROM");
    case RomCommand::OverdriveSkip:
      return say("overdrive skip ROM");
    case RomCommand::Match:
      return say("match ROM");
    case RomCommand::OverdriveMatch:
      return say("overdrive match ROM");
    case RomCommand::Resume:
      return say("resume");
    case RomCommand::Skip:
      return say("skip ROM");
    case RomCommand::SearchAlarms:
      return say("search for alarms");
    case RomCommand::Search:
      return say("search ROM");
  }
  return {};
}

onewire::Follows onewire::followsCommand(std::uint32_t command)
{
  switch (static_cast<RomCommand>(command)) {
    case RomCommand::Read:
    case RomCommand::Match:
    case RomCommand::OverdriveMatch:
      return Follows::Rom;
    case RomCommand::SearchAlarms:
    case RomCommand::Search:
      return Follows::Search;
    case RomCommand::OverdriveSkip:
    case RomCommand::Resume:
    case RomCommand::Skip:
      break;
  }
  return Follows::Data;
}

bool onewire::asksForOverdrive(std::uint32_t command)
{
  const auto rom = static_cast<RomCommand>(command);
  return rom == RomCommand::OverdriveSkip || rom == RomCommand::OverdriveMatch;
}

std::uint8_t onewire::crc8(std::span<const std::uint8_t> bytes)
{
  constexpr std::uint8_t kReflected = 0x8c;
  std::uint8_t crc = 0;
  for (const std::uint8_t byte : bytes) {
    crc ^= byte;
    for (int bit = 0; bit < 8; ++bit)
      crc = static_cast<std::uint8_t>(crc >> 1U ^ ((crc & 1U) != 0 ? kReflected : 0U));
  }
  return crc;
}

}  // namespace bexto
