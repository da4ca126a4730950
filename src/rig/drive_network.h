#pragma once

#include <cstdint>

#include "core/signal/edge_track.h"

namespace bexto::rig {

/// The CAN FD network of the drives (500 kbit/s, 2 Mbit/s): the controller commands gate drive 1 (identifier 121), gate
/// drive 2 (122) and the paddle drive (131), and they report (221, 222, 231). Each also sends a classic heartbeat (701,
/// 702, 703).
///
/// A 90 ns glitch flips one bit of a command to gate drive 2 as the controller's side sees it: CRC error, error frame,
/// and the same command again 140 us later. Another command to it leaves 12 ms late.
struct DriveNetwork {
  EdgeTrack rx;
  Picoseconds corrupted{0};  ///< SOF of the frame with the glitch
  Picoseconds repeated{0};   ///< SOF of the same command, sent again
  Picoseconds late{0};       ///< SOF of the command that comes too late
};

/// The first command to gate drive 2 after `glitch` is corrupted, the one after `late` leaves late; kNever: none is.
DriveNetwork simulateDrives(std::uint64_t seed, Picoseconds end, Picoseconds glitch, Picoseconds late);

}  // namespace bexto::rig
