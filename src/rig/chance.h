#pragma once

#include <cstdint>
#include <random>

#include "core/base/time.h"

namespace bexto::rig {

/// Seeded chance that gives the same numbers on every machine: the engine's output is fixed by the C++ standard, the
/// standard's distributions are not, so they are not used.
class Chance {
 public:
  explicit Chance(std::uint64_t seed) : m_engine(seed) {}

  /// Evenly from low to high, both included. Requires: low <= high.
  std::int64_t between(std::int64_t low, std::int64_t high)
  {
    const auto span = static_cast<std::uint64_t>(high - low) + 1;
    return low + static_cast<std::int64_t>(span == 0 ? m_engine() : m_engine() % span);
  }
  /// `middle` give or take `spread`.
  Picoseconds around(Picoseconds middle, Picoseconds spread)
  {
    return middle + Picoseconds{between(-spread.count(), spread.count())};
  }
  bool oneIn(std::int64_t n) { return between(1, n) == 1; }

 private:
  std::mt19937_64 m_engine;
};

}  // namespace bexto::rig
