#pragma once

#include <cstdint>
#include <vector>

#include "core/signal/conditioning.h"
#include "core/view/time_axis.h"

namespace bexto {

/// What a wire does in a pixel column: rests, or has more transitions than can be told apart.
enum class WireState : std::uint8_t { Low, High, Busy };

/// Pixel columns [x0, x1) that look alike. Two neighbours that are Low and High meet in an edge.
struct WireRun {
  int x0 = 0;
  int x1 = 0;
  WireState state = WireState::Low;
  std::uint8_t density = 0;  ///< of Busy: 1 (two transitions a column) to 4 (hundreds)
  bool operator==(const WireRun&) const = default;
};

/// What a wire looks like on the axis, inside `[begin of the capture, until)`. Costs the number of columns times the
/// logarithm of what a column hides, whatever the length of the capture.
///
/// Pulses that are filtered out are left out where they could be told apart; where there are too many transitions for
/// that they are part of the shading.
std::vector<WireRun> wireShape(const ConditionedTrack& track, const TimeAxis& axis, Picoseconds until);

}  // namespace bexto
