#pragma once

#include <cmath>
#include <cstdint>
#include <span>

#include "rig/wire.h"

namespace bexto::rig {

/// How the nodes of a LIN cluster clock their bits. Both are what the oscillators really make, in bit/s.
struct LinPace {
  double commander = 19200.0;  ///< headers, and responses of the commander
  double responder = 19200.0;  ///< responses of others: they synchronise to the header, and are a little off
  double breakBits = 13.0;
  double delimiterBits = 1.0;
  double responseSpace = 2.0;  ///< bits between header and response
  double byteSpace = 0.0;      ///< bits between the bytes of a response
};

/// What a frame's checksum is summed over.
enum class LinSum : std::uint8_t { Classic, Enhanced };

/// The identifier with its two parity bits.
std::uint8_t linPid(std::uint8_t id);
/// The inverted sum with carry; `pid` counts in the enhanced one.
std::uint8_t linSum(LinSum model, std::uint8_t pid, std::span<const std::uint8_t> data);

/// The wire of a LIN cluster: everything on it, whoever sends. Each call goes on where the one before ended.
class LinDriver {
 public:
  explicit LinDriver(const LinPace& pace) : m_pace(pace), m_line(true) {}

  Picoseconds now() const { return Picoseconds{std::llround(m_now)}; }
  void waitUntil(Picoseconds t) { m_now = std::max(m_now, static_cast<double>(t.count())); }
  /// So many bits of the commander.
  void rest(double bits) { m_now += bits * 1e12 / m_pace.commander; }

  /// Break, sync byte and protected identifier.
  void header(std::uint8_t pid);
  /// The response space, then each byte.
  void response(std::span<const std::uint8_t> bytes, bool fromCommander = false);
  /// A whole frame with the checksum that belongs to it.
  void frame(std::uint8_t id, std::span<const std::uint8_t> data, LinSum model = LinSum::Enhanced,
             bool fromCommander = false);

  // The parts, for traffic that is wrong on purpose.
  void breakPulse(double bits, double delimiterBits);
  void low(Picoseconds length);
  /// A byte at `rate` bit/s; its stop bit may be dominant.
  void byte(std::uint8_t value, double rate, bool stopHigh = true);

  EdgeTrack track() const { return m_line.track(); }

 private:
  void hold(bool level, double length);

  LinPace m_pace;
  Wire m_line;
  double m_now = 0.0;
};

}  // namespace bexto::rig
