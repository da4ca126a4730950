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
    if (m_open.blocks.size() == kChunkBlocks)
      seal();
  }
  if (m_pending.empty())
    m_pending.resize(kBlockEdges);
  m_pending[m_pendingCount++] = tick;
}

void EdgeTrackBuilder::flush(EdgeChunk& chunk) const
{
  const std::span<const std::int64_t> ticks(m_pending.data(), m_pendingCount);
  chunk.blocks.push_back(packBlock(ticks, m_power, chunk.bytes));
  chunk.blockFirst.push_back(ticks.front() * tenToThe(m_power));
  chunk.count += ticks.size();
}

void EdgeTrackBuilder::seal()
{
  EdgeChunk next;
  next.firstIndex = m_open.firstIndex + m_open.count;
  // The next chunk will most likely be as large as this one: growing byte by byte costs several times the packing.
  next.bytes.reserve(m_open.bytes.size() + m_open.bytes.size() / 16);
  next.blocks.reserve(kChunkBlocks);
  next.blockFirst.reserve(kChunkBlocks);
  m_open.bytes.shrink_to_fit();
  m_sealed.push_back(std::make_shared<const EdgeChunk>(std::move(m_open)));
  m_open = std::move(next);
}

EdgeTrack EdgeTrackBuilder::snapshot() const
{
  auto chunks = m_sealed;
  if (m_open.count + m_pendingCount > 0) {
    auto last = std::make_shared<EdgeChunk>(m_open);
    if (m_pendingCount > 0)
      flush(*last);
    chunks.push_back(std::move(last));
  }
  return EdgeTrack(m_startLevel, std::move(chunks));
}

}  // namespace bexto
