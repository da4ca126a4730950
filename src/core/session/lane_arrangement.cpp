#include "core/session/lane_arrangement.h"

#include <algorithm>

namespace bexto {

namespace {

void put(std::set<LaneKey>& set, const LaneKey& key, bool in)
{
  if (in)
    set.insert(key);
  else
    set.erase(key);
}

}  // namespace

void LaneArrangement::setHidden(const LaneKey& key, bool hidden)
{
  put(m_hidden, key, hidden);
}

void LaneArrangement::setFolded(const LaneKey& key, bool folded)
{
  put(m_folded, key, folded);
}

int LaneArrangement::heightOf(const LaneKey& key, int usual) const
{
  const auto found = m_heights.find(key);
  return found == m_heights.end() ? usual : found->second;
}

const std::string& LaneArrangement::nameOf(const std::string& channel, const std::string& usual) const
{
  const auto found = m_names.find(channel);
  return found == m_names.end() ? usual : found->second;
}

void LaneArrangement::setName(const std::string& channel, const std::string& name)
{
  if (name.empty())
    m_names.erase(channel);
  else
    m_names[channel] = name;
}

void LaneArrangement::setOrder(const std::vector<LaneKey>& keys)
{
  std::vector<LaneKey> order = keys;
  auto behind = order.begin();
  for (const LaneKey& key : m_order) {
    const auto found = std::find(order.begin(), order.end(), key);
    behind = (found == order.end() ? order.insert(behind, key) : found) + 1;
  }
  m_order = std::move(order);
}

std::size_t LaneArrangement::rankOf(const LaneKey& key) const
{
  return static_cast<std::size_t>(std::find(m_order.begin(), m_order.end(), key) - m_order.begin());
}

}  // namespace bexto
