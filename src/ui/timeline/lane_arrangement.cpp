#include "ui/timeline/lane_arrangement.h"

#include <algorithm>

namespace bexto::ui {

namespace {

void put(std::set<std::string>& set, const std::string& key, bool in)
{
  if (in)
    set.insert(key);
  else
    set.erase(key);
}

}  // namespace

std::string LaneArrangement::busKey(const std::string& bus, const std::string& line)
{
  return bus + "\n" + line;
}

std::string LaneArrangement::wireKey(const std::string& group, const std::string& channel)
{
  return group + "\n\n" + channel;
}

void LaneArrangement::renameBus(const std::string& from, const std::string& to)
{
  const auto renamed = [&](const std::string& key) {
    return key.starts_with(from + "\n") ? to + key.substr(from.size()) : key;
  };
  for (std::set<std::string>* keys : {&m_hidden, &m_folded}) {
    std::set<std::string> after;
    for (const std::string& key : *keys)
      after.insert(renamed(key));
    *keys = std::move(after);
  }
  std::map<std::string, int> heights;
  for (const auto& [key, height] : m_heights)
    heights[renamed(key)] = height;
  m_heights = std::move(heights);
  for (std::string& key : m_order)
    key = renamed(key);
}

void LaneArrangement::setHidden(const std::string& key, bool hidden)
{
  put(m_hidden, key, hidden);
}

void LaneArrangement::setFolded(const std::string& key, bool folded)
{
  put(m_folded, key, folded);
}

int LaneArrangement::heightOf(const std::string& key, int usual) const
{
  const auto found = m_heights.find(key);
  return found == m_heights.end() ? usual : found->second;
}

QString LaneArrangement::nameOf(const std::string& channel, const QString& usual) const
{
  const auto found = m_names.find(channel);
  return found == m_names.end() ? usual : found->second;
}

void LaneArrangement::setName(const std::string& channel, const QString& name)
{
  if (name.isEmpty())
    m_names.erase(channel);
  else
    m_names[channel] = name;
}

void LaneArrangement::setOrder(const std::vector<std::string>& keys)
{
  std::vector<std::string> order = keys;
  auto behind = order.begin();
  for (const std::string& key : m_order) {
    const auto found = std::find(order.begin(), order.end(), key);
    behind = (found == order.end() ? order.insert(behind, key) : found) + 1;
  }
  m_order = std::move(order);
}

std::size_t LaneArrangement::rankOf(const std::string& key) const
{
  return static_cast<std::size_t>(std::find(m_order.begin(), m_order.end(), key) - m_order.begin());
}

}  // namespace bexto::ui
