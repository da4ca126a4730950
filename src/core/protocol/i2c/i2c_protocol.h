#pragma once

#include "core/decode/protocol.h"

namespace bexto {

/// Two open-drain wires, a clock and data, after UM10204 rev. 7.0. One stream.
const Protocol& i2cProtocol();

}  // namespace bexto
