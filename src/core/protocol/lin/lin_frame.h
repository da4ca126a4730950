#pragma once

#include <cstdint>
#include <optional>
#include <span>

#include "core/decode/frame_index.h"
#include "core/protocol/lin/lin_settings.h"

namespace bexto {

/// From the falling edge of the break to the end of the last stop bit of what belongs to it.
inline constexpr FrameKind kLinFrame = 0;
/// A dominant pulse that asks the cluster to wake (ISO 17987-2:2016, wake-up): 250 µs to 5 ms.
inline constexpr FrameKind kLinWakeup = 1;

enum class LinError : FrameErrors {
  Sync = 1U << 0U,        ///< the byte after the break is not 55 at about the rate set
  Parity = 1U << 1U,      ///< the parity bits of the identifier are wrong
  Framing = 1U << 2U,     ///< a stop bit is dominant
  Checksum = 1U << 3U,    ///< no model that the settings allow fits
  Form = 1U << 4U,        ///< more than eight data bytes and a checksum
  NoResponse = 1U << 5U,  ///< a header, then rest or the next break
  Incomplete = 1U << 6U,  ///< the capture or the next break cut it
};

/// What a frame says, as far as it was read. The span points into the frame's payload.
struct LinFrame {
  bool hasId = false;
  std::uint32_t id = 0;   ///< 0 to 63
  std::uint32_t pid = 0;  ///< as sent: two parity bits above the identifier
  bool hasData = false;
  std::span<const std::uint8_t> data;
  bool hasChecksum = false;
  std::uint32_t checksum = 0;
  std::optional<LinChecksum> model = {};  ///< Classic or Enhanced: the one that fits; none when no allowed one does
};

/// Of a wake-up it says nothing. Frame::key is the identifier.
LinFrame linFrame(const Frame& frame);

/// The identifier with its parity bits: P0 = I0 ^ I1 ^ I2 ^ I4 and P1 = !(I1 ^ I3 ^ I4 ^ I5), in bits 6 and 7
/// (ISO 17987-3:2016, protected identifier field). Requires: id < 64.
std::uint32_t linProtected(std::uint32_t id);

/// The inverted sum with carry (ISO 17987-3:2016, checksum field) of `data`, begun with `seed`: 0 for the classic
/// model, the protected identifier for the enhanced one.
std::uint32_t linChecksum(std::uint32_t seed, std::span<const std::uint8_t> data);

namespace lin {

// Frame::flags: what was read, the model that fits, and above them the protected identifier as it was sent.
inline constexpr unsigned kHasId = 1U << 0U;
inline constexpr unsigned kHasData = 1U << 1U;
inline constexpr unsigned kHasChecksum = 1U << 2U;  ///< the last byte of the payload
inline constexpr unsigned kModelShift = 3;          ///< 2 bits: a LinChecksum, Auto for none
inline constexpr unsigned kPidShift = 8;

/// The flags and errors of a response: `bytes` is the checksum too. Requires: at least two bytes.
struct Sum {
  unsigned flags = 0;
  FrameErrors errors = 0;
};
Sum judge(LinChecksum allowed, std::uint32_t pid, std::span<const std::uint8_t> bytes);

}  // namespace lin

}  // namespace bexto
