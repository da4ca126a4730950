#pragma once

#include "core/decode/protocol.h"

namespace bexto {

/// One wire that a commander and its responders share, after ISO 17987. One stream.
const Protocol& linProtocol();

}  // namespace bexto
