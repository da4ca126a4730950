#pragma once

#include "core/signal/edge_track.h"

namespace bexto {

/// What is done to a channel's transitions on their way to whoever reads them. The track itself stays as it was
/// captured.
struct Conditioning {
  Picoseconds minPulse{0};  ///< shorter pulses, high or low, are left out
  bool invert = false;      ///< high and low change places
  bool any() const { return invert || minPulse > Picoseconds{0}; }
  bool operator==(const Conditioning&) const = default;
};

/// A track as it is to be read.
struct ConditionedTrack {
  EdgeTrack track;
  Conditioning how = {};

  ConditionedTrack(EdgeTrack t, Conditioning c = {}) : track(std::move(t)), how(c) {}

  /// The level after everything that happens at `t`, as a reader sees it.
  bool levelAt(Picoseconds t) const;
};

}  // namespace bexto
