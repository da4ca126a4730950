#pragma once

#include <memory>
#include <vector>

#include "core/decode/meter.h"
#include "core/protocol/lin/lin_settings.h"

namespace bexto {

/// In the order in which the meter has them.
std::vector<MeasureSpec> linMeasures();
/// Requires: settings.baud > 0.
std::unique_ptr<Meter> makeLinMeter(const LinSettings& settings);

}  // namespace bexto
