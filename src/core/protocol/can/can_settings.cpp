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

SettingRow<CanSettings> fdRateRow()
{
  const SettingSpec spec{
      "fd_bitrate",
      "FD rate",
      SettingKind::Number,
      {"auto", "none", "1000000", "2000000", "4000000", "5000000", "8000000"},
      "auto",
      "Bits a second in the data phase of CAN FD frames that switch. Auto finds it from those; none is "
      "for never."};
  return {spec,
          [](const CanSettings& s) {
            return s.fdBitrate < 0.0 ? std::string("none") : setting::rateText(s.fdBitrate, "auto");
          },
          [spec](CanSettings& s, const std::string& value) -> Result<void> {
            if (value == "none") {
              s.fdBitrate = kCanNoFdBitrate;
              return {};
            }
            const auto rate = setting::readRate(spec, "auto", value);
            if (!rate)
              return setting::badValue(spec, value, say("write the bits a second from 1 to 1000000000, auto or none"));
            s.fdBitrate = *rate;
            return {};
          }};
}

}  // namespace

CanSettings canWireSettings(const Bus& bus)
{
  CanSettings settings = canSettings(bus);
  settings.invert = settings.invert != bus.has("canh");
  return settings;
}

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
      fdRateRow(),
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
