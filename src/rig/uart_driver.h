#pragma once

#include <string_view>

#include "rig/chance.h"
#include "rig/wire.h"

namespace bexto::rig {

/// A sender on an asynchronous line: 8 data bits, even parity or none, 1 stop bit.
class UartDriver {
 public:
  /// `baud` is what the sender's oscillator really makes.
  UartDriver(double baud, Chance& chance, bool evenParity = false)
      : m_bit(1e12 / baud), m_evenParity(evenParity), m_chance(chance), m_line(true)
  {
  }
  void setBaud(double baud) { m_bit = 1e12 / baud; }

  Picoseconds now() const { return m_now; }
  void waitUntil(Picoseconds t) { m_now = std::max(m_now, t); }
  void send(std::string_view text);
  EdgeTrack track() const { return m_line.track(); }

 private:
  double m_bit;  ///< ps
  bool m_evenParity;
  Chance& m_chance;
  Wire m_line;
  Picoseconds m_now{0};
};

}  // namespace bexto::rig
