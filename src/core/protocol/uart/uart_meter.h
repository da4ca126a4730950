#pragma once

#include <memory>
#include <optional>
#include <vector>

#include "core/decode/cause.h"
#include "core/decode/meter.h"
#include "core/protocol/uart/uart_settings.h"

namespace bexto {

/// In the order in which the meter has them.
std::vector<MeasureSpec> uartMeasures();
/// Requires: settings.baud > 0.
std::unique_ptr<Meter> makeUartMeter(const UartSettings& settings);
/// A sender so fast or slow that the wrong bit was sampled beside where it is; nothing: its rate is not to blame.
/// Requires: settings.baud > 0, and a character with a wrong parity or stop bit.
std::optional<Cause> uartRateCause(const UartSettings& settings, const StreamInput& input, const FrameIndex& frames,
                                   std::uint64_t number);

}  // namespace bexto
