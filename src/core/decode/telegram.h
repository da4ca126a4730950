#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "core/base/time.h"

namespace bexto {

/// Something to be said on a bus, as whoever sends it needs it: a record for sources that take frames, levels for those
/// that drive wires. A room fills in what it can.
struct Telegram {
  /// Bytes of Facts::linkType; empty: it goes by wires only.
  std::vector<std::uint8_t> record;

  /// What the sender does with the bus's wires from a moment on.
  struct Step {
    Picoseconds time{0};
    std::uint32_t levels = 0;  ///< bit n is wire n; 1: high, or let go of on one that others may pull down
  };
  std::vector<std::string> roles;  ///< what the wires are: wire n is roles[n]
  std::vector<Step> steps;         ///< in the order of time, the first at 0; empty: it goes by records only
  std::uint32_t open = 0;          ///< wires that are let go of instead of being driven high
  Picoseconds length{0};           ///< until the bus is at rest again
};

/// The levels of a few wires one after the other, to be made into Telegram::steps.
class TelegramWriter {
 public:
  /// The levels at rest.
  explicit TelegramWriter(std::uint32_t levels) { m_steps.push_back({Picoseconds{0}, levels}); }

  void set(unsigned wire, bool high)
  {
    const std::uint32_t bit = 1U << wire;
    const std::uint32_t before = m_steps.back().levels;
    const std::uint32_t levels = high ? before | bit : before & ~bit;
    if (levels == before)
      return;
    if (m_steps.back().time == m_now)
      m_steps.back().levels = levels;
    else
      m_steps.push_back({m_now, levels});
  }
  void wait(Picoseconds t) { m_now += t; }
  Picoseconds now() const { return m_now; }
  std::vector<Telegram::Step> take() { return std::move(m_steps); }

 private:
  std::vector<Telegram::Step> m_steps;
  Picoseconds m_now{0};
};

}  // namespace bexto
