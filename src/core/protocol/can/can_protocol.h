#pragma once

#include "core/decode/protocol.h"

namespace bexto {

/// CAN 2.0 and CAN FD on the wire between controller and transceiver, after ISO 11898-1:2015. One stream.
const Protocol& canProtocol();

}  // namespace bexto
