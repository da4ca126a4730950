#pragma once

#include <cstdint>

#include "core/signal/edge_track.h"

namespace bexto::rig {

/// Two devices on one clock and one pair of data lines: the log flash NV-32 (mode 0, 8 MHz, select 1) and the converter
/// AQ-416 (mode 1, 2 MHz, select 2). The converter moves its data later and later as the supply sags; on some words it
/// is close to the sampling edge, on one it is behind it, and a bit of a position flips.
struct SpiDevices {
  EdgeTrack clock;
  EdgeTrack mosi;
  EdgeTrack miso;
  EdgeTrack logSelect;
  EdgeTrack adcSelect;
  Picoseconds flippedBit{0};  ///< when the converter was selected for the word that is read wrong
};

/// The flipped bit is in the first word after `flip` that can have one; kNever: in none, and no word is late.
SpiDevices simulateSpiDevices(std::uint64_t seed, Picoseconds end, Picoseconds flip);

}  // namespace bexto::rig
