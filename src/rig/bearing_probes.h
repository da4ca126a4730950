#pragma once

#include <cstdint>

#include "core/signal/edge_track.h"

namespace bexto::rig {

/// The 1-Wire line of three temperature probes (family 4E) in the gates' bearings. At the start the controller searches
/// for them; from then on it lets all of them measure once a second (skip ROM, 31), asks until the last is ready, and
/// reads each (match ROM, B7): hundredths of a degree in two bytes, the lower one first, a status, and a CRC-8.
EdgeTrack simulateBearings(std::uint64_t seed, Picoseconds end);

}  // namespace bexto::rig
