#pragma once

#include <QStringList>
#include <optional>
#include <vector>

#include "core/session/lane_arrangement.h"
#include "ui/focus/focus.h"
#include "ui/theme/theme.h"
#include "ui/timeline/plot_series.h"

namespace bexto::ui {

/// One horizontal band of the Timeline, in content coordinates.
struct TimelineLane {
  enum class Kind { Bus, Wire, Number, Plot };
  Kind kind = Kind::Wire;
  QString name;
  QString detail;           ///< under a bus's name: protocol and direction
  QString direction;        ///< of a bus with several streams: "RX"
  StreamId stream = {};     ///< of a wire of no bus: none
  int sampledLine = -1;     ///< of a wire: the bus lane's bits of this line were sampled from it; -1: none were
  bool hasRecords = false;  ///< of a bus: its frames came whole, without wires, fields and bits
  QStringList lines = {};   ///< of a bus: what its data wires are called; each has fields and bits of its own
  std::size_t channel = 0;  ///< of a wire, in Capture::channels
  ConditionedTrack track = {EdgeTrack(), {}};  ///< of a wire
  std::optional<WireColour> colour = {};       ///< of a wire: chosen for its chip
  std::vector<ConditionedTrack> bits = {};     ///< of a number: the highest first
  ValueFormat format = ValueFormat::Hex;       ///< of a number
  std::shared_ptr<const PlotView> plot = {};   ///< of a plot
  LaneKey key = {};
  LaneKey group = {};   ///< key of the lane of the bus or number that a wire or a plot stands under; else its own
  bool folded = false;  ///< of a bus or number: its wires are put away
  int dimension = 0;    ///< of its height, what is below the rest for a measured interval
  int top = 0;
  int height = 0;

  int bottom() const { return top + height; }
  // Of a wire, a number or a plot:
  /// Its change, or what was said, nearest to `t`, the earlier of two; kNever when there is none.
  Picoseconds nearestEdge(Picoseconds t) const;
  /// From the last change at or before `t` to the first after it, inside the whole.
  TimeRange restAround(Picoseconds t, TimeRange whole) const;
};

// Lengths of the design, for px(). What is arranged is kept in them, so it looks the same at another size of text.
inline constexpr int kBusLaneHeight = 72;
inline constexpr int kWireLaneHeight = 36;
inline constexpr int kPlotLaneHeight = 72;
/// For a second data wire: one more row of fields and one of bits.
inline constexpr int kSecondLineHeight = 35;
inline constexpr int kLeastWireHeight = 20;
inline constexpr int kLeastBusHeight = 25;
inline constexpr int kMostLaneHeight = 240;
inline constexpr int kLaneHeader = 96;
inline constexpr int kRulerHeight = 26;
/// For a measured interval, below what it was measured on.
inline constexpr int kDimensionHeight = 22;

/// A bus lane whose wires are put away is as low as its sentence.
inline constexpr int kFoldedBusHeight = 25;

/// One without wires has no more than that to show, and its head has two lines.
inline constexpr int kRecordsLaneHeight = 46;
/// As far behind a frame as its words mostly reach.
inline constexpr int kWordsBehind = 260;

/// More wires of no bus than anybody scrolls through unasked: a simulator's dump may have thousands.
inline constexpr std::size_t kMostLooseWires = 64;

/// What has no lane, though it could.
struct LanesLeft {
  std::size_t moving = 0;  ///< wires and numbers that change, or that fit what is looked for
  std::size_t folded = 0;  ///< wires of no bus, when they are put away
  std::size_t still = 0;   ///< those that never change, whether they have lanes or not
};

/// The lanes of an engine: each bus with its wires below and then its plots, then wires that no bus uses, as arranged;
/// those that never change come last, if at all. A number that several wires make is one lane until it is opened. With
/// a text in `find`, only those with it in their names, also what would have no lane otherwise.
std::vector<TimelineLane> timelineLanes(const Engine& engine, const LaneArrangement& arrangement = {},
                                        const QString& find = {}, LanesLeft* left = nullptr,
                                        const std::vector<std::shared_ptr<const PlotView>>& plots = {});
/// An interval is drawn below its wire, so that nothing stands over what it was measured on; where the wire is put
/// away, below its bus. Makes that lane as much higher.
void makeRoomFor(const MeasuredInterval& interval, const std::vector<Channel>& channels,
                 std::vector<TimelineLane>& lanes);
/// What channels of plots are called in keys, which no channel of a capture is.
LaneKey plotKey(const Plot& plot, const std::string& line);
/// Whether the key is that of a plot.
bool isPlotKey(const LaneKey& key);

}  // namespace bexto::ui
