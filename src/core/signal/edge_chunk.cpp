// Tested by tests/core/edge_chunk_test.cpp.
#include "core/signal/edge_chunk.h"

#include <algorithm>
#include <cassert>
#include <utility>

#include "core/signal/chunk_cache.h"

namespace bexto {

namespace {

/// Times for a chunk that nobody can read: as many, from the first to the last, evenly.
void spreadEvenly(const ChunkFacts& facts, ChunkSummary& summary, PackedBytes& bytes)
{
  const std::uint64_t gaps = std::max<std::uint64_t>(1, facts.count - 1);
  const auto room = static_cast<std::uint64_t>(facts.last - facts.first);
  std::vector<std::int64_t> ticks;
  for (std::size_t at = 0; at < facts.count; at += kBlockEdges) {
    ticks.clear();
    for (std::size_t i = at; i < std::min(facts.count, at + kBlockEdges); ++i)
      ticks.push_back(facts.first + static_cast<std::int64_t>(room / gaps * i + room % gaps * i / gaps));
    summary.firsts.push_back(ticks.front());
    summary.layouts.push_back(packBlock(ticks, 0, bytes));
  }
}

/// Bytes that fit a summary when the real ones cannot be read: each time follows the one before by one unit, which is
/// never later than the next block's first.
PackedBytes tickByTick(const ChunkFacts& facts, const ChunkSummary& summary)
{
  PackedBytes bytes;
  for (std::size_t b = 0; b < summary.layouts.size(); ++b) {
    const BlockLayout& layout = summary.layouts[b];
    const std::size_t count = std::min(kBlockEdges, facts.count - b * kBlockEdges);
    bytes.resize(std::max(bytes.size(), layout.row() + count * layout.width));
    for (std::size_t p = 0; p < layout.pauses; ++p)
      bytes[layout.offset + 9 * p] = 1;  // of no length
    for (std::size_t i = 1; i < count; ++i)
      bytes[layout.row() + i * layout.width] = 1;
  }
  return bytes;
}

}  // namespace

EdgeChunk::EdgeChunk(ChunkFacts facts, ChunkSummary summary, PackedBytes bytes)
    : m_facts(facts), m_summary(new ChunkSummary(std::move(summary))), m_own(std::move(bytes))
{
}

EdgeChunk::EdgeChunk(ChunkFacts facts, std::shared_ptr<const ChunkSource> source, std::int64_t key)
    : m_facts(facts), m_source(std::move(source)), m_key(key)
{
  assert(m_source != nullptr);
}

EdgeChunk::~EdgeChunk()
{
  if (m_source)
    ChunkCache::shared().forget(*m_source, m_key);
  delete m_summary.load(std::memory_order_relaxed);
}

const ChunkSummary& EdgeChunk::readSummary() const
{
  auto read = m_source->readSummary(m_key, m_facts);
  auto made = std::make_unique<ChunkSummary>();
  if (read) {
    *made = std::move(*read);
  } else {
    PackedBytes unused;
    spreadEvenly(m_facts, *made, unused);
  }
  const ChunkSummary* expected = nullptr;
  // Another thread may have been quicker: then its copy is everybody's.
  if (m_summary.compare_exchange_strong(expected, made.get(), std::memory_order_acq_rel))
    return *made.release();
  return *expected;
}

ChunkBytes EdgeChunk::readBytes() const
{
  const ChunkSummary& known = summary();
  return ChunkBytes(ChunkCache::shared().get(*m_source, m_key, [&] {
    auto read = m_source->readBytes(m_key, m_facts, known);
    return read ? std::move(*read) : tickByTick(m_facts, known);
  }));
}

std::size_t EdgeChunk::memory() const
{
  std::size_t n = sizeof(EdgeChunk) + m_own.capacity();
  if (const ChunkSummary* const known = m_summary.load(std::memory_order_acquire))
    n += known->firsts.capacity() * sizeof(std::int64_t) + known->layouts.capacity() * sizeof(BlockLayout);
  return n;
}

}  // namespace bexto
