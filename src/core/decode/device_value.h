#pragma once

#include <compare>
#include <string>

namespace bexto {

/// A value of a device by its names, whatever its sheet's place among those of the bus: "level" in "level" of "LT-20".
struct DeviceValue {
  std::string device;
  std::string subject;  ///< the register, command or message that it is in
  std::string value;
  auto operator<=>(const DeviceValue&) const = default;
};

}  // namespace bexto
