#pragma once

#include "core/decode/protocol.h"

namespace bexto {

/// A clock, one or two data wires, and a chip select or gaps of the clock. One stream: both directions share the clock.
const Protocol& spiProtocol();

}  // namespace bexto
