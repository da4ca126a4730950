#include "core/signal/edge_track_builder.h"

#include <cassert>

namespace bexto {

void EdgeTrackBuilder::change(std::int64_t tick, bool level)
{
  m_level = level;
  if (!m_known) {
    m_known = true;
    m_startLevel = level;
    return;
  }
  if (m_pendingCount > 0 && m_pending[m_pendingCount - 1] == tick) {
    --m_pendingCount;
    return;
  }
  assert(m_pendingCount == 0 || m_pending[m_pendingCount - 1] < tick);
  if (m_pendingCount == kBlockEdges) {
    flush(m_open);
    m_flushed += m_pendingCount;
    m_pendingCount = 0;
    if (m_open.summary.layouts.size() == kChunkBlocks)
      seal();
  }
  if (m_pending.empty())
    m_pending.resize(kBlockEdges);
  m_pending[m_pendingCount++] = tick;
}

void EdgeTrackBuilder::flush(Open& chunk) const
{
  const std::span<const std::int64_t> ticks(m_pending.data(), m_pendingCount);
  chunk.summary.layouts.push_back(packBlock(ticks, m_power, chunk.bytes));
  chunk.summary.firsts.push_back(ticks.front() * tenToThe(m_power));
  chunk.count += ticks.size();
  chunk.last = ticks.back() * tenToThe(m_power);
}

std::shared_ptr<const EdgeChunk> EdgeTrackBuilder::closed(Open chunk)
{
  const ChunkFacts facts{chunk.firstIndex, chunk.count, chunk.summary.firsts.front(), chunk.last};
  return std::make_shared<const EdgeChunk>(facts, std::move(chunk.summary), std::move(chunk.bytes));
}

void EdgeTrackBuilder::seal()
{
  Open next;
  next.firstIndex = m_open.firstIndex + m_open.count;
  // The next chunk will most likely be as large as this one: growing byte by byte costs several times the packing.
  next.bytes.reserve(m_open.bytes.size() + m_open.bytes.size() / 16);
  next.summary.layouts.reserve(kChunkBlocks);
  next.summary.firsts.reserve(kChunkBlocks);
  m_open.bytes.shrink_to_fit();
  m_sealed.push_back(closed(std::move(m_open)));
  m_open = std::move(next);
}

void EdgeTrackBuilder::replaceChunk(std::size_t number, std::shared_ptr<const EdgeChunk> chunk)
{
  if (number < m_sealed.size() && m_sealed[number]->facts() == chunk->facts())
    m_sealed[number] = std::move(chunk);
}

EdgeTrack EdgeTrackBuilder::snapshot() const
{
  auto chunks = m_sealed;
  if (m_open.count + m_pendingCount > 0) {
    Open last = m_open;
    if (m_pendingCount > 0)
      flush(last);
    chunks.push_back(closed(std::move(last)));
  }
  return EdgeTrack(m_startLevel, std::move(chunks));
}

}  // namespace bexto
