#pragma once

#include <cstdint>

#include "core/decode/bit_order.h"
#include "core/decode/bus.h"

namespace bexto {

enum class UartParity : std::uint8_t { None, Even, Odd, Mark, Space };

/// How an asynchronous line is framed. There is no standard that all keep; the words are those of its trade.
struct UartSettings {
  double baud = 0.0;  ///< bit/s; 0 is "find it from the wires"
  int bits = 8;       ///< data bits, 5 to 9
  UartParity parity = UartParity::None;
  int halfStopBits = 2;  ///< 2, 3 or 4 halves: 1, 1.5 or 2 stop bits
  BitOrder order = BitOrder::Lsb;
  bool invert = false;  ///< idle is low
  bool operator==(const UartSettings&) const = default;
};

/// Requires: the bus is a UART.
inline const UartSettings& uartSettings(const Bus& bus)
{
  return bus.settings.as<UartSettings>();
}

/// New ones, written and read by the room's table.
Settings makeUartSettings();

/// "57600 8E1 · inverted".
std::string uartSummary(const Bus& bus);

}  // namespace bexto
