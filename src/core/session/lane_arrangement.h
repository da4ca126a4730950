#pragma once

#include <compare>
#include <map>
#include <set>
#include <string>
#include <vector>

#include "core/base/stream_id.h"

namespace bexto {

/// A lane of the Timeline, whatever its bus is called and wherever it stands: the stream of a bus, a wire below one, or
/// a wire of no bus. All empty: no lane.
struct LaneKey {
  BusId bus = BusId::None;
  std::string line = {};     ///< the direction of the bus's stream; empty when the bus has one
  std::string channel = {};  ///< path of the wire; empty for the lane of a stream

  bool valid() const { return bus != BusId::None || !channel.empty(); }
  /// The lane of the stream that a wire stands below; its own for all others.
  LaneKey group() const { return bus == BusId::None ? *this : LaneKey{bus, line, {}}; }
  std::strong_ordering operator<=>(const LaneKey&) const = default;
};

/// What the user did to the lanes: order, heights, names, and what is hidden or folded away. Knows no lanes by itself,
/// so what was done to one that is gone is there when it comes back. A plain value.
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

  /// The place of a lane among others of its kind: smaller is higher. Lanes that were never moved follow.
  std::size_t rankOf(const LaneKey& key) const;
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
};

}  // namespace bexto
