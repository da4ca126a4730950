#pragma once

#include <array>
#include <cstdint>
#include <map>
#include <memory>
#include <optional>
#include <stop_token>
#include <vector>

#include "core/device/device_history.h"

namespace bexto {

/// A byte of a memory as it was last seen.
struct MemoryByte {
  bool seen = false;
  bool written = false;  ///< by the controller; else it was read
  std::uint8_t value = 0;
  std::uint64_t unit = 0;  ///< the access that said so
  bool operator==(const MemoryByte&) const = default;
};

/// What a memory held at one moment, as far as it was read or written until then. Borrows nothing; pages are shared.
class MemoryState {
 public:
  static constexpr std::uint32_t kPage = 64;
  /// Of each byte the access that last touched it, and which of its bytes it was; 0: none did, else one more.
  struct Cell {
    std::uint32_t unit = 0;
    std::uint32_t offset = 0;
  };
  using Page = std::array<Cell, kPage>;

  /// nullptr: nothing of the page was touched.
  const Page* page(std::uint32_t number) const
  {
    const auto found = m_pages.find(number);
    return found == m_pages.end() ? nullptr : found->second.get();
  }

 private:
  friend class MemoryTrace;
  std::map<std::uint32_t, std::shared_ptr<Page>> m_pages;
};

/// All accesses to the memory of one device, with its state every few thousand of them: so the state at any moment
/// costs the replay of those since, whatever the length of the capture. An immutable value; any thread may read.
class MemoryTrace {
 public:
  MemoryTrace() = default;
  /// Of sheet `sheet` of the bus's devices, which has a memory. With `before`, which is of the begin of the same
  /// stream, only what is new is looked at. Nothing when stopped.
  static std::optional<MemoryTrace> make(const Bus& bus, const Transactions& transactions, std::size_t sheet,
                                         const MemoryTrace& before, const std::stop_token& stop);

  bool empty() const { return m_units.size() == 0; }
  /// Bytes that the memory has.
  std::uint64_t size() const { return m_size; }
  /// Accesses that moved something, rising.
  const UnitList& units() const { return m_units; }
  /// As all accesses that ended at or before `t` left it.
  MemoryState stateAt(Picoseconds t) const;
  /// `count` bytes from `address` on, of a state that came from here; fewer where the memory ends.
  std::vector<MemoryByte> bytesOf(const MemoryState& state, std::uint32_t address, std::size_t count) const;
  /// What an access said, as a sentence.
  std::string textOf(std::uint64_t unit) const;
  const Reading& reading() const { return *m_reading; }
  const Transactions& transactions() const { return m_transactions; }

 private:
  void apply(MemoryState& state, std::uint64_t unit, const UnitTeller& teller) const;

  static constexpr std::uint64_t kEvery = 4096;  ///< accesses between two states that are kept
  Bus m_bus;
  Transactions m_transactions;
  std::shared_ptr<const Reading> m_reading;
  std::size_t m_sheet = 0;
  std::uint64_t m_size = 0;
  UnitList m_units;
  std::uint64_t m_looked = 0;
  MemoryState m_last;                 ///< behind all of m_units
  std::vector<MemoryState> m_states;  ///< behind the first kEvery of them, twice as many …
};

}  // namespace bexto
