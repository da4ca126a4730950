#include "core/signal/edge_track.h"

#include <algorithm>
#include <cassert>

namespace bexto {

struct EdgeTrack::List {
  bool startLevel = false;
  std::uint64_t size = 0;
  std::vector<std::shared_ptr<const EdgeChunk>> chunks;
  // Copies of what searches look at first, side by side in memory.
  std::vector<std::int64_t> firstTimes;
  std::vector<std::uint64_t> firstIndexes;
};

namespace {

/// The last element of `starts` that is < value, else 0.
template <typename T>
std::size_t lastBelow(const std::vector<T>& starts, T value)
{
  const auto at = std::lower_bound(starts.begin(), starts.end(), value);
  return at == starts.begin() ? 0 : static_cast<std::size_t>(at - starts.begin()) - 1;
}

}  // namespace

EdgeTrack::EdgeTrack() : EdgeTrack(false, {}) {}

EdgeTrack::EdgeTrack(bool startLevel, std::vector<std::shared_ptr<const EdgeChunk>> chunks)
{
  auto list = std::make_shared<List>();
  list->startLevel = startLevel;
  for (const auto& chunk : chunks) {
    assert(chunk->firstIndex() == list->size && chunk->count() > 0);
    list->firstTimes.push_back(chunk->facts().first);
    list->firstIndexes.push_back(chunk->firstIndex());
    list->size += chunk->count();
  }
  list->chunks = std::move(chunks);
  m_list = std::move(list);
}

std::uint64_t EdgeTrack::size() const
{
  return m_list->size;
}

bool EdgeTrack::startLevel() const
{
  return m_list->startLevel;
}

std::size_t EdgeTrack::chunkCount() const
{
  return m_list->chunks.size();
}

const EdgeChunk& EdgeTrack::chunk(std::size_t i) const
{
  return *m_list->chunks[i];
}

std::size_t EdgeTrack::chunkOf(std::uint64_t index) const
{
  assert(index < size());
  return lastBelow(m_list->firstIndexes, index + 1);
}

std::size_t EdgeTrack::chunkBefore(Picoseconds t) const
{
  return lastBelow(m_list->firstTimes, t.count());
}

Picoseconds EdgeTrack::at(std::uint64_t index) const
{
  const EdgeChunk& c = chunk(chunkOf(index));
  const auto inChunk = static_cast<std::size_t>(index - c.firstIndex());
  const std::size_t block = inChunk / kBlockEdges;
  const ChunkSummary& summary = c.summary();
  if (inChunk % kBlockEdges == 0)
    return Picoseconds{summary.firsts[block]};
  std::array<std::int64_t, kBlockEdges> times;
  unpackBlock(summary.layouts[block], c.bytes().data(), summary.firsts[block], c.blockCount(block), times.data());
  return Picoseconds{times[inChunk % kBlockEdges]};
}

std::uint64_t EdgeTrack::countBefore(Picoseconds t) const
{
  if (size() == 0)
    return 0;
  const EdgeChunk& c = chunk(chunkBefore(t));
  if (c.facts().first >= t.count())
    return c.firstIndex();
  if (c.facts().last < t.count())
    return c.firstIndex() + c.count();
  const ChunkSummary& summary = c.summary();
  const std::size_t block = lastBelow(summary.firsts, t.count());
  const std::size_t count = c.blockCount(block);
  std::array<std::int64_t, kBlockEdges> times;
  unpackBlock(summary.layouts[block], c.bytes().data(), summary.firsts[block], count, times.data());
  const std::int64_t* const begin = times.data();
  const auto within = static_cast<std::uint64_t>(std::lower_bound(begin, begin + count, t.count()) - begin);
  return c.firstIndex() + block * kBlockEdges + within;
}

std::uint64_t EdgeTrack::countIn(TimeRange range) const
{
  return range.empty() ? 0 : countBefore(range.end) - countBefore(range.begin);
}

bool EdgeTrack::levelAt(Picoseconds t) const
{
  return t == kNever ? levelBefore(size()) : levelBefore(countBefore(t + Picoseconds{1}));
}

Picoseconds EdgeTrack::nextAfter(Picoseconds t) const
{
  if (t == kNever)
    return kNever;
  const std::uint64_t index = countBefore(t + Picoseconds{1});
  return index < size() ? at(index) : kNever;
}

Picoseconds EdgeTrack::previousBefore(Picoseconds t) const
{
  const std::uint64_t index = countBefore(t);
  return index > 0 ? at(index - 1) : Picoseconds{-1};
}

Picoseconds EdgeTrack::nearestTo(Picoseconds t) const
{
  const std::uint64_t index = countBefore(t);
  const Picoseconds after = index < size() ? at(index) : kNever;
  if (index == 0)
    return after;
  const Picoseconds before = at(index - 1);
  return after != kNever && after - t < t - before ? after : before;
}

std::size_t EdgeTrack::bytes() const
{
  std::size_t n = 0;
  for (const auto& c : m_list->chunks)
    n += c->memory();
  return n;
}

}  // namespace bexto
