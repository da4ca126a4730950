#include "core/protocol/spi/spi_settings.h"

#include <fmt/core.h>

#include "core/base/say.h"
#include "core/base/time_text.h"
#include "core/decode/setting_table.h"

namespace bexto {

namespace {

std::vector<std::string> wordLengths()
{
  constexpr int kLongestWord = 32;
  std::vector<std::string> lengths;
  for (int bits = 1; bits <= kLongestWord; ++bits)
    lengths.push_back(std::to_string(bits));
  return lengths;
}

}  // namespace

Settings makeSpiSettings()
{
  static const SettingTable<SpiSettings> kTable({
      choiceRow({"mode",
                 "Mode",
                 SettingKind::Choice,
                 {"0", "1", "2", "3"},
                 "0",
                 "Clock polarity times two plus phase: 0 and 3 sample at rising edges."},
                &SpiSettings::mode),
      choiceRow({"bits", "Word bits", SettingKind::Choice, wordLengths(), "8", "Bits of a word."}, &SpiSettings::bits,
                1),
      orderRow({"order", "Bit order", SettingKind::Choice, {"msb", "lsb"}, "msb", "Which bit of a word is sent first."},
               &SpiSettings::order),
      flagRow({"cs_active",
               "CS active",
               SettingKind::Choice,
               {"low", "high"},
               "low",
               "Level of an active chip select.",
               "cs"},
              &SpiSettings::selectHigh, "high"),
      durationRow({"gap",
                   "Gap",
                   SettingKind::Duration,
                   {"1us", "8us", "100us"},
                   "0s",
                   "A clock that rests this long ends a transfer.",
                   {},
                   "cs"},
                  &SpiSettings::gap, std::chrono::seconds{1}, "write a time from 0s to 1s, like 8us"),
      choiceRow({"frames",
                 "One line a",
                 SettingKind::Choice,
                 {"transfer", "word"},
                 "transfer",
                 "Whether a frame is a whole transfer or each word of it."},
                &SpiSettings::frames),
  });
  return kTable.make();
}

std::string spiSummary(const Bus& bus)
{
  const SpiSettings& spi = spiSettings(bus);
  std::string text = say("mode {}", spi.mode);
  if (spi.bits != 8)
    text += " · " + say("{} bits", spi.bits);
  if (spi.order == BitOrder::Lsb)
    text += " · " + say("lsb first");
  if (!bus.has("cs"))
    text += " · " + say("gap {}", lengthText(spi.gap, 2));
  else if (spi.selectHigh)
    text += " · " + say("CS high");
  return spi.frames == SpiFrames::Word ? text + " · " + say("by word") : text;
}

}  // namespace bexto
