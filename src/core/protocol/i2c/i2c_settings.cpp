#include "core/protocol/i2c/i2c_settings.h"

#include "core/decode/setting_table.h"

namespace bexto {

Settings makeI2cSettings()
{
  static const SettingTable<I2cSettings> kTable({
      durationRow({"spike",
                   "Spikes under",
                   SettingKind::Duration,
                   {"0s", "10ns", "50ns"},
                   "0s",
                   "Shorter pulses on either wire do not count; 50ns for fast mode."},
                  &I2cSettings::spike, std::chrono::milliseconds{1}, "write a time from 0s to 1ms, like 50ns"),
  });
  return kTable.make();
}

}  // namespace bexto
