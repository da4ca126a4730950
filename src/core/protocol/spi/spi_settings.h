#pragma once

#include <cstdint>

#include "core/base/time.h"
#include "core/decode/bit_order.h"
#include "core/decode/bus.h"

namespace bexto {

/// What one frame of an SPI bus is: all that one chip select (or one run of the clock) encloses, or each word of it.
enum class SpiFrames : std::uint8_t { Transfer, Word };

/// SPI has no standard; modes are numbered as 2 * CPOL + CPHA, as its users do.
struct SpiSettings {
  int mode = 0;  ///< 0 to 3; modes 0 and 3 sample at rising clock edges
  int bits = 8;  ///< of a word, 1 to 32
  BitOrder order = BitOrder::Msb;
  bool selectHigh = false;  ///< the chip select is active when high
  Picoseconds gap{0};       ///< without a chip select: a clock that rests this long ends a transfer
  SpiFrames frames = SpiFrames::Transfer;
  bool operator==(const SpiSettings&) const = default;
};

/// Requires: the bus is SPI.
inline const SpiSettings& spiSettings(const Bus& bus)
{
  return bus.settings.as<SpiSettings>();
}

/// New ones, written and read by the room's table.
Settings makeSpiSettings();

/// "mode 1 · 16 bits · gap 8 µs".
std::string spiSummary(const Bus& bus);

}  // namespace bexto
