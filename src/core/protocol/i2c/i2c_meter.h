#pragma once

#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "core/decode/cause.h"
#include "core/decode/meter.h"
#include "core/protocol/i2c/i2c_settings.h"

namespace bexto {

/// UM10204 rev. 7.0, table 10 and figure 38: the intervals of the bus, in the order in which the meter has them.
std::vector<MeasureSpec> i2cMeasures();
std::unique_ptr<Meter> makeI2cMeter(const I2cSettings& settings);
/// A clock that was held low, or high, much longer than usual right before the transfer broke off.
std::optional<Cause> i2cStretchCause(const I2cSettings& settings, const StreamInput& input, const Frame& frame);
/// The slowest class that the median of the first clocks fits into, with 1 % of margin; empty without a clock.
std::string i2cClass(const I2cSettings& settings, const StreamInput& input, const FrameIndex& frames);

}  // namespace bexto
