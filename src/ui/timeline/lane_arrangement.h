#pragma once

#include <QString>
#include <map>
#include <set>
#include <string>
#include <vector>

namespace bexto::ui {

/// What the user did to the lanes: order, heights, names, and what is hidden or folded away. Lanes are known by keys
/// that outlive a new capture: bus and line, or bus, line and channel. Knows no lanes by itself.
class LaneArrangement {
 public:
  static std::string busKey(const std::string& bus, const std::string& line);
  /// `group` is the bus lane that the wire stands under; empty for a wire of no bus.
  static std::string wireKey(const std::string& group, const std::string& channel);

  /// What was done to the lanes of a bus is done to them under its new name.
  void renameBus(const std::string& from, const std::string& to);

  bool isHidden(const std::string& key) const { return m_hidden.contains(key); }
  void setHidden(const std::string& key, bool hidden);
  const std::set<std::string>& hidden() const { return m_hidden; }
  void showAll() { m_hidden.clear(); }

  /// Whether anything is other than at first.
  bool touched() const
  {
    return !m_hidden.empty() || !m_folded.empty() || !m_heights.empty() || !m_order.empty() || !m_names.empty();
  }

  /// Whether the wires of a bus are put away.
  bool isFolded(const std::string& key) const { return m_folded.contains(key); }
  void setFolded(const std::string& key, bool folded);
  const std::set<std::string>& folded() const { return m_folded; }

  int heightOf(const std::string& key, int usual) const;
  void setHeight(const std::string& key, int height) { m_heights[key] = height; }
  const std::map<std::string, int>& heights() const { return m_heights; }

  /// The user's name for a channel; `usual` when there is none.
  QString nameOf(const std::string& channel, const QString& usual) const;
  /// An empty name gives the usual one back.
  void setName(const std::string& channel, const QString& name);
  const std::map<std::string, QString>& names() const { return m_names; }

  /// The place of a lane among others of its kind: smaller is higher. Lanes that were never moved follow.
  std::size_t rankOf(const std::string& key) const;
  /// Fixes the order: `keys` are those in view from top to bottom. Those that are not, folded away or hidden, stay
  /// behind what they stood behind.
  void setOrder(const std::vector<std::string>& keys);
  const std::vector<std::string>& order() const { return m_order; }

 private:
  std::set<std::string> m_hidden;
  std::set<std::string> m_folded;
  std::map<std::string, int> m_heights;
  std::map<std::string, QString> m_names;
  std::vector<std::string> m_order;
};

}  // namespace bexto::ui
