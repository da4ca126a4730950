#pragma once

#include "core/decode/bus.h"

namespace bexto {

/// CanSettings::fdBitrate of a bus whose frames never switch.
inline constexpr double kCanNoFdBitrate = -1.0;

/// After ISO 11898-1:2015. Sample points are shares of the bit, from its begin.
struct CanSettings {
  double bitrate = 0.0;  ///< bit/s; 0 is "find it from the wire"
  double samplePoint = 0.8;
  double fdBitrate = 0.0;  ///< bit/s of the data phase of frames that switch; 0 is "find it", kCanNoFdBitrate never
  double fdSamplePoint = 0.75;
  bool iso = true;      ///< CAN FD with stuff count (ISO 11898-1:2015), or the older form without
  bool invert = false;  ///< dominant is high
  bool operator==(const CanSettings&) const = default;
};

/// As the bus has them. Requires: the bus is CAN.
inline const CanSettings& canSettings(const Bus& bus)
{
  return bus.settings.as<CanSettings>();
}

/// The same for reading the wire that it has: on CANH dominant is high.
CanSettings canWireSettings(const Bus& bus);

/// New ones, written and read by the room's table.
Settings makeCanSettings();

/// "500 kbit/s · FD 2 Mbit/s".
std::string canSummary(const Bus& bus);

}  // namespace bexto
