#pragma once

#include "core/decode/protocol.h"

namespace bexto {

/// Asynchronous lines: start bit, data, parity, stop bits, at a rate that both ends know. One stream for each
/// direction.
const Protocol& uartProtocol();

}  // namespace bexto
