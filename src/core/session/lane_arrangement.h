#pragma once

#include <compare>
#include <map>
#include <optional>
#include <set>
#include <string>
#include <vector>

#include "core/base/stream_id.h"
#include "core/decode/value_text.h"
#include "core/session/wire_colour.h"

namespace bexto {

/// A lane of the Timeline, whatever its bus is called and wherever it stands: the stream of a bus, a wire below one, a
/// wire of no bus, or a number that several wires make. All empty: no lane.
struct LaneKey {
  BusId bus = BusId::None;
  std::string line = {};     ///< the direction of the bus's stream; empty when the bus has one
  std::string channel = {};  ///< path of the wire or number; empty for the lane of a stream

  bool valid() const { return bus != BusId::None || !channel.empty(); }
  /// The lane of the stream that a wire stands below; its own for all others.
  LaneKey group() const { return bus == BusId::None ? *this : LaneKey{bus, line, {}}; }
  std::strong_ordering operator<=>(const LaneKey&) const = default;
};

/// What the user did to the lanes: order, heights, names, colours, and what is hidden, folded away or opened. Knows no
/// lanes by itself, so what was done to one that is gone is there when it comes back. A plain value.
class LaneArrangement {
 public:
  bool isHidden(const LaneKey& key) const { return m_hidden.contains(key); }
  void setHidden(const LaneKey& key, bool hidden);
  const std::set<LaneKey>& hidden() const { return m_hidden; }
  void showAll() { m_hidden.clear(); }

  /// Whether anything is other than at first.
  bool touched() const { return *this != LaneArrangement(); }

  /// Whether the wires of a stream are put away.
  bool isFolded(const LaneKey& key) const { return m_folded.contains(key); }
  void setFolded(const LaneKey& key, bool folded);
  const std::set<LaneKey>& folded() const { return m_folded; }

  /// In pixels.
  int heightOf(const LaneKey& key, int usual) const;
  void setHeight(const LaneKey& key, int height) { m_heights[key] = height; }
  const std::map<LaneKey, int>& heights() const { return m_heights; }

  /// The user's name for the channel of that path; `usual` when there is none.
  const std::string& nameOf(const std::string& channel, const std::string& usual) const;
  /// An empty name gives the usual one back.
  void setName(const std::string& channel, const std::string& name);
  const std::map<std::string, std::string>& names() const { return m_names; }

  /// Whether all wires that no bus uses have a lane, or only as many as one scrolls through.
  bool hasAllWires() const { return m_allWires; }
  void setAllWires(bool all) { m_allWires = all; }

  /// Whether the wires that never change have a lane, below all others.
  bool hasStillWires() const { return m_stillWires; }
  void setStillWires(bool still) { m_stillWires = still; }

  /// Whether the wires of no bus are put away.
  bool areLooseFolded() const { return m_looseFolded; }
  void setLooseFolded(bool folded) { m_looseFolded = folded; }

  /// Whether the bits of a number have lanes of their own below its.
  bool isOpened(const LaneKey& key) const { return m_opened.contains(key); }
  void setOpened(const LaneKey& key, bool opened);
  const std::set<LaneKey>& opened() const { return m_opened; }

  /// How a number is written.
  ValueFormat formatOf(const LaneKey& key) const;
  void setFormat(const LaneKey& key, ValueFormat format);
  const std::map<LaneKey, ValueFormat>& formats() const { return m_formats; }

  /// The colour of the chip at the head of the channel of that path; nullopt: nobody chose one.
  std::optional<WireColour> colourOf(const std::string& channel) const;
  void setColour(const std::string& channel, std::optional<WireColour> colour);
  const std::map<std::string, WireColour>& colours() const { return m_colours; }

  /// The place of each lane that was ever moved, among others of its kind: smaller is higher. All others follow.
  std::map<LaneKey, std::size_t> ranks() const;
  /// Fixes the order: `keys` are those in view from top to bottom. Those that are not, folded away or hidden, stay
  /// behind what they stood behind.
  void setOrder(const std::vector<LaneKey>& keys);
  const std::vector<LaneKey>& order() const { return m_order; }

  bool operator==(const LaneArrangement&) const = default;

 private:
  std::set<LaneKey> m_hidden;
  std::set<LaneKey> m_folded;
  std::map<LaneKey, int> m_heights;
  std::map<std::string, std::string> m_names;
  std::vector<LaneKey> m_order;
  bool m_allWires = false;
  bool m_stillWires = false;
  bool m_looseFolded = false;
  std::set<LaneKey> m_opened;
  std::map<LaneKey, ValueFormat> m_formats;
  std::map<std::string, WireColour> m_colours;
};

}  // namespace bexto
