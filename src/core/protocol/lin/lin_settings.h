#pragma once

#include <cstdint>

#include "core/decode/bus.h"

namespace bexto {

/// What the checksum of a frame may be summed over (ISO 17987-3:2016, checksum field).
enum class LinChecksum : std::uint8_t {
  Auto,     ///< enhanced, else classic, whichever fits; of the diagnostic frames 3C and 3D classic only
  Classic,  ///< the data
  Enhanced  ///< the data and the protected identifier; of 3C and 3D classic all the same
};

/// After ISO 17987-3:2016 and 17987-4:2016.
struct LinSettings {
  double baud = 0.0;  ///< bit/s that responders expect; 0 is "find it from the wire"
  LinChecksum checksum = LinChecksum::Auto;
  bool operator==(const LinSettings&) const = default;
};

/// Requires: the bus is LIN.
inline const LinSettings& linSettings(const Bus& bus)
{
  return bus.settings.as<LinSettings>();
}

/// New ones, written and read by the room's table.
Settings makeLinSettings();

/// "19200 · classic".
std::string linSummary(const Bus& bus);

}  // namespace bexto
