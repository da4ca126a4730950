#include "core/protocol/uart/uart_settings.h"

#include <fmt/core.h>

#include <array>

#include "core/base/say.h"
#include "core/decode/setting_table.h"

namespace bexto {

Settings makeUartSettings()
{
  static const SettingTable<UartSettings> kTable({
      rateRow({"baud",
               "Baud",
               SettingKind::Number,
               {"auto", "9600", "19200", "38400", "57600", "115200", "230400", "460800", "921600", "1000000"},
               "",
               "Bits a second; auto finds the rate from the wires."},
              &UartSettings::baud),
      choiceRow({"bits", "Data bits", SettingKind::Choice, {"5", "6", "7", "8", "9"}, "8", "Data bits of a character."},
                &UartSettings::bits, 5),
      choiceRow({"parity",
                 "Parity",
                 SettingKind::Choice,
                 {"none", "even", "odd", "mark", "space"},
                 "none",
                 "What the bit after the data says."},
                &UartSettings::parity),
      choiceRow({"stop", "Stop bits", SettingKind::Choice, {"1", "1.5", "2"}, "1", "How long the line rests at least."},
                &UartSettings::halfStopBits, 2),
      orderRow({"order", "Bit order", SettingKind::Choice, {"lsb", "msb"}, "lsb", "Which data bit is sent first."},
               &UartSettings::order),
      flagRow({"invert", "Inverted", SettingKind::Choice, {"no", "yes"}, "no", "Yes when the idle line is low."},
              &UartSettings::invert, "yes"),
  });
  return kTable.make();
}

std::string uartSummary(const Bus& bus)
{
  static constexpr std::array<char, 5> kLetters{'N', 'E', 'O', 'M', 'S'};
  const UartSettings& uart = uartSettings(bus);
  return fmt::format("{} {}{}{}{}{}", bus.settings.text("baud"), uart.bits,
                     kLetters.at(static_cast<std::size_t>(uart.parity)), bus.settings.text("stop"),
                     uart.order == BitOrder::Msb ? " · " + say("msb first") : "",
                     uart.invert ? " · " + say("inverted") : "");
}

}  // namespace bexto
