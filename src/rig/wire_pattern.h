#pragma once

#include <cstdint>
#include <vector>

namespace bexto::rig {

/// The levels of all probes from a moment on: probe 0 is the lowest bit.
struct ProbeChange {
  std::int64_t time = 0;  ///< ps
  std::uint16_t levels = 0;
};

/// Levels that somebody drives on probes, beginning and ending with the wires at rest.
struct WirePattern {
  std::uint16_t driven = 0;        ///< the probes
  std::uint16_t open = 0;          ///< those of them that are let go of where the pattern says high
  std::vector<ProbeChange> steps;  ///< times from its begin, the first 0; never empty
  std::int64_t length = 0;         ///< ps
};

}  // namespace bexto::rig
