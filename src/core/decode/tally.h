#pragma once

#include <array>
#include <bit>
#include <cstdint>
#include <limits>
#include <optional>
#include <vector>

#include "core/base/time.h"
#include "core/decode/row_sums.h"

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
  void add(double value, std::uint64_t times) { classAt(classOf(value)) += times; }
  /// One of each.
  void addAll(const double* values, std::size_t count);
  /// The same of values that lie between those two, both among them.
  void addAll(const double* values, std::size_t count, double least, double most);
  void add(const Histogram& other);
  /// `bars` equal bars from `low` to `high`, with what lies outside in the outer ones. Requires: bars > 0, low < high.
  std::vector<std::uint64_t> bars(double low, double high, std::size_t bars) const;

 private:
  // A double's exponent and the first bits of its mantissa are the class, above those of magnitudes that count as zero.
  // Values below zero have classes of their own in front, the largest magnitude first.
  static constexpr unsigned kMantissaBits = 7;
  static constexpr int kOctaves = 64;
  static constexpr int kLowest = -20;  ///< smaller magnitudes than 2^-20 are zero
  static constexpr std::size_t kClasses = (std::size_t{kOctaves} << kMantissaBits) + 1;
  static std::size_t classOf(double value)
  {
    constexpr int kBias = 1023;
    constexpr std::int64_t kFirst = std::int64_t{kBias + kLowest} << kMantissaBits;
    const std::uint64_t bits = std::bit_cast<std::uint64_t>(value);
    const auto place =
        static_cast<std::int64_t>((bits & ~(std::uint64_t{1} << 63U)) >> (52U - kMantissaBits)) - kFirst + 1;
    const auto most = static_cast<std::int64_t>(kClasses) - 1;
    const std::int64_t held = place < 0 ? 0 : place > most ? most : place;
    const auto below = -static_cast<std::int64_t>(bits >> 63U);
    return static_cast<std::size_t>((held ^ below) + static_cast<std::int64_t>(kClasses));
  }
  /// The least value of a class that is above zero.
  static double borderOf(std::size_t place)
  {
    constexpr std::uint64_t kFirst = std::uint64_t{1023 + kLowest} << kMantissaBits;
    return std::bit_cast<double>((place - kClasses - 1 + kFirst) << (52U - kMantissaBits));
  }
  /// The middle of a class.
  static double middleOf(std::size_t place);
  std::uint64_t& classAt(std::size_t place)
  {
    if (place - m_first >= m_counts.size()) [[unlikely]]
      reach(place);
    return m_counts[place - m_first];
  }
  /// Makes room for it.
  void reach(std::size_t place);

  // Most measurements stay within a few octaves, and there are many of them: only the classes from the least to the
  // largest that was met are kept.
  std::size_t m_first = 0;
  std::vector<std::uint64_t> m_counts;
};

/// Everything that is kept of one measurement while values come: statistics of all of it and of each group, and the
/// hundred worst places. A value that is none of the worst is put down and counted with the next hundreds.
/// Thread-compatible; not copied, because it is large.
class Tally {
 public:
  /// `period`: the time between samples, in ps; 0 when edges are exact.
  Tally(MeasureUnit unit, const Limits& limits, double period);

  /// The values that follow are of that group, a small number.
  void setGroup(std::uint32_t group)
  {
    if (group == m_group)
      return;
    m_group = group;
    // Where nothing came since the change before, that one is forgotten.
    m_runs -= m_runs > 0 && m_run[m_runs - 1].first == m_buffered ? 1 : 0;
    m_run[m_runs++] = {static_cast<std::uint32_t>(m_buffered), group};
  }

