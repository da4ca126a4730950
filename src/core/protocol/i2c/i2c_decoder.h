#pragma once

#include <memory>

#include "core/decode/decoder.h"
#include "core/protocol/i2c/i2c_settings.h"

namespace bexto {

/// An I2C bus after UM10204 rev. 7.0: START, STOP and repeated START (3.1.4), bytes with acknowledge (3.1.5, 3.1.6),
/// 7-bit and 10-bit addresses (3.1.10, 3.1.11), stretched clocks (3.1.9), any speed. `input` has SCL, then SDA.
std::unique_ptr<Decoder> makeI2cDecoder(const I2cSettings& settings, const StreamInput& input);

/// One transfer opened up. Requires: `frame` came from decoding `input` with `settings`.
Anatomy i2cAnatomy(const I2cSettings& settings, const StreamInput& input, const Frame& frame);

}  // namespace bexto
