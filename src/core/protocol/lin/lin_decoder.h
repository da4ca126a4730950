#pragma once

#include <memory>

#include "core/decode/decoder.h"
#include "core/protocol/lin/lin_settings.h"

namespace bexto {

/// One wire of a LIN cluster after ISO 17987-3:2016 and 17987-4:2016: headers of break, sync byte and protected
/// identifier, responses with either checksum, and wake-ups. Each frame is read at the rate of its sync byte.
/// Requires: settings.baud > 0.
std::unique_ptr<Decoder> makeLinDecoder(const LinSettings& settings, const StreamInput& input);

/// One frame or wake-up opened up. Requires: `frame` came from decoding `input` with `settings`.
Anatomy linAnatomy(const LinSettings& settings, const StreamInput& input, const Frame& frame);

/// The rate, in bit/s, that sync bytes behind breaks tell in the first transitions: the customary one within 3 % of it,
/// else itself. 0 when there are none.
double findLinRate(const StreamInput& input);

}  // namespace bexto
