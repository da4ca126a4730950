#pragma once

#include <string>

#include "core/decode/decoder.h"

namespace bexto::bench {

/// I2C at 400 kHz, transfers of 3 to 18 bytes with pauses: about `transitions` on SCL and SDA together.
StreamInput i2cTraffic(std::uint64_t transitions);

/// 115200 8N1, random bytes in bursts.
StreamInput uartTraffic(std::uint64_t transitions);

/// One wire that flips `transitions` times, in bursts with pauses.
EdgeTrack burstyWire(std::uint64_t transitions, std::uint64_t seed);

/// Both wires as the text of a value change dump.
std::string vcdText(const StreamInput& input);

Bus i2cBus();
Bus uartBus();

std::uint64_t transitionsOf(const StreamInput& input);

}  // namespace bexto::bench
