#include "core/session/lane_arrangement.h"

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

void LaneArrangement::setOpened(const LaneKey& key, bool opened)
{
  put(m_opened, key, opened);
}

ValueFormat LaneArrangement::formatOf(const LaneKey& key) const
{
  const auto found = m_formats.find(key);
  return found == m_formats.end() ? ValueFormat::Hex : found->second;
}

void LaneArrangement::setFormat(const LaneKey& key, ValueFormat format)
{
  if (format == ValueFormat::Hex)
    m_formats.erase(key);
  else
    m_formats[key] = format;
}

std::optional<WireColour> LaneArrangement::colourOf(const std::string& channel) const
{
  const auto found = m_colours.find(channel);
  return found == m_colours.end() ? std::nullopt : std::optional(found->second);
}

void LaneArrangement::setColour(const std::string& channel, std::optional<WireColour> colour)
{
  if (colour)
    m_colours[channel] = *colour;
  else
    m_colours.erase(channel);
}

void LaneArrangement::setOrder(const std::vector<LaneKey>& keys)
{
  // Those that are not in view, each behind what it stood behind; there may be thousands.
  const std::set<LaneKey> inView(keys.begin(), keys.end());
  std::map<LaneKey, std::vector<LaneKey>> behind;
  LaneKey last;  // none: at the very front
  for (const LaneKey& key : m_order) {
    if (inView.contains(key))
      last = key;
    else
      behind[last].push_back(key);
  }
  std::vector<LaneKey> order = std::move(behind[LaneKey()]);
  for (const LaneKey& key : keys) {
    order.push_back(key);
    const std::vector<LaneKey>& followers = behind[key];
    order.insert(order.end(), followers.begin(), followers.end());
  }
  m_order = std::move(order);
}

std::map<LaneKey, std::size_t> LaneArrangement::ranks() const
{
  std::map<LaneKey, std::size_t> ranks;
  for (std::size_t i = 0; i < m_order.size(); ++i)
    ranks.emplace(m_order[i], i);
  return ranks;
}

}  // namespace bexto
