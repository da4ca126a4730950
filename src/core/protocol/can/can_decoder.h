#pragma once

#include <memory>

#include "core/decode/decoder.h"
#include "core/protocol/can/can_settings.h"

namespace bexto {

/// One wire of a CAN bus after ISO 11898-1:2015, as a receiver with the settings' sample points reads it: hard
/// synchronisation and resynchronisation (11.3.2), destuffing (10.5), error and overload frames (10.4.4, 10.4.5).
/// Requires: settings.bitrate > 0.
std::unique_ptr<Decoder> makeCanDecoder(const CanSettings& settings, const StreamInput& input);

/// One frame opened up. Requires: frame `number` of `frames` came from decoding `input` with `settings`.
Anatomy canAnatomy(const CanSettings& settings, const StreamInput& input, const FrameIndex& frames,
                   std::uint64_t number);

}  // namespace bexto
