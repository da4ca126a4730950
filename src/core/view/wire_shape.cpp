// For each column the question is: no transition, one, or more? Binary search for each column would cost a cache miss a
// step, so the walk guesses that columns are alike, and gallops from there, in doubling strides over the chunk's
// summary. When a column's begin and end lie two blocks apart, it is busy, and no block has to be unpacked. When they
// lie one block apart, the next block's first transition is inside; if its second one is too, that is enough. Only then
// are blocks unpacked whole, and the one in hand is kept: zoomed in, one block serves many columns, and a stretch
// without transitions is stepped over in one go.
//
// Tested by tests/core/wire_shape_test.cpp against the plain way.
#include "core/view/wire_shape.h"

#include <algorithm>
#include <array>
#include <bit>
#include <cmath>

#include "core/signal/edge_stream.h"

namespace bexto {

namespace {

/// Finds how many transitions are before a time, for times that do not fall.
class Walker {
 public:
  /// Requires: the track has transitions.
  explicit Walker(const EdgeTrack& track) : m_track(track) { enter(0); }

  /// Moves on to the last block that begins before `t`. Returns the number of transitions before that block.
  std::uint64_t seek(std::int64_t t)
  {
    if (m_nextChunkBegin < t)
      enter(m_track.chunkBefore(Picoseconds{t}));
    // Columns are alike: the answer is most likely about as far on as the last one was.
    const std::vector<std::int64_t>& firsts = *m_firsts;
    const std::size_t from = m_block;
    std::size_t low = from;
    std::size_t high = std::min(from + m_stride, firsts.size());  // firsts[high] is not before t, or the end
    std::size_t step = 4;
    if (high < firsts.size() && firsts[high] < t) {
      low = high;
      while (low + step < firsts.size() && firsts[low + step] < t) {
        low += step;
        step *= 2;
      }
      high = std::min(low + step, firsts.size());
    } else {
      while (high > low + step && firsts[high - step] >= t) {
        high -= step;
        step *= 2;
      }
      low = high > low + step ? high - step : low;
    }
    const auto after = std::lower_bound(firsts.begin() + static_cast<std::ptrdiff_t>(low),
                                        firsts.begin() + static_cast<std::ptrdiff_t>(high), t);
    const auto behind = static_cast<std::size_t>(after - firsts.begin());
    m_block = std::max(from, behind == 0 ? 0 : behind - 1);
    m_stride = m_block - from + 1;
    return m_chunkIndex + m_block * kBlockEdges;
  }

  /// Whether the block's second transition is before `t` as well. Requires: seek(t) was the last call.
  bool secondIsBefore(std::int64_t t) const
  {
    const EdgeChunk& chunk = m_track.chunk(m_chunk);
    if (chunk.blockCount(m_block) < 2)
      return false;
    const ChunkSummary& summary = chunk.summary();
    std::array<std::int64_t, 2> times;
    unpackBlock(summary.layouts[m_block], chunk.bytes().data(), summary.firsts[m_block], 2, times.data());
    return times[1] < t;
  }

  /// Exactly how many are before `t`. Requires: seek(t) was the last call.
  std::uint64_t countBefore(std::int64_t t)
  {
    unpack();
    const std::int64_t* const times = m_times.data();
    const auto within = static_cast<std::uint64_t>(std::lower_bound(times, times + m_count, t) - times);
    return m_track.chunk(m_chunk).firstIndex() + m_block * kBlockEdges + within;
  }

  /// Time of transition `index`, which is in the block in hand or the first one after it.
  std::int64_t timeOf(std::uint64_t index) const
  {
    const std::uint64_t begin = m_track.chunk(m_chunk).firstIndex() + m_block * kBlockEdges;
    const auto within = static_cast<std::size_t>(index - begin);
    if (within < m_count)
      return m_times[within];
    return index < m_track.size() ? m_track.at(index).count() : kNever.count();
  }

 private:
  void enter(std::size_t chunk)
  {
    m_chunk = chunk;
    m_block = 0;
    m_firsts = &m_track.chunk(chunk).summary().firsts;
    m_chunkIndex = m_track.chunk(chunk).firstIndex();
    m_nextChunkBegin = chunk + 1 < m_track.chunkCount() ? m_track.chunk(chunk + 1).facts().first : kNever.count();
  }

  void unpack()
  {
    if (m_unpackedChunk == m_chunk && m_unpackedBlock == m_block)
      return;
    const EdgeChunk& chunk = m_track.chunk(m_chunk);
    m_count = chunk.blockCount(m_block);
    const ChunkSummary& summary = chunk.summary();
    unpackBlock(summary.layouts[m_block], chunk.bytes().data(), summary.firsts[m_block], m_count, m_times.data());
    m_unpackedChunk = m_chunk;
    m_unpackedBlock = m_block;
  }

