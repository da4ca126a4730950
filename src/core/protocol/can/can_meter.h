#pragma once

#include <memory>
#include <vector>

#include "core/decode/meter.h"
#include "core/protocol/can/can_settings.h"

namespace bexto {

/// In the order in which the meter has them.
std::vector<MeasureSpec> canMeasures();
/// Requires: settings.bitrate > 0; with frames that switch their rate, settings.fdBitrate too.
std::unique_ptr<Meter> makeCanMeter(const CanSettings& settings);

}  // namespace bexto
