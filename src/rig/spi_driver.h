#pragma once

#include <cstdint>
#include <span>

#include "rig/chance.h"
#include "rig/wire.h"

namespace bexto::rig {

/// How a controller clocks words out and what the device answers with.
struct SpiPace {
  int mode = 0;
  int bits = 8;
  bool lsbFirst = false;
  Picoseconds half = Picoseconds{62500};        ///< of a clock period
  Picoseconds lead = Picoseconds{300000};       ///< from the select to the first clock edge, and from the last one back
  Picoseconds between = Picoseconds{0};         ///< more rest between two words
  Picoseconds answerAfter = Picoseconds{8000};  ///< MISO moves so long after the edge that asks for it
};

/// The shared wires of an SPI bus with one select for each of its devices. Each call goes on where the one before
/// ended.
class SpiDriver {
 public:
  explicit SpiDriver(std::size_t devices);

  Picoseconds now() const { return m_now; }
  void waitUntil(Picoseconds t) { m_now = std::max(m_now, t); }

  void select(std::size_t device, const SpiPace& pace);
  /// One word each way. `lateBit`: MISO of this bit (counted from the first sent) moves only after the edge that
  /// samples it; -1: none.
  void word(std::uint32_t out, std::uint32_t in, const SpiPace& pace, int lateBit = -1);
  /// The first bits of a word only.
  void bits(std::uint32_t out, std::uint32_t in, int count, const SpiPace& pace, int lateBit = -1);
  void release(std::size_t device, const SpiPace& pace);

  EdgeTrack clock() const { return m_clock.track(); }
  EdgeTrack mosi() const { return m_mosi.track(); }
  EdgeTrack miso() const { return m_miso.track(); }
  EdgeTrack selectOf(std::size_t device) const { return m_selects.at(device).track(); }

 private:
  Wire m_clock;
  Wire m_mosi;
  Wire m_miso;
  std::vector<Wire> m_selects;
  Picoseconds m_now{0};
};

}  // namespace bexto::rig
