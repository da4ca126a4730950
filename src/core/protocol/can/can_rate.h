#pragma once

#include "core/decode/decoder.h"
#include "core/protocol/can/can_settings.h"

namespace bexto {

/// The usual bit rate, in bit/s, at which the wire's begin holds most whole frames; 0 when it holds none at any. Tries
/// each on the first 20 000 transitions; of `settings` all but the bit rate counts.
double findCanBitRate(const CanSettings& settings, const StreamInput& input);

}  // namespace bexto
