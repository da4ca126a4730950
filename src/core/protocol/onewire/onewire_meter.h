#pragma once

#include <memory>
#include <vector>

#include "core/decode/meter.h"
#include "core/protocol/onewire/onewire_settings.h"

namespace bexto {

/// Reset low, presence delay and low, slot, lows of ones and zeros, recovery: of overdrive apart.
std::vector<MeasureSpec> oneWireMeasures();
std::unique_ptr<Meter> makeOneWireMeter(const OneWireSettings& settings);

}  // namespace bexto
