#pragma once

#include <optional>
#include <string>
#include <vector>

#include "core/device/device_history.h"

namespace bexto {

/// A line of the list that shows what a device's registers hold, or what its messages said.
struct DeviceRow {
  std::size_t subject = 0;           ///< in DeviceHistory::subjects()
  std::optional<std::size_t> field;  ///< in its values; nullopt: the line is the subject itself
  std::string name;                  ///< for people
  std::string value;     ///< with its unit; of a subject with several values their number as words, mostly empty
  std::string wrong;     ///< why it cannot be; empty: it can
  bool seen = false;     ///< it was read, written or said before that moment
  bool written = false;  ///< by the controller
  bool isRegister = false;
  bool changed = false;  ///< since the other moment
  Picoseconds at{0};     ///< when, where it was seen
  bool operator==(const DeviceRow&) const = default;
};

/// What device `sheet` last said at a moment, register by register; `since`: what is another than it was then is
/// marked. `streams` are those of one bus: its directions. Costs a search a register, whatever the length of the
/// capture.
std::vector<DeviceRow> deviceRows(const std::vector<DeviceHistory>& streams, std::size_t sheet, Picoseconds at,
                                  std::optional<Picoseconds> since);

}  // namespace bexto