  /// Of Time and Frequency in ps, of Count as it is.
  void add(std::int64_t value, std::int64_t begin, std::int64_t end)
  {
    const auto x = static_cast<double>(value);
    if (x < m_quietLow || x > m_quietHigh) [[unlikely]]
      look(x, m_resolution, begin, end, m_group);
    put(x);
  }
  /// Of Percent. `of`: the length in ps that is 100 %; a sample period's share of it is the resolution.
  void addPercent(double value, double of, std::int64_t begin, std::int64_t end)
  {
    addExactly(value, m_period == 0.0 ? 0.0 : 100.0 * m_period / of, begin, end);
  }
  /// A value with a resolution of its own. Requires: no Frequency.
  void addExactly(double value, double resolution, std::int64_t begin, std::int64_t end)
  {
    if (value < m_quietLow + resolution || value > m_quietHigh - resolution) [[unlikely]]
      look(value, resolution, begin, end, m_group);
    put(value);
  }
  /// Values that addExactly() would take one by one. `timeOf(i)`, a TimeRange, is asked of those that are looked at.
  template <class TimeOf>
  void addExactRow(const double* values, const double* resolutions, std::size_t count, const TimeOf& timeOf)
  {
    bool isQuiet = true;
    for (std::size_t i = 0; i < count; ++i)
      isQuiet &= (values[i] >= m_quietLow + resolutions[i]) & (values[i] <= m_quietHigh - resolutions[i]);
    for (std::size_t i = 0; i < count && !isQuiet; ++i) {
      if (values[i] >= m_quietLow + resolutions[i] && values[i] <= m_quietHigh - resolutions[i])
        continue;
      const TimeRange time = timeOf(i);
      look(values[i], resolutions[i], time.begin.count(), time.end.count(), m_group);
    }
    putAll(values, count);
  }
  /// Intervals that add() would take one by one, of one group whatever setGroup() said. Much faster than those.
  /// Returns the ends of their lengths; of none, zeros. Requires: no length is below zero.
  RowEnds addRow(std::uint32_t group, const IntervalRow& row);
  /// So many equal values, exact, of which the first is there. Requires: no Frequency, and they pass.
  void addMany(double value, std::uint64_t times, TimeRange first);

  MeasureUnit unit() const { return m_unit; }
  const Limits& limits() const { return m_limits; }
  double period() const { return m_period; }
  /// Counts what add() has put off, and sums groups up. Asked before anything below.
  void settle();
  /// Takes over what was measured elsewhere: of another line of the bus, or of another part of the line. `groups`: what
  /// the other's groups are here; those behind its end are as they are. Requires: both are settled, of one unit and
  /// with one limit.
  void merge(const Tally& other, const std::vector<std::uint32_t>& groups = {});
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
  struct Place {
    double x;
    double room;
    double resolution;
    std::int64_t begin;
    std::int64_t end;
    std::uint32_t group;
  };
  static constexpr std::size_t kBuffer = 256;
  static constexpr std::size_t kPlacesHeld = 3 * kPlaces;

  void put(double x)
  {
    m_buffer[m_buffered] = x;
    if (++m_buffered == kBuffer) [[unlikely]]
      count();
  }
  void putAll(const double* values, std::size_t count);
  /// Counts what is put down.
  void count();
  /// Of what is put down, seen from `origin`.
  Spread spreadOf(std::size_t first, std::size_t end, double origin) const;
  /// To the histogram with what rows have brought.
  void placeRows();
  void lookAtRow(std::uint32_t group, const IntervalRow& row);
  Spread& groupAt(std::uint32_t group)
  {
    if (group >= m_groups.size()) [[unlikely]]
      m_groups.resize(group + std::size_t{1});
    return m_groups[group];
  }
  void look(double x, double resolution, std::int64_t begin, std::int64_t end, std::uint32_t group);
  void keep(const Place& place);
  /// Leaves the worst only.
  void keepWorst();
  double roomOf(double x) const;
  MeasuredPlace placeOf(const Place& place) const;

  MeasureUnit m_unit;
  Limits m_limits;
  double m_period;
  double m_low;  ///< the limits as they are judged: of a frequency the periods
  double m_high;
  bool m_limited;
  double m_resolution;  ///< of every value of add()
  /// Values between these surely pass, when they are known exactly enough, and are not among the worst.
  double m_quietLow;
  double m_quietHigh;
  // Of the least bad of the worst, of equals the latest. More places are none of them.
  double m_most = std::numeric_limits<double>::infinity();
  std::int64_t m_latest = std::numeric_limits<std::int64_t>::max();
  std::uint32_t m_group = 0;
  std::size_t m_buffered = 0;
  std::array<double, kBuffer> m_buffer;
  /// Where in the buffer another group begins, and which.
  struct Run {
    std::uint32_t first = 0;
    std::uint32_t group = 0;
  };
  std::size_t m_runs = 1;
  std::array<Run, kBuffer + 1> m_run{};
  // Of rows that are counted but for the histogram.
  std::size_t m_unplaced = 0;
  double m_unplacedLeast = 0.0;
  double m_unplacedMost = 0.0;
  std::array<double, kBuffer> m_rows;
  Spread m_all;  ///< of all groups, once they are summed up
  std::vector<Spread> m_groups;
  Histogram m_histogram;
  std::uint64_t m_failed = 0;
  std::uint64_t m_undecided = 0;
  std::vector<Place> m_worst;  ///< those that may be among them
};

}  // namespace bexto
