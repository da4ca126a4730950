#pragma once

#include <QString>
#include <set>
#include <vector>

#include "ui/document/document.h"

namespace bexto::ui {

/// One horizontal band of the Timeline, in content coordinates.
struct TimelineLane {
  enum class Kind { Bus, Wire };
  Kind kind = Kind::Wire;
  QString name;
  QString detail;  ///< under a bus's name: protocol and direction
  int bus = -1;    ///< -1: a wire of no bus
  int stream = -1;
  bool samples = false;  ///< this wire's levels are what the bus lane's bits were sampled from
  EdgeTrack track = {};  ///< of a wire
  int top = 0;
  int height = 0;

  int bottom() const { return top + height; }
};

inline constexpr int kBusLaneHeight = 72;
inline constexpr int kWireLaneHeight = 36;
inline constexpr int kLaneHeader = 96;
inline constexpr int kRulerHeight = 26;

/// The lanes of a document: each bus with its wires below, then wires that no bus uses and that move at all.
std::vector<TimelineLane> timelineLanes(const Document& document);

}  // namespace bexto::ui
