#pragma once

#include <array>
#include <bit>
#include <cstdint>
#include <limits>
#include <optional>
#include <vector>

#include "core/base/time.h"

namespace bexto {

/// What values of a measurement are, which decides how finely one of them is known.
enum class MeasureUnit : std::uint8_t {
  Time,       ///< ps; known to one sample period
  Frequency,  ///< Hz; a tally takes and judges the period, in ps, because that is what is measured
  Percent,    ///< %; each value comes with its own resolution
  Count,      ///< exact
};

/// The limits of a measurement, in the unit that people write: ps, Hz, %, a count.
struct Limits {
  std::optional<double> min;
  std::optional<double> max;
  bool any() const { return min || max; }
  bool operator==(const Limits&) const = default;
};

/// What one value is against its limits, when it is known no finer than its resolution.
enum class Judgement : std::uint8_t { Pass, Undecided, Fail };

/// `room`: how far the value is on the right side of the nearest limit, below zero when it is beyond.
/// On the right side by at least the resolution passes, on the wrong side by at least that fails, else nobody can tell.
constexpr Judgement judge(double room, double resolution)
{
  return room >= resolution ? Judgement::Pass : -room >= resolution ? Judgement::Fail : Judgement::Undecided;
}

/// A value that is to be looked at: one of the worst.
struct MeasuredPlace {
  double value = 0.0;       ///< in the unit that people write
  double room = 0.0;        ///< to the nearest limit, as it was judged (of a frequency, in ps); without limits -value
  double resolution = 0.0;  ///< of this value, in its unit
  Judgement judgement = Judgement::Pass;
  TimeRange time;  ///< the interval that was measured
  std::uint32_t group = 0;
};

/// Mean, spread and ends of values, which are in the unit that people write.
struct Spread {
  std::uint64_t count = 0;
  double min = std::numeric_limits<double>::infinity();
  double max = -std::numeric_limits<double>::infinity();
  double mean() const;
  /// Standard deviation of all that was measured (not an estimate for more); 0 for one value.
  double deviation() const;

  // Sums behind them: taken from the first value on, so that small differences of large values are kept.
  double origin = 0.0;
  double sum = 0.0;
  double squares = 0.0;
  void add(double value, std::uint64_t times);
  void add(const Spread& other);
};

/// How often values fell where. Classes are 1/128 of a power of two wide, so a histogram of any width can be made
/// later.
class Histogram {
 public:
  void add(double value, std::uint64_t times);
  void add(const Histogram& other);
  /// `bars` equal bars from `low` to `high`, with what lies outside in the outer ones. Requires: bars > 0, low < high.
  std::vector<std::uint64_t> bars(double low, double high, std::size_t bars) const;

 private:
  static constexpr std::size_t kClasses = 128;
  static constexpr int kOctaves = 64;
  static constexpr int kLowest = -20;                           ///< smaller magnitudes than 2^-20 are zero
  std::array<std::vector<std::uint64_t>, kOctaves> m_positive;  ///< of each octave its classes, or nothing
  std::array<std::vector<std::uint64_t>, kOctaves> m_negative;
  std::uint64_t m_zero = 0;
};

/// Everything that is kept of one measurement while values come: statistics of all of it and of each group, and the
/// hundred worst places. Values that were seen a moment ago, as sampled captures have them, cost a comparison and a
/// count. Thread-compatible; not copied, because it is large.
class Tally {
 public:
  /// `period`: the time between samples, in ps; 0 when edges are exact.
  Tally(MeasureUnit unit, const Limits& limits, double period);

  /// The values that follow are of that group, a small number.
  void setGroup(std::uint32_t group) { m_group = group; }

  /// Of Time and Frequency in ps, of Count as it is.
  void add(std::int64_t value, std::int64_t begin, std::int64_t end)
  {
    const auto x = static_cast<double>(value);
    Recent& recent = recentOf(x);
    if (recent.value != x || recent.group != m_group) [[unlikely]]
      replace(recent, x);
    ++recent.times;
    if (x < m_quietLow || x > m_quietHigh) [[unlikely]]
      look(x, m_resolution, begin, end);
  }
  /// Of Percent. `of`: the length in ps that is 100 %; a sample period's share of it is the resolution.
  void addPercent(double value, double of, std::int64_t begin, std::int64_t end)
  {
    addExactly(value, 100.0 * m_period / of, begin, end);
  }
  /// A value with a resolution of its own. Requires: no Frequency.
  void addExactly(double value, double resolution, std::int64_t begin, std::int64_t end)
  {
    Recent& recent = recentOf(value);
    if (recent.value != value || recent.group != m_group)
      replace(recent, value);
    ++recent.times;
    look(value, resolution, begin, end);
  }
  /// So many equal values, exact, of which the first is there. Requires: no Frequency, and they pass.
  void addMany(double value, std::uint64_t times, TimeRange first);

  MeasureUnit unit() const { return m_unit; }
  const Limits& limits() const { return m_limits; }
  double period() const { return m_period; }
  /// Counts what add() has put off. Asked before anything below.
  void settle();
  /// Takes over what another line of the bus measured. Requires: both are settled, of one unit and with one limit.
  void merge(const Tally& other);
  const Spread& all() const { return m_all; }
  /// By group, for those that had values.
  const std::vector<Spread>& groups() const { return m_groups; }
  const Histogram& histogram() const { return m_histogram; }
  std::uint64_t failed() const { return m_failed; }
  std::uint64_t undecided() const { return m_undecided; }
  /// At most kPlaces, the worst first; of equals the earlier first.
  std::vector<MeasuredPlace> worst() const;

  static constexpr std::size_t kPlaces = 100;

 private:
  struct Recent {
    double value = 0.0;
    std::uint32_t group = 0;
    std::uint32_t times = 0;
  };
  struct Place {
    double x;
    double room;
    double resolution;
    std::int64_t begin;
    std::int64_t end;
    std::uint32_t group;
  };
  static constexpr unsigned kRecentBits = 5;

  Recent& recentOf(double x)
  {
    const std::uint64_t bits = std::bit_cast<std::uint64_t>(x) + m_group;
    return m_recent[bits * 0x9e3779b97f4a7c15U >> (64U - kRecentBits)];
  }
  void replace(Recent& recent, double x);
  void count(const Recent& recent);
  void look(double x, double resolution, std::int64_t begin, std::int64_t end);
  double roomOf(double x) const;
  MeasuredPlace placeOf(const Place& place) const;

  MeasureUnit m_unit;
  Limits m_limits;
  double m_period;
  double m_low;  ///< the limits as they are judged: of a frequency the periods
  double m_high;
  bool m_limited;
  double m_resolution;  ///< of every value of add()
  /// Values between these surely pass and are not among the worst.
  double m_quietLow;
  double m_quietHigh;
  std::uint32_t m_group = 0;
  std::array<Recent, std::size_t{1} << kRecentBits> m_recent{};
  Spread m_all;
  std::vector<Spread> m_groups;
  Histogram m_histogram;
  std::uint64_t m_failed = 0;
  std::uint64_t m_undecided = 0;
  std::vector<Place> m_worst;  ///< a heap: the one with the most room, then the latest, on top
};

}  // namespace bexto
