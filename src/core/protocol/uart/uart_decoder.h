#pragma once

#include <memory>

#include "core/decode/decoder.h"
#include "core/protocol/uart/uart_settings.h"

namespace bexto {

/// One line of an asynchronous bus. Characters are found from their own start edge; each bit is the majority of three
/// looks, an eighth of a bit apart around its middle. Requires: settings.baud > 0.
std::unique_ptr<Decoder> makeUartDecoder(const UartSettings& settings, const StreamInput& input);

/// One character or break opened up. Requires: `frame` came from decoding `input` with `settings`.
Anatomy uartAnatomy(const UartSettings& settings, const StreamInput& input, const Frame& frame);

}  // namespace bexto
