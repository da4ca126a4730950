// Tested by tests/core/tally_test.cpp.
#include "core/decode/tally.h"

#include <algorithm>
#include <cassert>
#include <cmath>

namespace bexto {

namespace {

constexpr double kPicosecondsASecond = 1e12;

constexpr auto kWorseFirst = [](const auto& a, const auto& b) {
  return a.room != b.room ? a.room < b.room : a.begin < b.begin;
};

}  // namespace

double Spread::mean() const
{
  return count == 0 ? 0.0 : origin + sum / static_cast<double>(count);
}

double Spread::deviation() const
{
  if (count == 0)
    return 0.0;
  const double n = static_cast<double>(count);
  return std::sqrt(std::max(0.0, squares / n - sum / n * (sum / n)));
}

void Spread::add(double value, std::uint64_t times)
{
  if (count == 0)
    origin = value;
  const double n = static_cast<double>(times);
  const double by = value - origin;
  count += times;
  sum += n * by;
  squares += n * by * by;
  min = std::min(min, value);
  max = std::max(max, value);
}

void Spread::add(const Spread& other)
{
  if (count == 0 || other.count == 0) {
    *this = count == 0 ? other : *this;
    return;
  }
  const double by = other.origin - origin;
  const double n = static_cast<double>(other.count);
  count += other.count;
  squares += other.squares + 2.0 * by * other.sum + n * by * by;
  sum += other.sum + n * by;
  min = std::min(min, other.min);
  max = std::max(max, other.max);
}

void Histogram::reach(std::size_t place)
{
  // An octave at a time.
  constexpr std::size_t kStep = std::size_t{1} << kMantissaBits;
  const std::size_t first = place / kStep * kStep;
  if (m_counts.empty())
    m_first = first;
  if (first < m_first) {
    m_counts.insert(m_counts.begin(), m_first - first, 0);
    m_first = first;
  }
  m_counts.resize(std::max(m_counts.size(), first + kStep - m_first));
}

void Histogram::add(const Histogram& other)
{
  if (other.m_counts.empty())
    return;
  reach(other.m_first);
  reach(other.m_first + other.m_counts.size() - 1);
  for (std::size_t i = 0; i < other.m_counts.size(); ++i)
    m_counts[other.m_first - m_first + i] += other.m_counts[i];
}

void Histogram::addAll(const double* values, std::size_t count)
{
  for (std::size_t i = 0; i < count; ++i)
    ++classAt(classOf(values[i]));
}

void Histogram::addAll(const double* values, std::size_t count, double least, double most)
{
  // Counters that follow one another closely wait for each other. Where values fall into a few classes, how many lie
  // above the border of each is counted instead.
  constexpr std::size_t kFew = 12;
  const std::size_t first = classOf(least);
  const std::size_t classes = classOf(most) - first + 1;
  if (least < 0.0 || classes > kFew) {
    addAll(values, count);
    return;
  }
  std::array<double, kFew> borders{};
  std::array<std::uint64_t, kFew> above{};
  for (std::size_t i = 1; i < classes; ++i)
    borders[i - 1] = borderOf(first + i);
  countFrom(values, count, borders.data(), classes - 1, above.data());
  std::uint64_t rest = count;
  for (std::size_t i = 0; i + 1 < classes; ++i) {
    classAt(first + i) += rest - above[i];
    rest = above[i];
  }
  classAt(first + classes - 1) += rest;
}

double Histogram::middleOf(std::size_t place)
{
  if (place < kClasses)
    return -middleOf(2 * kClasses - 1 - place);
  if (place == kClasses)
    return 0.0;
  const std::size_t octave = (place - kClasses - 1) >> kMantissaBits;
  const auto within = static_cast<double>((place - kClasses - 1) & ((std::size_t{1} << kMantissaBits) - 1));
  return std::ldexp(1.0 + (within + 0.5) / (1U << kMantissaBits), static_cast<int>(octave) + kLowest);
}

std::vector<std::uint64_t> Histogram::bars(double low, double high, std::size_t bars) const
{
  assert(bars > 0 && low < high);
  std::vector<std::uint64_t> counts(bars);
  for (std::size_t i = 0; i < m_counts.size(); ++i) {
    if (m_counts[i] == 0)
      continue;
    const double at = (middleOf(m_first + i) - low) / (high - low) * static_cast<double>(bars);
    counts[static_cast<std::size_t>(std::clamp(at, 0.0, static_cast<double>(bars) - 0.5))] += m_counts[i];
  }
  return counts;
}

Tally::Tally(MeasureUnit unit, const Limits& limits, double period)
    : m_unit(unit), m_limits(limits), m_period(period), m_limited(limits.any())
{
  constexpr double kFar = std::numeric_limits<double>::infinity();
  m_low = limits.min.value_or(-kFar);
  m_high = limits.max.value_or(kFar);
  if (unit == MeasureUnit::Frequency) {
    m_low = limits.max ? kPicosecondsASecond / *limits.max : -kFar;
    m_high = limits.min && *limits.min > 0.0 ? kPicosecondsASecond / *limits.min : kFar;
  }
  m_resolution = unit == MeasureUnit::Time || unit == MeasureUnit::Frequency ? period : 0.0;
  // Until there are enough places, every value is looked at.
  m_quietLow = kFar;
  m_quietHigh = -kFar;
  m_worst.reserve(kPlacesHeld);
}

double Tally::roomOf(double x) const
{
  if (m_limited)
    return std::min(x - m_low, m_high - x);
  // Without limits nothing is worse than anything; what people look for are the longest, and of frequencies the lowest.
  return -x;
}

void Tally::look(double x, double resolution, std::int64_t begin, std::int64_t end, std::uint32_t group)
{
  const double room = roomOf(x);
  if (m_limited) {
    const Judgement judged = judge(room, resolution);
    m_failed += judged == Judgement::Fail ? 1 : 0;
    m_undecided += judged == Judgement::Undecided ? 1 : 0;
  }
  keep({x, room, resolution, begin, end, group});
}

void Tally::keep(const Place& place)
{
  if (m_worst.size() == kPlacesHeld)
    keepWorst();
  m_worst.push_back(place);
}

/// Not one by one, because most that come first are soon none of the worst any more.
void Tally::keepWorst()
{
  if (m_worst.size() < kPlaces)
    return;
  const auto last = m_worst.begin() + static_cast<std::ptrdiff_t>(kPlaces) - 1;
  std::nth_element(m_worst.begin(), last, m_worst.end(), kWorseFirst);
  m_worst.resize(kPlaces);
  m_most = m_worst.back().room;
  m_latest = m_worst.back().begin;
  if (m_limited) {
    const double enough = std::max(m_most, m_resolution);
    m_quietLow = m_low + enough;
    m_quietHigh = m_high - enough;
  } else {
    m_quietLow = -std::numeric_limits<double>::infinity();
    m_quietHigh = -m_most;
  }
}

/// Four rows at once: each sum waits for itself only.
Spread Tally::spreadOf(std::size_t first, std::size_t end, double origin) const
{
  constexpr std::size_t kRows = 4;
  Spread spread;
  spread.origin = origin;
  spread.count = end - first;
  std::array<double, kRows> sum{};
  std::array<double, kRows> squares{};
  std::array<double, kRows> least;
  std::array<double, kRows> most;
  least.fill(m_buffer[first]);
  most.fill(m_buffer[first]);
  const auto take = [&](std::size_t row, double value) {
    const double by = value - spread.origin;
    sum[row] += by;
    squares[row] += by * by;
    least[row] = value < least[row] ? value : least[row];
    most[row] = value > most[row] ? value : most[row];
  };
  std::size_t i = first;
  for (; i + kRows <= end; i += kRows) {
    for (std::size_t row = 0; row < kRows; ++row)
      take(row, m_buffer[i + row]);
  }
  for (; i < end; ++i)
    take(0, m_buffer[i]);
  for (std::size_t row = 0; row < kRows; ++row) {
    spread.sum += sum[row];
    spread.squares += squares[row];
    spread.min = std::min(spread.min, least[row]);
    spread.max = std::max(spread.max, most[row]);
  }
  return spread;
}

void Tally::count()
{
  constexpr std::size_t kShort = 8;  // of fewer values four rows are no gain
  const std::size_t size = m_buffered;
  if (size > 0 && m_unit == MeasureUnit::Frequency) {
    for (std::size_t i = 0; i < size; ++i)
      m_buffer[i] = kPicosecondsASecond / m_buffer[i];
  }
  for (std::size_t r = 0; r < m_runs; ++r) {
    const std::size_t first = m_run[r].first;
    const std::size_t end = r + 1 < m_runs ? m_run[r + 1].first : size;
    if (first >= end)
      continue;
    Spread& group = groupAt(m_run[r].group);
    if (end - first < kShort) {
      for (std::size_t i = first; i < end; ++i)
        group.add(m_buffer[i], 1);
    } else {
      group.add(spreadOf(first, end, group.count == 0 ? m_buffer[first] : group.origin));
    }
  }
  m_histogram.addAll(m_buffer.data(), size);
  m_buffered = 0;
  m_runs = 1;
  m_run[0] = {0, m_group};
}

RowEnds Tally::addRow(std::uint32_t group, const IntervalRow& row)
{
  RowEnds ends;
  if (row.count > 0)
    ends = {std::numeric_limits<std::int64_t>::max(), std::numeric_limits<std::int64_t>::min()};
  const bool inverse = m_unit == MeasureUnit::Frequency;
  Spread& spread = groupAt(group);
  for (std::size_t at = 0; at < row.count;) {
    if (m_unplaced == kBuffer)
      placeRows();
    const IntervalRow part = row.part(at, std::min(kBuffer - m_unplaced, row.count - at));
    if (spread.count == 0) {
      const auto first = static_cast<double>(part.length(0));
      spread.origin = inverse ? kPicosecondsASecond / first : first;
    }
    const RowSums sums = sumRow(part, inverse ? kPicosecondsASecond : 0.0, spread.origin, m_rows.data() + m_unplaced);
    const auto least = static_cast<double>(sums.least);
    const auto most = static_cast<double>(sums.most);
    // Of equals the earlier are kept, and rows may come later than what followed them.
    const bool isQuiet = least >= m_quietLow && most <= m_quietHigh;
    const bool isEqual = least == m_quietLow || most == m_quietHigh;
    if (!isQuiet || (isEqual && part.begin(0) < m_latest)) [[unlikely]]
      lookAtRow(group, part);
    const double low = inverse ? kPicosecondsASecond / most : least;
    const double high = inverse ? kPicosecondsASecond / least : most;
    spread.count += part.count;
    spread.sum += sums.sum;
    spread.squares += sums.squares;
    spread.min = std::min(spread.min, low);
    spread.max = std::max(spread.max, high);
    m_unplacedLeast = m_unplaced == 0 ? low : std::min(m_unplacedLeast, low);
    m_unplacedMost = m_unplaced == 0 ? high : std::max(m_unplacedMost, high);
    m_unplaced += part.count;
    ends.least = std::min(ends.least, sums.least);
    ends.most = std::max(ends.most, sums.most);
    at += part.count;
  }
  return ends;
}

void Tally::placeRows()
{
  if (m_unplaced == 0)
    return;
  if (m_unplacedLeast == m_unplacedMost)
    m_histogram.add(m_unplacedLeast, m_unplaced);
  else
    m_histogram.addAll(m_rows.data(), m_unplaced, m_unplacedLeast, m_unplacedMost);
  m_unplaced = 0;
}

/// Of a row that has something among the worst, or that limits have to be held against.
void Tally::lookAtRow(std::uint32_t group, const IntervalRow& row)
{
  if (m_limited) {
    const RowJudgement judged = judgeRow(row, m_low, m_high, m_resolution);
    m_failed += judged.failed;
    m_undecided += judged.undecided;
    if (judged.least > m_most || (judged.least == m_most && row.begin(0) >= m_latest))
      return;
  }
  for (std::size_t i = 0; i < row.count; ++i) {
    const auto x = static_cast<double>(row.length(i));
    const double room = roomOf(x);
    if (room <= m_most)
      keep({x, room, m_resolution, row.begin(i), row.begin(i) + row.length(i), group});
  }
}

void Tally::addMany(double value, std::uint64_t times, TimeRange first)
{
  if (times == 0)
    return;
  look(value, 0.0, first.begin.count(), first.end.count(), m_group);
  groupAt(m_group).add(value, times);
  m_histogram.add(value, times);
}

void Tally::putAll(const double* values, std::size_t count)
{
  while (count > 0) {
    const std::size_t some = std::min(count, kBuffer - m_buffered);
    std::copy_n(values, some, m_buffer.data() + m_buffered);
    m_buffered += some;
    if (m_buffered == kBuffer)
      this->count();
    values += some;
    count -= some;
  }
}

void Tally::settle()
{
  count();
  placeRows();
  m_all = {};
  for (const Spread& group : m_groups)
    m_all.add(group);
}

void Tally::merge(const Tally& other, const std::vector<std::uint32_t>& groups)
{
  const auto here = [&](std::size_t group) {
    return group < groups.size() ? groups[group] : static_cast<std::uint32_t>(group);
  };
  m_all.add(other.m_all);
  m_histogram.add(other.m_histogram);
  for (std::size_t i = 0; i < other.m_groups.size(); ++i)
    groupAt(here(i)).add(other.m_groups[i]);
  m_failed += other.m_failed;
  m_undecided += other.m_undecided;
  m_worst.reserve(m_worst.size() + other.m_worst.size());
  for (const Place& place : other.m_worst) {
    m_worst.push_back(place);
    m_worst.back().group = here(place.group);
  }
  keepWorst();
}

MeasuredPlace Tally::placeOf(const Place& place) const
{
  MeasuredPlace out;
  out.value = place.x;
  out.resolution = place.resolution;
  if (m_unit == MeasureUnit::Frequency) {
    out.value = kPicosecondsASecond / place.x;
    out.resolution = out.value * out.value * (m_period / kPicosecondsASecond);
  }
  out.room = place.room;
  out.judgement = m_limited ? judge(place.room, place.resolution) : Judgement::Pass;
  out.time = {Picoseconds{place.begin}, Picoseconds{place.end}};
  out.group = place.group;
  return out;
}

std::vector<MeasuredPlace> Tally::worst() const
{
  std::vector<Place> sorted = m_worst;
  std::sort(sorted.begin(), sorted.end(), kWorseFirst);
  sorted.resize(std::min(sorted.size(), kPlaces));
  std::vector<MeasuredPlace> places;
  places.reserve(sorted.size());
  for (const Place& place : sorted)
    places.push_back(placeOf(place));
  return places;
}

}  // namespace bexto
