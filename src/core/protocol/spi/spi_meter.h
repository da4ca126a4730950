#pragma once

#include <memory>
#include <vector>

#include "core/decode/bus.h"
#include "core/decode/cause.h"
#include "core/decode/meter.h"

namespace bexto {

/// SPI has no standard: intervals are called as data sheets call them. In the order in which the meter has them.
std::vector<MeasureSpec> spiMeasures();
std::unique_ptr<Meter> makeSpiMeter(const Bus& bus);
/// Edges of data behind the edge that samples and before the next one that lets data move: they came too late for their
/// bit. None where many edges of the frame are there: then that is how its sender works.
std::vector<Cause> spiLateData(const Bus& bus, const StreamInput& input, const Frame& frame);

}  // namespace bexto
