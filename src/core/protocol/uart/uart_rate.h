#pragma once

#include "core/decode/decoder.h"
#include "core/protocol/uart/uart_settings.h"

namespace bexto {

/// The rate, in bit/s, that explains the line's begin best; 0 when it has fewer than nine transitions, or when none
/// explains enough of them. Each customary rate and the measured one are tried on the first 4000 transitions with the
/// settings' format: a transition is explained when it lies in a character without a fault, and there near the border
/// of a bit. So coarse sampling, rests between characters and dirt do not matter. Of rates that explain as much, a
/// customary one counts more; one that is more than 3 % from what its characters measure counts as none.
double findUartBaud(const UartSettings& settings, const StreamInput& input);

}  // namespace bexto
