#pragma once

#include <optional>
#include <stop_token>

#include "core/decode/bus.h"
#include "core/decode/frame_index.h"
#include "core/signal/conditioning.h"

namespace bexto {

/// What a wire does in a stretch of time. Levels count that begin and end inside it. What the stretch is too short to
/// tell has no value. Both functions only read what they are given, so any thread may call them.
struct WireStatistics {
  std::uint64_t edges = 0;           ///< of both directions
  std::optional<double> hertz = {};  ///< of whole periods, rising edge to rising edge
  std::optional<double> duty = {};   ///< share of those periods that is high
  std::optional<Picoseconds> shortestHigh = {};
  std::optional<Picoseconds> longestHigh = {};
  std::optional<Picoseconds> shortestLow = {};
  std::optional<Picoseconds> longestLow = {};
};
/// One pass over the stretch's transitions; what was seen so far when stopped; looks at the token every 16 K of them.
/// `until` is what the capture ends at.
WireStatistics measureWire(const ConditionedTrack& wire, TimeRange stretch, Picoseconds until,
                           const std::stop_token& stop);

/// What a stream carries in a stretch of time: frames that begin in it; load is the share of time that frames take.
struct StreamStatistics {
  std::uint64_t frames = 0;
  std::uint64_t faulty = 0;  ///< of those, as isFaulty() has it
  std::uint64_t bytes = 0;   ///< of payload, all ways
  double load = 0.0;         ///< 0 to 1
};
/// One pass over the stretch's frames; looks at the token every 16 K of them.
StreamStatistics measureStream(const Bus& bus, const FrameIndex& frames, TimeRange stretch,
                               const std::stop_token& stop);

}  // namespace bexto
