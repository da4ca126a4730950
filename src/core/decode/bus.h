#pragma once

#include <cstdint>
#include <string>
#include <variant>
#include <vector>

#include "core/base/result.h"
#include "core/base/time.h"
#include "core/signal/capture.h"

namespace bexto {

enum class Protocol : std::uint8_t { Uart, I2c, Spi, Can };
enum class Parity : std::uint8_t { None, Even, Odd, Mark, Space };
enum class BitOrder : std::uint8_t { Lsb, Msb };
/// How values are written for people; a bus has one, and every part of the window follows it.
enum class ValueFormat : std::uint8_t { Hex, Decimal, Octal, Binary, Text };

struct UartSettings {
  double baud = 0.0;  ///< bit/s; 0 is "find it from the wires"
  int bits = 8;       ///< data bits, 5 to 9
  Parity parity = Parity::None;
  int halfStopBits = 2;  ///< 2, 3 or 4 halves: 1, 1.5 or 2 stop bits
  BitOrder order = BitOrder::Lsb;
  bool invert = false;  ///< idle is low
  bool operator==(const UartSettings&) const = default;
};

/// After UM10204 (I2C-bus specification and user manual, rev. 7.0).
struct I2cSettings {
  Picoseconds spike{0};  ///< shorter pulses on either wire do not count; 50 ns is tSP of table 10 for fast mode
  bool operator==(const I2cSettings&) const = default;
};

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

/// After ISO 11898-1:2015. Sample points are shares of the bit, from its begin.
struct CanSettings {
  double bitrate = 0.0;  ///< bit/s; 0 is "find it from the wire"
  double samplePoint = 0.8;
  double fdBitrate = 0.0;  ///< bit/s of the data phase of frames that switch; 0: no other than `bitrate`
  double fdSamplePoint = 0.75;
  bool iso = true;      ///< CAN FD with stuff count (ISO 11898-1:2015), or the older form without
  bool invert = false;  ///< dominant is high
  bool operator==(const CanSettings&) const = default;
};

/// A wire's part in a bus ("scl") and the channel that plays it.
struct BusWire {
  std::string role;
  std::string channel;
  bool operator==(const BusWire&) const = default;
};

/// A bus as the user describes it: nothing here has been looked up in a capture. A plain value.
struct Bus {
  std::string name;
  std::variant<UartSettings, I2cSettings, SpiSettings, CanSettings> settings;
  std::vector<BusWire> wires;
  ValueFormat format = ValueFormat::Hex;  ///< how people see its values; no part of the decode

  Protocol protocol() const { return static_cast<Protocol>(settings.index()); }
  /// The channel of `role`, empty when none is given.
  const std::string& channelOf(const std::string& role) const;
  /// Gives `role` a channel; an empty name takes it away.
  void setChannel(const std::string& role, const std::string& channel);
  bool operator==(const Bus&) const = default;
};

/// A bus carries one stream of frames for each direction that has wires of its own.
struct BusStream {
  std::string line;                   ///< "rx", "tx"; empty when the bus has one stream
  std::vector<std::size_t> channels;  ///< in Capture::channels, in the order of the protocol's roles
};

/// A bus that fits a capture: channels found, rates known.
struct ResolvedBus {
  Bus bus;  ///< with a rate "auto" replaced by what was found
  std::vector<BusStream> streams;
};

/// Looks the bus's channels up and finds what is "auto".
/// Errors: BadArgument (a missing role or channel, two roles on one wire, a rate that cannot be found).
Result<ResolvedBus> resolveBus(const Bus& bus, const Capture& capture);

}  // namespace bexto
