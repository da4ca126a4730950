#pragma once

#include <memory>

#include "core/decode/decoder.h"
#include "core/protocol/onewire/onewire_settings.h"

namespace bexto {

/// One 1-Wire line, standard and overdrive: resets, presence, ROM commands with their ROMs, searches, and the bytes
/// behind them.
std::unique_ptr<Decoder> makeOneWireDecoder(const OneWireSettings& settings, const StreamInput& input);

/// One transaction opened up. Requires: `frame` came from decoding `input` with `settings`.
Anatomy oneWireAnatomy(const OneWireSettings& settings, const StreamInput& input, const Frame& frame);

}  // namespace bexto
