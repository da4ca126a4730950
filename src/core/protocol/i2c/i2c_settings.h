#pragma once

#include "core/base/time.h"
#include "core/decode/bus.h"

namespace bexto {

/// After UM10204 (I2C-bus specification and user manual, rev. 7.0).
struct I2cSettings {
  Picoseconds spike{0};  ///< shorter pulses on either wire do not count; 50 ns is tSP of table 10 for fast mode
  bool operator==(const I2cSettings&) const = default;
};

/// Requires: the bus is I2C.
inline const I2cSettings& i2cSettings(const Bus& bus)
{
  return bus.settings.as<I2cSettings>();
}

/// New ones, written and read by the room's table.
Settings makeI2cSettings();

}  // namespace bexto
