#pragma once

#include <memory>

#include "core/decode/decoder.h"

namespace bexto {

/// An SPI bus: one data line or both, with a chip select or with gaps. Data counts as it is before the sampling edge.
/// `input` has the clock and then those of MOSI, MISO and CS that the bus has.
std::unique_ptr<Decoder> makeSpiDecoder(const Bus& bus, const StreamInput& input);

/// One frame opened up. Only words that touch `window` are recorded: a transfer can be millions of bits long.
/// Requires: `frame` came from decoding `input` with `bus`.
Anatomy spiAnatomy(const Bus& bus, const StreamInput& input, const Frame& frame, TimeRange window);

}  // namespace bexto
