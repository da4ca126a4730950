#pragma once

#include <cmath>
#include <cstdint>

#include "core/base/time.h"

namespace bexto {

/// The moments of samples taken at an even rate: number n is at n / rate, to the nearest picosecond. So the n-th moment
/// of a rate whose period is no whole number of picoseconds (24 MHz) does not drift.
class SampleClock {
 public:
  /// Requires: lowestRate() <= rate <= highestRate().
  explicit SampleClock(double rate) : m_period(1e12L / static_cast<long double>(rate))
  {
    const long double whole = std::round(m_period);
    m_whole = std::abs(m_period - whole) < 1e-9L ? static_cast<std::int64_t>(whole) : 0;
  }

  /// A sample every 1000 s, and one each picosecond.
  static constexpr double lowestRate() { return 1e-3; }
  static constexpr double highestRate() { return 1e12; }

  /// How many whole picoseconds a period has; 0 when it is no whole number.
  std::int64_t wholePeriod() const { return m_whole; }
  /// The longest run of samples whose moments are below half of what Picoseconds reach.
  std::int64_t most() const { return static_cast<std::int64_t>(4.6e18L / m_period); }

  /// Requires: 0 <= number <= most().
  std::int64_t timeOf(std::int64_t number) const
  {
    return m_whole > 0 ? number * m_whole : std::llroundl(static_cast<long double>(number) * m_period);
  }

  /// The first sample at `ps` or after it. Requires: 0 <= ps <= timeOf(most()).
  std::int64_t firstFrom(std::int64_t ps) const
  {
    if (m_whole > 0)
      return (ps + m_whole - 1) / m_whole;
    auto number = static_cast<std::int64_t>(static_cast<long double>(ps) / m_period) - 1;
    number = number < 0 ? 0 : number;
    while (timeOf(number) < ps)
      ++number;
    return number;
  }

 private:
  long double m_period;  ///< ps
  std::int64_t m_whole;
};

}  // namespace bexto
