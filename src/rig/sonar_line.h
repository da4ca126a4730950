#pragma once

#include <cstdint>

#include "core/signal/edge_track.h"

namespace bexto::rig {

/// The two level heads on their asynchronous line (57600 8E1): the controller asks on TX, they answer on RX. A message
/// is 7E, the length of what follows up to the CRC, the head (01 upper, 02 lower), a command, its payload, and a CRC-16
/// (polynomial 1021, initial FFFF), high byte first.
///
/// The upper head's oscillator runs up to 2.6 % fast as it warms, and at the end has moments of more: parity and
/// framing errors come, and one message whose data is wrong.
struct SonarLine {
  EdgeTrack tx;
  EdgeTrack rx;
  Picoseconds firstErrors{0};    ///< begin of the first answer with parity or framing errors
  Picoseconds brokenMessage{0};  ///< begin of the answer that fails its CRC
};

/// It is hot from `hot` on; kNever: it never warms.
SonarLine simulateSonar(std::uint64_t seed, Picoseconds end, Picoseconds hot);

}  // namespace bexto::rig
