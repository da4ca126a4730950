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
  Picoseconds sonarErrors{0};      ///< first answer of the upper level head with parity or framing errors
  Picoseconds sonarBroken{0};      ///< the answer that fails its CRC
  Picoseconds flippedBit{0};       ///< select of the converter for the position that is read wrong
  Picoseconds corruptedFrame{0};   ///< SOF of the CAN frame that a glitch corrupts
  Picoseconds repeatedFrame{0};    ///< SOF of the same command again
  Picoseconds lateCommand{0};      ///< SOF of the drive command that comes 12 ms late
};

/// When each of the five faults happens in a cycle, from its begin; kNever: not in this one. The defaults are the day
/// that tutorials and pictures tell of.
struct CyclePlan {
  Picoseconds stretch = std::chrono::milliseconds{3204};      ///< 1: LT-20 holds the clock too long
  Picoseconds sonarHot = std::chrono::milliseconds{7200};     ///< 2: the upper head is far too fast from then on
  Picoseconds flip = std::chrono::milliseconds{6000};         ///< 3: the next word that can be read wrong is
  Picoseconds glitch = std::chrono::milliseconds{5180};       ///< 4: the next command to gate drive 2 is corrupted
  Picoseconds lateCommand = std::chrono::milliseconds{6900};  ///< 4: and this one leaves late
  Picoseconds rollover = std::chrono::milliseconds{5500};     ///< 5: the clock is read across this end of a minute
};

struct LockCycle {
  Capture capture;
  LockCycleFaults faults;
};

/// 8.412 s at Aldermere Lock, recorded at the gate controller:
///   sensors  SCL, SDA: I2C 400 kHz with LT-20 at 0x2A, PX-8 at 0x21, TK-9 at 0x5D, EM-4 at 0x52
///   console  CONSOLE_TX: UART 115200 8N1
///   sonar    SONAR_TX, SONAR_RX: UART 57600 8E1 (see sonar_line.h)
///   log      SPI_CLK, SPI_MOSI, SPI_MISO, LOG_CS: SPI mode 0 (see spi_devices.h)
///   adc      the same with ADC_CS: SPI mode 1
///   drives   CAN_RX: CAN FD 500 kbit/s and 2 Mbit/s (see drive_network.h)
///   lamps    LAMPS_LIN: LIN 19.2 kbit/s (see lamp_network.h)
///   bearing  BEARING_DQ: 1-Wire (see bearing_probes.h)
///
/// The recording's trigger is at 6.1 s, where gate 2 stalls.
///
/// 1. LT-20 stretches the clock for longer than the firmware waits; the firmware sends a START inside the byte, and the
///    next read returns a stale level.
/// 2. The upper level head's oscillator runs fast when warm: parity and framing errors, one message fails its CRC.
/// 3. The converter's data changes too late before the sampling edge: a bit of a position flips.
/// 4. A 90 ns glitch on the CAN line: CRC error, error frame, repetition; one drive command comes 12 ms late.
/// 5. TK-9 is read across a minute's end in two transactions: the time jumps back.
///
/// Same seed, same capture, on every machine.
LockCycle simulateLockCycle(std::uint64_t seed, const CyclePlan& plan = {});

/// How long a cycle is.
inline constexpr Picoseconds kLockCycle = std::chrono::milliseconds{8412};

/// How its buses are wired and set, as bus specs (docs/command-line.md).
std::vector<std::string> lockCycleBuses();

/// What its devices say: a device sheet, and the bus that it is for.
struct LockCycleSheet {
  std::string bus;
  std::string name;  ///< of its file
  std::string text;
};
std::vector<LockCycleSheet> lockCycleSheets();
/// What its buses are judged by, where that is not the usual: a rulebook, and the bus that it is for.
std::vector<LockCycleSheet> lockCycleBooks();

}  // namespace bexto::rig
