#pragma once

#include <cmath>

#include "core/base/time.h"
#include "core/protocol/uart/uart_settings.h"

namespace bexto {

/// When things happen in a character, as distances from its start edge.
class UartTiming {
 public:
  /// Requires: settings.baud > 0.
  explicit UartTiming(const UartSettings& settings);

  int bitsToStop() const { return m_bitsToStop; }  ///< start, data and parity bits
  int stopBitCount() const { return m_stopBits; }  ///< whole stop bits that have a middle of their own: 1 or 2
  double bitLength() const { return m_bit; }       ///< ps
  double bitsPerPicosecond() const { return m_perPicosecond; }
  Picoseconds bitBegin(int bit) const { return at(bit); }
  Picoseconds bitMiddle(int bit) const { return at(bit + 0.5); }
  Picoseconds end() const { return m_end; }        ///< of the last stop bit
  Picoseconds resume() const { return m_resume; }  ///< middle of the last stop bit: a start edge from here on is new
  Picoseconds vote() const { return m_vote; }      ///< the last of the three looks at the start bit
  Picoseconds stopVote() const { return m_stopVote; }  ///< the last look at the first stop bit
  Picoseconds shortest() const { return m_shortest; }  ///< a shorter low pulse starts nothing

 private:
  Picoseconds at(double bits) const { return Picoseconds{std::llround(bits * m_bit)}; }

  double m_bit;
  double m_perPicosecond;
  int m_bitsToStop;
  int m_stopBits;
  Picoseconds m_end;
  Picoseconds m_resume;
  Picoseconds m_vote;
  Picoseconds m_stopVote;
  Picoseconds m_shortest;
};

}  // namespace bexto
