#pragma once

#include <cstdint>

#include "core/signal/capture.h"

namespace bexto::rig {

/// Where the faults of the lock cycle are, for tests and tutorials.
struct LockCycleFaults {
  Picoseconds stretchedRead{0};    ///< START of the LT-20 read that the firmware abandons
  Picoseconds staleRead{0};        ///< START of the next read, which returns the level of before
  Picoseconds rolloverSeconds{0};  ///< START of the TK-9 read that sees second 59
  Picoseconds rolloverMinutes{0};  ///< START of the one after it, which sees the next minute
};

struct LockCycle {
  Capture capture;
  LockCycleFaults faults;
};

/// 8.412 s at Aldermere Lock, recorded at the gate controller: `SCL` and `SDA` of the sensor bus (I2C, 400 kHz: LT-20
/// at 0x2A, PX-8 at 0x21, TK-9 at 0x5D, EM-4 at 0x52) and `CONSOLE_TX` (UART 115200 8N1).
///
/// 1. LT-20 stretches the clock for longer than the firmware waits; the firmware sends a START inside the byte, and the
///    next read returns a stale level. 2. TK-9 is read across a minute's end in two transactions: the time jumps back.
///
/// Same seed, same capture, on every machine.
LockCycle simulateLockCycle(std::uint64_t seed);

}  // namespace bexto::rig
