#include "core/protocol/can/can_settings.h"

#include <fmt/core.h>

#include "core/base/say.h"
#include "core/decode/setting_table.h"

namespace bexto {

namespace {

/// "500 kbit/s"
std::string rateInWords(double rate)
{
  if (rate == 0.0)
    return "auto";
  if (rate >= 1e6)
    return fmt::format("{:.4g} Mbit/s", rate / 1e6);
  return rate >= 1e3 ? fmt::format("{:.5g} kbit/s", rate / 1e3) : fmt::format("{:.4g} bit/s", rate);
}

}  // namespace

Settings makeCanSettings()
{
  static const SettingTable<CanSettings> kTable({
      rateRow({"bitrate",
               "Bit rate",
               SettingKind::Number,
               {"auto", "50000", "100000", "125000", "250000", "500000", "800000", "1000000"},
               "",
               "Bits a second; of CAN FD, outside the data phase. Auto finds the rate from the wire."},
              &CanSettings::bitrate),
      shareRow({"sample_point",
                "Sample at",
                SettingKind::Number,
                {"0.75", "0.8", "0.875"},
                "0.8",
                "Where in a bit the level counts, as a share of the bit."},
               &CanSettings::samplePoint),
      rateRow({"fd_bitrate",
               "FD rate",
               SettingKind::Number,
               {"none", "1000000", "2000000", "4000000", "5000000", "8000000"},
               "none",
               "Bits a second in the data phase of CAN FD frames that switch; none when none do."},
              &CanSettings::fdBitrate),
      shareRow({"fd_sample_point",
                "FD sample",
                SettingKind::Number,
                {"0.7", "0.75", "0.8"},
                "0.75",
                "The same share in the data phase.",
                "fd_bitrate"},
               &CanSettings::fdSamplePoint),
      flagRow({"iso",
               "ISO CRC",
               SettingKind::Choice,
               {"yes", "no"},
               "yes",
               "CAN FD frames with stuff count as in ISO 11898-1:2015, or the older form without."},
              &CanSettings::iso, "yes"),
      flagRow({"invert", "Inverted", SettingKind::Choice, {"no", "yes"}, "no", "Yes when dominant is high."},
              &CanSettings::invert, "yes"),
  });
  return kTable.make();
}

std::string canSummary(const Bus& bus)
{
  const CanSettings& can = canSettings(bus);
  std::string text = rateInWords(can.bitrate);
  if (can.fdBitrate > 0.0)
    text += fmt::format(" · FD {}", rateInWords(can.fdBitrate));
  if (!can.iso)
    text += " · " + say("non-ISO");
  return can.invert ? text + " · " + say("inverted") : text;
}

}  // namespace bexto
