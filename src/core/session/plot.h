#pragma once

#include "core/base/stream_id.h"
#include "core/decode/device_value.h"

namespace bexto {

/// A value that has a lane of the Timeline: drawn over time.
struct Plot {
  BusId bus = BusId::None;
  DeviceValue of;
  /// Straight lines from each value to the next; else each one holds until the next, as in a register.
  bool joined = false;

  /// The same value, however it is drawn.
  bool isSame(const Plot& other) const { return bus == other.bus && of == other.of; }
  bool operator==(const Plot&) const = default;
};

}  // namespace bexto
