#pragma once

#include "core/decode/protocol.h"

namespace bexto {

/// One wire that a controller and its devices share, each device with a ROM of its own. One stream.
const Protocol& oneWireProtocol();

}  // namespace bexto
