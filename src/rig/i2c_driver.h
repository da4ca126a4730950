#pragma once

#include <cstdint>
#include <span>
#include <vector>

#include "rig/chance.h"
#include "rig/wire.h"

namespace bexto::rig {

/// How fast the controller clocks; the defaults suit fast mode with room to spare.
struct I2cPace {
  Picoseconds low = std::chrono::nanoseconds{1390};
  Picoseconds high = std::chrono::nanoseconds{1150};
  Picoseconds dataAfterFall = std::chrono::nanoseconds{310};  ///< when a sender moves SDA after SCL fell
  Picoseconds jitter = std::chrono::nanoseconds{15};          ///< of each clock phase
};

/// Controller and target of an I2C bus at once: it draws what both do. Each call goes on where the one before ended;
/// now() tells where that is.
class I2cDriver {
 public:
  I2cDriver(const I2cPace& pace, Chance& chance) : m_pace(pace), m_chance(chance), m_scl(true), m_sda(true) {}

  Picoseconds now() const { return m_now; }
  /// Lets the bus rest. Requires: it is idle, or the clock is low.
  void waitUntil(Picoseconds t) { m_now = std::max(m_now, t); }

  void start();  ///< also the repeated one
  void stop();
  /// Eight bits and the answer of whoever receives them.
  void byte(std::uint8_t value, bool acknowledged);
  /// The first bits of a byte only.
  void bits(std::uint8_t value, int count);
  /// The target holds the clock low for so long before the next bit.
  void stretch(Picoseconds length) { m_extraLow = length; }
  /// While the clock is being held, the controller gives up: it lets SDA go, waits for the clock, and sends a START.
  void giveUp(Picoseconds clockComesBack);

  /// START, address and bytes, all acknowledged; no STOP.
  void write(std::uint8_t address, std::span<const std::uint8_t> bytes);
  /// (Repeated) START, address, bytes of which the last is not acknowledged; no STOP.
  void read(std::uint8_t address, std::span<const std::uint8_t> bytes);

  EdgeTrack scl() const { return m_scl.track(); }
  EdgeTrack sda() const { return m_sda.track(); }

 private:
  void bit(bool level);
  Picoseconds phase(Picoseconds nominal) { return m_chance.around(nominal, m_pace.jitter); }

  I2cPace m_pace;
  Chance& m_chance;
  Wire m_scl;
  Wire m_sda;
  Picoseconds m_now{0};
  Picoseconds m_extraLow{0};
  bool m_clockLow = false;
};

}  // namespace bexto::rig
