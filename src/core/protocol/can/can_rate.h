#pragma once

#include "core/decode/decoder.h"
#include "core/protocol/can/can_settings.h"

namespace bexto {

// Rates are judged by the frames that they give: a CRC is right by chance once in thirty thousand frames.

/// The bit rate, in bit/s, at which the wire's begin holds most whole frames; 0 when it holds none at any. A usual one
/// when it is as near to what the frames measure as ISO 11898-1 lets oscillators be (1.58 %), else what they measure.
/// Tries each on the first 20 000 transitions; of `settings` all but the rates counts.
double findCanBitRate(const CanSettings& settings, const StreamInput& input);

/// The rate of the data phase, in bit/s, at which most of the first frames that switch are whole; 0 when none of the
/// first half million transitions' frames switches, or none is whole at any rate. Requires: settings.bitrate > 0.
double findCanFdBitRate(const CanSettings& settings, const StreamInput& input);

}  // namespace bexto
