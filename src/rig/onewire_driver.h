#pragma once

#include <array>
#include <cstdint>
#include <span>
#include <vector>

#include "rig/wire.h"

namespace bexto::rig {

/// When a controller and its devices move a 1-Wire line.
struct OneWirePace {
  Picoseconds resetLow;
  Picoseconds presenceDelay;
  Picoseconds presenceLow;
  Picoseconds afterReset;  ///< from its end to the first slot
  Picoseconds slot;        ///< from one falling edge to the next
  Picoseconds lowOfOne;
  Picoseconds lowOfZero;
};
OneWirePace standardOneWire();
OneWirePace overdriveOneWire();

/// A device's ROM: family code, serial number, CRC.
using OneWireRom = std::array<std::uint8_t, 8>;
OneWireRom oneWireRom(std::uint8_t family, std::uint64_t serial);
/// The CRC-8 that ROMs and most of their devices' data carry.
std::uint8_t oneWireCrc(std::span<const std::uint8_t> bytes);

/// A 1-Wire line: everything on it, whoever pulls it low. Each call goes on where the one before ended.
class OneWireDriver {
 public:
  explicit OneWireDriver(const OneWirePace& pace) : m_pace(pace), m_line(true) {}

  Picoseconds now() const { return m_now; }
  void waitUntil(Picoseconds t) { m_now = std::max(m_now, t); }
  void setPace(const OneWirePace& pace) { m_pace = pace; }

  void reset(bool isAnswered = true);
  void bit(bool one);
  void byte(std::uint8_t value);
  void bytes(std::span<const std::uint8_t> values);
  /// The slots of a search among those that are there, which ends with `chosen`: at each place the bit and its opposite
  /// as they all answer, and the choice.
  void search(std::span<const OneWireRom> present, const OneWireRom& chosen);
  /// For traffic that is wrong on purpose.
  void low(Picoseconds length);

  EdgeTrack track() const { return m_line.track(); }

 private:
  OneWirePace m_pace;
  Wire m_line;
  Picoseconds m_now{0};
};

}  // namespace bexto::rig
