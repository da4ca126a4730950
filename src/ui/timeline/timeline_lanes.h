#pragma once

#include <QStringList>
#include <set>
#include <vector>

#include "core/session/lane_arrangement.h"
#include "ui/engine/engine.h"
#include "ui/theme/theme.h"

namespace bexto::ui {

/// One horizontal band of the Timeline, in content coordinates.
struct TimelineLane {
  enum class Kind { Bus, Wire };
  Kind kind = Kind::Wire;
  QString name;
  QString detail;           ///< under a bus's name: protocol and direction
  StreamId stream = {};     ///< of a wire of no bus: none
  int sampledLine = -1;     ///< of a wire: the bus lane's bits of this line were sampled from it; -1: none were
  QStringList lines = {};   ///< of a bus: what its data wires are called; each has fields and bits of its own
  std::size_t channel = 0;  ///< of a wire, in Capture::channels
  ConditionedTrack track = {EdgeTrack(), {}};  ///< of a wire
  LaneKey key = {};
  LaneKey group = {};   ///< key of the bus lane that a wire stands under; else its own
  bool folded = false;  ///< of a bus: its wires are put away
  int top = 0;
  int height = 0;

  int bottom() const { return top + height; }
};

// Lengths of the design, for px(). What is arranged is kept in them, so it looks the same at another size of text.
inline constexpr int kBusLaneHeight = 72;
inline constexpr int kWireLaneHeight = 36;
/// For a second data wire: one more row of fields and one of bits.
inline constexpr int kSecondLineHeight = 35;
inline constexpr int kLeastWireHeight = 20;
inline constexpr int kLeastBusHeight = 32;
inline constexpr int kMostLaneHeight = 240;
inline constexpr int kLaneHeader = 96;
inline constexpr int kRulerHeight = 26;

/// More wires of no bus than anybody scrolls through unasked: a simulator's dump may have thousands.
inline constexpr std::size_t kMostLooseWires = 64;

/// The lanes of an engine: each bus with its wires below, then wires that no bus uses and that move at all; as
/// arranged. `left`, when given: how many of the latter have none.
std::vector<TimelineLane> timelineLanes(const Engine& engine, const LaneArrangement& arrangement = {},
                                        std::size_t* left = nullptr);

}  // namespace bexto::ui
