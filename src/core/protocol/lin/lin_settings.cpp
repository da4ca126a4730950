#include "core/protocol/lin/lin_settings.h"

#include "core/decode/setting_table.h"

namespace bexto {

Settings makeLinSettings()
{
  static const SettingTable<LinSettings> kTable({
      rateRow({"baud",
               "Baud",
               SettingKind::Number,
               {"auto", "2400", "4800", "9600", "10417", "19200", "20000"},
               "",
               "Bits a second that are expected; each frame is read at the rate of its sync byte. Auto finds it."},
              &LinSettings::baud),
      choiceRow({"checksum",
                 "Checksum",
                 SettingKind::Choice,
                 {"auto", "classic", "enhanced"},
                 "auto",
                 "Over the data, or over identifier and data; auto takes what fits. 3C and 3D are classic always."},
                &LinSettings::checksum),
  });
  return kTable.make();
}

std::string linSummary(const Bus& bus)
{
  const std::string baud = bus.settings.text("baud");
  const std::string checksum = bus.settings.text("checksum");
  return linSettings(bus).checksum == LinChecksum::Auto ? baud : baud + " · " + checksum;
}

}  // namespace bexto