  const EdgeTrack& m_track;
  std::size_t m_chunk = 0;
  std::size_t m_block = 0;
  std::size_t m_stride = 1;
  // Of the chunk in hand, one step away instead of three.
  const std::vector<std::int64_t>* m_firsts = nullptr;
  std::uint64_t m_chunkIndex = 0;
  std::int64_t m_nextChunkBegin = 0;
  std::size_t m_unpackedChunk = ~std::size_t{0};
  std::size_t m_unpackedBlock = 0;
  std::size_t m_count = 0;
  std::array<std::int64_t, kBlockEdges> m_times{};
};

void append(std::vector<WireRun>& runs, WireRun run)
{
  if (!runs.empty() && runs.back().state == run.state && runs.back().density == run.density &&
      runs.back().x1 == run.x0) {
    runs.back().x1 = run.x1;
    return;
  }
  runs.push_back(run);
}

std::uint8_t densityOf(std::uint64_t transitions)
{
  return static_cast<std::uint8_t>(std::clamp((static_cast<int>(std::bit_width(transitions)) - 1) / 2 + 1, 1, 4));
}

/// From transitions that are few enough to be looked at one by one.
std::vector<WireRun> shapeOfEach(const ConditionedTrack& track, const TimeAxis& axis, Picoseconds until)
{
  const TimeRange span = axis.span();
  EdgeStream edges(track, std::max(Picoseconds{0}, span.begin), until, true);
  const int left = static_cast<int>(std::clamp(axis.xOf(Picoseconds{0}), 0.0, double(axis.width())));
  const double last = std::min(double(axis.width()), axis.xOf(until) + 1.0);
  const int right = std::max(left, static_cast<int>(last));
  std::vector<WireRun> runs;
  int x = left;
  while (x < right) {
    const std::int64_t next = edges.next();
    const bool level = edges.level();
    const double at = next == kNever.count() ? right : axis.xOf(Picoseconds{next});
    const int column = at >= right ? right : std::max(x, static_cast<int>(at));
    if (column > x)
      append(runs, {x, column, level ? WireState::High : WireState::Low, 0});
    if (column == right)
      break;
    const std::int64_t columnEnd = axis.timeAt(column + 1).count();
    std::uint64_t transitions = 0;
    for (; edges.next() < columnEnd; edges.advance())
      ++transitions;
    if (transitions >= 2)
      append(runs, {column, column + 1, WireState::Busy, densityOf(transitions)});
    else
      append(runs, {column, column + 1, edges.level() ? WireState::High : WireState::Low, 0});
    x = column + 1;
  }
  return runs;
}

std::vector<WireRun> shapeOfTrack(const EdgeTrack& track, const TimeAxis& axis, Picoseconds until)
{
  const auto columnOf = [&](Picoseconds t) {
    return static_cast<int>(std::clamp(axis.xOf(t), 0.0, double(axis.width())));
  };
  const int left = columnOf(Picoseconds{0});
  const int right = axis.xOf(until) < 0.0 ? left : std::min(axis.width(), columnOf(until) + 1);
  std::vector<WireRun> runs;
  const auto level = [&](std::uint64_t count) { return track.levelBefore(count) ? WireState::High : WireState::Low; };
  if (track.size() == 0) {
    if (left < right)
      runs.push_back({left, right, level(0), 0});
    return runs;
  }
  Walker walker(track);
  std::int64_t time = axis.timeAt(left).count();
  std::uint64_t block = walker.seek(time);
  std::uint64_t count = walker.countBefore(time);
  bool exact = true;
  for (int x = left; x < right;) {
    const std::int64_t nextTime = axis.timeAt(x + 1).count();
    if (exact && x + 1 < right) {
      // Nothing for a while? Go there at once.
      const std::int64_t edge = walker.timeOf(count);
      const int edgeColumn = edge == kNever.count() ? right : std::min(right, columnOf(Picoseconds{edge}));
      if (edgeColumn > x + 1) {
        append(runs, {x, edgeColumn, level(count), 0});
        x = edgeColumn;
        time = axis.timeAt(x).count();
        block = walker.seek(time);
        count = walker.countBefore(time);
        continue;
      }
    }
    const std::uint64_t nextBlock = walker.seek(nextTime);
    const bool oneApart = !exact && nextBlock - block == kBlockEdges;
    if (nextBlock - block >= 2 * kBlockEdges || (oneApart && walker.secondIsBefore(nextTime))) {
      append(runs, {x, x + 1, WireState::Busy, densityOf(nextBlock - block)});
      exact = false;
    } else {
      if (!exact)
        count = track.countBefore(Picoseconds{time});
      const std::uint64_t nextCount = walker.countBefore(nextTime);
      const std::uint64_t transitions = nextCount - count;
      if (transitions >= 2)
        append(runs, {x, x + 1, WireState::Busy, densityOf(transitions)});
      else
        append(runs, {x, x + 1, level(nextCount), 0});
      count = nextCount;
      exact = true;
    }
    block = nextBlock;
    time = nextTime;
    ++x;
  }
  return runs;
}

}  // namespace

std::vector<WireRun> wireShape(const ConditionedTrack& track, const TimeAxis& axis, Picoseconds until)
{
  constexpr std::uint64_t kFewEnough = 20000;
  if (track.how.minPulse > Picoseconds{0} && track.track.countIn(axis.span()) <= kFewEnough)
    return shapeOfEach(track, axis, until);
  std::vector<WireRun> runs = shapeOfTrack(track.track, axis, until);
  if (track.how.invert) {
    for (WireRun& run : runs) {
      if (run.state != WireState::Busy)
        run.state = run.state == WireState::High ? WireState::Low : WireState::High;
    }
  }
  return runs;
}

}  // namespace bexto
