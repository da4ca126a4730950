#pragma once

// A line on which characters of 8 bits come at 115200 baud, unless a test sets it otherwise.

#include "core/decode/bus.h"
#include "support/rooms.h"
#include "support/waves.h"

namespace bexto::test {

inline constexpr double kBaud = 115200.0;
inline constexpr double kBit = 1e12 / kBaud;  // in picoseconds

inline UartSettings plain()
{
  UartSettings settings;
  settings.baud = kBaud;
  return settings;
}

inline Bus uartBus(const UartSettings& settings = plain())
{
  Bus bus("u", uartProtocol());
  bus.settings.edit<UartSettings>() = settings;
  bus.setChannel("rx", "rx");
  return bus;
}

inline StreamInput inputFrom(const LineWriter& line)
{
  return {{line.track()}, line.now(), true};
}

}  // namespace bexto::test
