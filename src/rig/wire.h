#pragma once

#include "core/signal/edge_track_builder.h"

namespace bexto::rig {

/// A wire that is driven in the order of time; moments are rounded to the simulator's nanosecond.
class Wire {
 public:
  explicit Wire(bool idle) : m_track(3) { m_track.set(0, idle); }

  /// Requires: `t` is not below that of the call before.
  void drive(Picoseconds t, bool level) { m_track.set((t.count() + 500) / 1000, level); }
  EdgeTrack track() const { return m_track.snapshot(); }

 private:
  EdgeTrackBuilder m_track;
};

}  // namespace bexto::rig
