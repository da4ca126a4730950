// Tested by tests/core/device_history_test.cpp.
#include "core/device/unit_list.h"

#include <algorithm>
#include <utility>

namespace bexto {

void UnitList::add(std::uint32_t unit)
{
  if (!m_open || m_open.use_count() != 1) {
    auto open = std::make_shared<Block>();
    open->reserve(m_open ? std::max<std::size_t>(2 * m_open->size(), 16) : 16);
    if (m_open)
      *open = *m_open;
    m_open = std::move(open);
  }
  m_open->push_back(unit);
  if (m_open->size() == kBlock)
    m_sealed.push_back(std::exchange(m_open, nullptr));
}

void UnitList::cutFrom(std::uint64_t unit)
{
  const std::uint64_t keep = countBelow(unit);
  if (keep == size())
    return;
  const auto block = static_cast<std::size_t>(keep / kBlock);
  const Block& last = block < m_sealed.size() ? *m_sealed[block] : *m_open;
  auto open = std::make_shared<Block>(last.begin(), last.begin() + static_cast<std::ptrdiff_t>(keep % kBlock));
  m_sealed.resize(std::min(block, m_sealed.size()));
  m_open = open->empty() ? nullptr : std::move(open);
}

std::uint64_t UnitList::countBelow(std::uint64_t unit) const
{
  const auto block =
      std::partition_point(m_sealed.begin(), m_sealed.end(), [unit](const auto& b) { return b->back() < unit; });
  const auto before = static_cast<std::uint64_t>(block - m_sealed.begin()) * kBlock;
  const Block* const inside = block != m_sealed.end() ? block->get() : m_open.get();
  if (inside == nullptr)
    return before;
  return before + static_cast<std::uint64_t>(std::lower_bound(inside->begin(), inside->end(), unit) - inside->begin());
}

}  // namespace bexto
