#pragma once

#include <memory>

#include "core/decode/decoder.h"

namespace bexto {

/// What a Frame of kind Transfer or Word of an SPI bus says. The spans point into the index; each word takes
/// ceil(bits / 8) bytes, most significant first.
struct SpiTransfer {
  bool hasMosi = false;
  bool hasMiso = false;
  std::size_t words = 0;
  std::size_t bytesPerWord = 1;
  std::span<const std::uint8_t> mosi;
  std::span<const std::uint8_t> miso;

  /// Word `i` of line 0 (MOSI) or 1 (MISO). Requires: i < words and the line is there.
  std::uint32_t word(std::size_t i, int line) const;
};

/// Requires: `frame` came from decoding `bus`.
SpiTransfer spiTransfer(const Bus& bus, const Frame& frame);

/// An SPI bus: one data line or both, with a chip select or with gaps. Data counts as it is before the sampling edge.
std::unique_ptr<Decoder> makeSpiDecoder(const Bus& bus, const StreamInput& input);

/// Only words that touch `window` are recorded: a transfer can be millions of bits long.
Anatomy spiAnatomy(const Bus& bus, const StreamInput& input, const Frame& frame, TimeRange window);

}  // namespace bexto
