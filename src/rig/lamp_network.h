#pragma once

#include <cstdint>

#include "core/signal/edge_track.h"

namespace bexto::rig {

/// The LIN cluster of the two signal lamps (19.2 kbit/s). Every 100 ms the controller commands both (frame 11: colour
/// and brightness of each, and a counter), and asks each for its status (21 and 22: colour, current in mA,
/// temperature). Once at the start it asks lamp 2 who it is, by a diagnostic request (3C) and its response (3D), whose
/// checksums are classic. Lamp 2 runs 1.1 % slow, which it may.
EdgeTrack simulateLamps(std::uint64_t seed, Picoseconds end);

}  // namespace bexto::rig
