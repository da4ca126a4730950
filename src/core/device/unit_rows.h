#pragma once

#include <algorithm>
#include <cassert>
#include <cstdint>
#include <memory>
#include <utility>
#include <vector>

namespace bexto {

/// What is known of one frame, or of one message of several: eight bytes, so that hours of traffic fit.
struct UnitRow {
  static constexpr std::uint16_t kNone = 0xffff;

  // `flags`: what cannot be, by the sheet.
  static constexpr std::uint16_t kUndefined = 1U << 0U;  ///< bits that no value has are set
  static constexpr std::uint16_t kReadOnly = 1U << 1U;   ///< a register that is only read was written
  static constexpr std::uint16_t kUnknown = 1U << 2U;    ///< no command or message of the sheet
  static constexpr std::uint16_t kReserved = 1U << 3U;   ///< a value that must not be
  static constexpr std::uint16_t kChecksum = 1U << 4U;
  static constexpr std::uint16_t kShort = 1U << 5U;    ///< fewer bytes than the sheet's values need
  static constexpr std::uint16_t kCounter = 1U << 6U;  ///< a running number does not go on
  static constexpr std::uint16_t kBroken = 1U << 7U;   ///< of a message in parts: some are missing
  static constexpr std::uint16_t kFaults = 0x00ff;
  // What else is known.
  static constexpr std::uint16_t kUncertain = 1U
                                              << 8U;   ///< the protocol's own check failed, so its bytes may be others
  static constexpr std::uint16_t kWrites = 1U << 9U;   ///< into the space of addresses
  static constexpr std::uint16_t kReads = 1U << 10U;   ///< out of it
  static constexpr std::uint16_t kPoints = 1U << 11U;  ///< only says where the next access is
  static constexpr std::uint16_t kLost = 1U << 12U;    ///< nobody said where, so `address` means nothing
  static constexpr std::uint16_t kSilent = 1U << 13U;  ///< the device did not answer
  static constexpr std::uint16_t kHasPec = 1U << 14U;  ///< the last byte is a packet error code

  std::uint16_t item = kNone;  ///< in BusDevices::items(); kNone: no sheet knows it
  std::uint16_t flags = 0;
  std::uint32_t address = 0;  ///< of an access to the space: its first

  bool isFaulty() const { return (flags & kFaults) != 0; }
};

/// The rows of one stream, in their order. Copies share all whole blocks; a copy is a snapshot. One thread adds.
class UnitRows {
 public:
  static constexpr std::size_t kBlock = 16384;
  using Block = std::vector<UnitRow>;

  std::uint64_t size() const { return m_sealed.size() * kBlock + (m_open ? m_open->size() : 0); }
  const UnitRow& at(std::uint64_t unit) const
  {
    assert(unit < size());
    const auto block = static_cast<std::size_t>(unit / kBlock);
    return (block < m_sealed.size() ? *m_sealed[block] : *m_open)[static_cast<std::size_t>(unit % kBlock)];
  }
  /// The block of that unit; its first is a multiple of kBlock.
  const Block& blockOf(std::uint64_t unit) const
  {
    const auto block = static_cast<std::size_t>(unit / kBlock);
    return block < m_sealed.size() ? *m_sealed[block] : *m_open;
  }
  void add(const UnitRow& row)
  {
    if (!m_open || m_open.use_count() != 1)
      m_open = m_open ? std::make_shared<Block>(*m_open) : std::make_shared<Block>();
    if (m_open->capacity() < kBlock)
      m_open->reserve(kBlock);
    m_open->push_back(row);
    if (m_open->size() == kBlock)
      m_sealed.push_back(std::exchange(m_open, nullptr));
  }
  /// The last ones go.
  void cutFrom(std::uint64_t unit)
  {
    if (unit >= size())
      return;
    const auto block = static_cast<std::size_t>(unit / kBlock);
    const Block& last = block < m_sealed.size() ? *m_sealed[block] : *m_open;
    auto open = std::make_shared<Block>(last.begin(), last.begin() + static_cast<std::ptrdiff_t>(unit % kBlock));
    m_sealed.resize(std::min(block, m_sealed.size()));
    m_open = open->empty() ? nullptr : std::move(open);
  }
  std::size_t bytes() const { return static_cast<std::size_t>(size()) * sizeof(UnitRow); }

 private:
  std::vector<std::shared_ptr<const Block>> m_sealed;
  std::shared_ptr<Block> m_open;
};

}  // namespace bexto
