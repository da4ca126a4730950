#pragma once

#include <array>
#include <cstdint>
#include <optional>
#include <span>
#include <string>

#include "core/decode/frame_index.h"
#include "core/protocol/onewire/onewire_settings.h"

namespace bexto {

/// From the falling edge of a reset to that of the next one, or to the end of its last slot where the line then rests.
inline constexpr FrameKind kOneWireTransaction = 0;

enum class OneWireError : FrameErrors {
  NoPresence = 1U << 0U,  ///< nobody answered the reset
  Crc = 1U << 1U,         ///< the ROM's eighth byte is not the CRC-8 of the others
  Incomplete = 1U << 2U,  ///< the capture or the next reset cut a byte, or a ROM
};

/// What a controller says first, to choose devices by their ROMs.
enum class RomCommand : std::uint8_t {
  Read = 0x33,
  OverdriveSkip = 0x3c,
  Match = 0x55,
  OverdriveMatch = 0x69,
  Resume = 0xa5,
  Skip = 0xcc,
  SearchAlarms = 0xec,
  Search = 0xf0
};

/// What a transaction says, as far as it was read. Spans point into the frame's payload.
struct OneWireTransaction {
  bool presence = false;
  bool isOverdrive = false;                   ///< its reset was a short one
  std::optional<std::uint32_t> command = {};  ///< the ROM command
  std::span<const std::uint8_t> rom;          ///< eight bytes as sent, the family code first; empty: none was read
  std::span<const std::uint8_t> data;         ///< behind the ROM command and its ROM
  std::uint32_t bits = 0;                     ///< slots behind the last whole byte
};

OneWireTransaction oneWireTransaction(const Frame& frame);

/// "match ROM"; empty for others than ROM commands.
std::string romCommandName(std::uint32_t command);

namespace onewire {

inline constexpr std::size_t kRomBytes = 8;
inline constexpr std::size_t kRomBits = 64;

// Frame::flags: what was read, and above it the slots behind the last whole byte. Frame::key is the ROM command.
inline constexpr unsigned kPresence = 1U << 0U;
inline constexpr unsigned kHasCommand = 1U << 1U;
inline constexpr unsigned kHasRom = 1U << 2U;  ///< the first eight bytes of the payload
inline constexpr unsigned kIsOverdrive = 1U << 3U;
inline constexpr unsigned kBitsShift = 8;

/// What follows a ROM command.
enum class Follows : std::uint8_t { Data, Rom, Search };
Follows followsCommand(std::uint32_t command);
/// Whether slots behind it are at overdrive.
bool asksForOverdrive(std::uint32_t command);

/// CRC-8 of a ROM: x⁸+x⁵+x⁴+1, lowest bit first, begun with 0.
std::uint8_t crc8(std::span<const std::uint8_t> bytes);

}  // namespace onewire

}  // namespace bexto
