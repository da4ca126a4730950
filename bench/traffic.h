#pragma once

#include <string>

#include "core/decode/decoder.h"

namespace bexto::bench {

/// I2C at 400 kHz, transfers of 3 to 18 bytes with pauses: about `transitions` on SCL and SDA together.
StreamInput i2cTraffic(std::uint64_t transitions);

/// 115200 8N1, random bytes in bursts.
StreamInput uartTraffic(std::uint64_t transitions);

/// SPI at 8 MHz, both data lines, 1 to 64 words a select.
StreamInput spiTraffic(std::uint64_t transitions);

/// CAN at 500 kbit/s back to back: classic frames of 8 bytes, or FD frames of 12 to 24 bytes at 2 Mbit/s.
/// Unless `acknowledged` there is one node only, which has given up to say so with flags.
StreamInput canTraffic(std::uint64_t transitions, bool fd, bool acknowledged = true);

/// One wire that flips `transitions` times, in bursts with pauses.
EdgeTrack burstyWire(std::uint64_t transitions, std::uint64_t seed);

/// Both wires as the text of a value change dump.
std::string vcdText(const StreamInput& input);

Bus i2cBus();
Bus uartBus();
Bus spiBus();
Bus canBus();

std::uint64_t transitionsOf(const StreamInput& input);

}  // namespace bexto::bench
