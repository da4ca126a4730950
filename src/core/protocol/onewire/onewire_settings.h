#pragma once

#include <cstdint>

#include "core/decode/bus.h"

namespace bexto {

enum class OneWireSpeed : std::uint8_t {
  Auto,      ///< standard, until a command asks for overdrive; a long reset ends that
  Standard,  ///< standard, whatever commands ask for
  Overdrive  ///< every slot at overdrive, and short resets from the start
};

struct OneWireSettings {
  OneWireSpeed speed = OneWireSpeed::Auto;
  bool operator==(const OneWireSettings&) const = default;
};

/// Requires: the bus is 1-Wire.
inline const OneWireSettings& oneWireSettings(const Bus& bus)
{
  return bus.settings.as<OneWireSettings>();
}

/// New ones, written and read by the room's table.
Settings makeOneWireSettings();

/// "overdrive"; empty for auto.
std::string oneWireSummary(const Bus& bus);

}  // namespace bexto
