#include "core/view/overview.h"

#include <algorithm>
#include <cmath>

namespace bexto {

std::vector<std::uint8_t> trafficDensity(const FrameIndex& frames, TimeRange whole, int columns)
{
  std::vector<std::uint8_t> density(static_cast<std::size_t>(std::max(0, columns)), 0);
  const TimeAxis axis(whole, std::max(1, columns));
  std::vector<std::uint64_t> counts(density.size(), 0);
  std::uint64_t first = frames.firstFrom(axis.timeAt(0));
  for (std::size_t x = 0; x < density.size(); ++x) {
    const Picoseconds begin = axis.timeAt(static_cast<double>(x));
    const Picoseconds end = axis.timeAt(static_cast<double>(x) + 1.0);
    const std::uint64_t next = frames.firstFrom(end);
    double busy = 0.0;
    if (next > first) {
      // Frames within a column are much alike; the first and the last stand for all.
      const TimeRange a = frames.frame(first).time;
      const TimeRange b = frames.frame(next - 1).time;
      busy = static_cast<double>(next - first) * static_cast<double>((a.length() + b.length()).count()) / 2.0;
    } else if (first > 0) {
      const TimeRange before = frames.frame(first - 1).time;
      busy = static_cast<double>(std::max<std::int64_t>(0, (std::min(before.end, end) - begin).count()));
    }
    if (busy > 0.0) {
      const double share = std::min(1.0, busy / axis.picosecondsPerPixel());
      density[x] = static_cast<std::uint8_t>(1 + std::lround(254.0 * share));
    }
    counts[x] = next - first;
    first = next;
  }
  // Of frames without a length only how many there are can be told.
  const auto most = std::max_element(counts.begin(), counts.end());
  for (std::size_t x = 0; x < density.size(); ++x) {
    if (density[x] == 0 && counts[x] > 0)
      density[x] = static_cast<std::uint8_t>(
          1 + std::lround(254.0 * static_cast<double>(counts[x]) / static_cast<double>(*most)));
  }
  return density;
}

std::vector<std::uint32_t> faultyFrames(const Transactions& transactions)
{
  std::vector<std::uint32_t> frames = faultyFrames(transactions.frames());
  if (!transactions.meaning())
    return frames;
  const std::vector<std::uint32_t> told = transactions.meaning()->faulty(0);
  std::vector<std::uint32_t> both;
  std::set_union(frames.begin(), frames.end(), told.begin(), told.end(), std::back_inserter(both));
  return both;
}

std::vector<std::uint32_t> faultyFrames(const FrameIndex& frames)
{
  std::vector<std::uint32_t> faulty;
  for (const auto& chunk : frames.chunks()) {
    for (std::size_t i = 0; i < chunk->size(); ++i) {
      if (isFaulty(chunk->kind[i], chunk->errors[i]))
        faulty.push_back(static_cast<std::uint32_t>(chunk->first + i));
    }
  }
  return faulty;
}

std::vector<int> faultColumns(const FrameIndex& frames, const std::vector<std::uint32_t>& faulty, TimeRange whole,
                              int columns)
{
  const TimeAxis axis(whole, std::max(1, columns));
  std::vector<int> found;
  auto next = faulty.begin();
  while (next != faulty.end()) {
    const int x = static_cast<int>(axis.xOf(frames.frame(*next).time.begin));
    found.push_back(x);
    next = std::partition_point(next, faulty.end(), [&](std::uint32_t frame) {
      return static_cast<int>(axis.xOf(frames.frame(frame).time.begin)) <= x;
    });
  }
  return found;
}

TimeRange spanAround(TimeRange time, double room)
{
  const Picoseconds extra = wholePicoseconds(static_cast<double>(time.length().count()) * room);
  return {minus(time.begin, extra), plus(time.end, extra)};
}

namespace {

/// The same for transactions of which only their moments are known: their distances say which belong together. What is
/// said of the last has its room too.
TimeRange firstMoments(const Transactions& transactions, TimeRange whole)
{
  constexpr std::uint64_t kSome = 4;
  if (transactions.size() < 2)
    return whole;
  TimeRange stretch{transactions.beginOf(0), transactions.beginOf(1)};
  Picoseconds step = stretch.length();
  for (std::uint64_t i = 2; i < std::min(kSome, transactions.size()); ++i) {
    const Picoseconds next = transactions.beginOf(i) - stretch.end;
    if (next > step * 3)
      break;
    step = std::max(step, next);
    stretch.end += next;
  }
  stretch.end = std::min(plus(stretch.end, step), whole.end);
  return stretch.empty() ? whole : spanAround(stretch, 0.06);
}

}  // namespace

TimeRange firstActiveStretch(const std::vector<Transactions>& streams, TimeRange whole)
{
  Picoseconds begin = kNever;
  const Transactions* leader = nullptr;
  for (const Transactions& s : streams) {
    if (s.size() > 0 && s.beginOf(0) < begin) {
      begin = s.beginOf(0);
      leader = &s;
    }
  }
  if (leader == nullptr)
    return whole;
  // Up to three transactions, as long as they follow one another closely: what comes after a long pause is another
  // story.
  TimeRange stretch = leader->timeOf(0);
  if (stretch.empty())
    return firstMoments(*leader, whole);
  const Picoseconds first = stretch.length();
  for (std::uint64_t i = 1; i < std::min<std::uint64_t>(3, leader->size()); ++i) {
    const TimeRange next = leader->timeOf(i);
    if (next.begin - stretch.end > first * 2)
      break;
    stretch.end = next.end;
  }
  return spanAround(stretch, 0.06);
}

}  // namespace bexto
