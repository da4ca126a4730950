#include "core/protocol/onewire/onewire_settings.h"

#include "core/decode/setting_table.h"

namespace bexto {

Settings makeOneWireSettings()
{
  static const SettingTable<OneWireSettings> kTable({
      choiceRow({"speed",
                 "Speed",
                 SettingKind::Choice,
                 {"auto", "standard", "overdrive"},
                 "auto",
                 "Auto goes to overdrive when a ROM command asks for it, and back at a long reset."},
                &OneWireSettings::speed),
  });
  return kTable.make();
}

std::string oneWireSummary(const Bus& bus)
{
  return oneWireSettings(bus).speed == OneWireSpeed::Auto ? std::string() : bus.settings.text("speed");
}

}  // namespace bexto
