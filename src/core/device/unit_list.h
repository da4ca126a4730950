#pragma once

#include <cstdint>
#include <memory>
#include <vector>

namespace bexto {

/// A row of unit numbers that grows at its end; copies share all whole blocks.
class UnitList {
 public:
  static constexpr std::size_t kBlock = 4096;

  std::uint64_t size() const { return m_sealed.size() * kBlock + (m_open ? m_open->size() : 0); }
  std::uint32_t at(std::uint64_t i) const
  {
    const auto block = static_cast<std::size_t>(i / kBlock);
    return (block < m_sealed.size() ? *m_sealed[block] : *m_open)[static_cast<std::size_t>(i % kBlock)];
  }
  void add(std::uint32_t unit);
  /// Those from that unit on go.
  void cutFrom(std::uint64_t unit);
  /// How many are below.
  std::uint64_t countBelow(std::uint64_t unit) const;

 private:
  using Block = std::vector<std::uint32_t>;
  std::vector<std::shared_ptr<const Block>> m_sealed;
  std::shared_ptr<Block> m_open;
};

}  // namespace bexto
