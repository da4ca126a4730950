#pragma once

#include <cstdint>
#include <span>

#include "core/base/say.h"
#include "core/decode/bus.h"
#include "core/decode/frame_index.h"
#include "core/decode/payload.h"

namespace bexto {

/// With a chip select from its active to its inactive edge; without, the run of the clock between two gaps.
inline constexpr FrameKind kSpiTransfer = 0;
/// What is counted then.
inline constexpr Noun kSpiWords{"{} word", "{} words"};
/// One word of a transfer, where the settings ask for those.
inline constexpr FrameKind kSpiWord = 1;

enum class SpiError : FrameErrors {
  Incomplete = 1U << 0U,  ///< cut inside a word, or by the capture's begin or end
};

/// The ways of payload: what the controller sends, and what the peripheral does.
inline constexpr PayloadWay kSpiMosi = 0;
inline constexpr PayloadWay kSpiMiso = 1;

/// What a frame says. The spans point into the index; each word takes
/// ceil(bits / 8) bytes, most significant first.
struct SpiTransfer {
  bool hasMosi = false;  ///< the bus has that wire
  bool hasMiso = false;
  std::size_t words = 0;  ///< whole ones
  std::size_t bytesPerWord = 1;
  std::span<const std::uint8_t> mosi;
  std::span<const std::uint8_t> miso;

  /// Word `i` of line 0 (MOSI) or 1 (MISO). Requires: i < words and the line is there.
  std::uint32_t word(std::size_t i, int line) const;
};

/// Requires: `frame` came from decoding `bus`.
SpiTransfer spiTransfer(const Bus& bus, const Frame& frame);

}  // namespace bexto
