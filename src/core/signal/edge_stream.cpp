// The filter drops *pairs* of neighbouring transitions that are closer than minPulse, so that the level after what is
// left is always right. Whether a transition stays is known only when the next one is: the last one of a buffer is
// therefore read again with the next buffer, and held back while the track may still grow within minPulse of it.
//
// Tested by tests/core/edge_stream_test.cpp.
#include "core/signal/edge_stream.h"

#include <algorithm>

#include "core/signal/unpack_blocks.h"

namespace bexto {

EdgeStream::EdgeStream(const ConditionedTrack& track, Picoseconds from, Picoseconds until, bool final,
                       Picoseconds minPulse)
    : m_track(track.track),
      m_until(until),
      m_horizon(until),
      m_minPulse(std::max(minPulse, track.how.minPulse)),
      m_final(final),
      m_read(m_track.countBefore(from)),
      m_at(m_buffer.data()),
      m_end(m_buffer.data())
{
  // Pairs must be counted from a transition that stands alone, or a spike across `from` would lose one of its edges.
  while (m_minPulse > Picoseconds{0} && m_read > 0 && m_read < m_track.size() &&
         m_track.at(m_read) - m_track.at(m_read - 1) < m_minPulse)
    --m_read;
  m_rowLevel = m_track.levelBefore(m_read) != track.how.invert;
  refill();
  while (next() < from.count())
    advance();
}

bool ConditionedTrack::levelAt(Picoseconds t) const
{
  if (how.minPulse <= Picoseconds{0})
    return track.levelAt(t) != how.invert;
  return EdgeStream(*this, t + Picoseconds{1}, kNever - Picoseconds{1}, true).level();
}

void EdgeStream::extend(const ConditionedTrack& track, Picoseconds until, bool final)
{
  m_track = track.track;
  m_open = nullptr;
  m_until = until;
  m_final = final;
  m_horizon = until;
  if (*m_at == kNever.count())
    refill();
}

/// The chunk that holds transition m_read, with its deltas in hand.
const EdgeChunk& EdgeStream::enterChunk()
{
  const auto holds = [&](const EdgeChunk& chunk) {
    return m_read >= chunk.firstIndex() && m_read < chunk.firstIndex() + chunk.count();
  };
  if (m_chunk >= m_track.chunkCount() || !holds(m_track.chunk(m_chunk)))
    m_chunk = m_track.chunkOf(m_read);
  const EdgeChunk& chunk = m_track.chunk(m_chunk);
  if (m_open != &chunk) {
    m_bytes = {};  // the one before can go while the next is read
    m_bytes = chunk.bytes();
    m_open = &chunk;
  }
  return chunk;
}

void EdgeStream::refill()
{
  m_rowLevel = level();
  m_at = m_buffer.data();
  fillFrom(m_buffer.data());
}

bool EdgeStream::fetchBehind(const std::int64_t* at)
{
  m_at = at;
  m_rowLevel = level();
  const auto kept = m_end - at;
  m_at = m_buffer.data();
  fillFrom(std::copy(at, m_end, m_buffer.data()));
  return m_end - m_at > kept;
}

/// Reads into the buffer from `fresh` on; what is before that stays.
void EdgeStream::fillFrom(std::int64_t* fresh)
{
  std::int64_t* out = fresh;
  std::int64_t* const full = m_buffer.data() + kBufferBlocks * kBlockEdges;
  bool again = true;
  while (again) {
    again = false;
    const std::uint64_t before = m_read;
    while (m_read < m_track.size() && out < full) {
      const EdgeChunk& chunk = enterChunk();
      const ChunkSummary& summary = chunk.summary();
      const auto inChunk = static_cast<std::size_t>(m_read - chunk.firstIndex());
      const std::size_t block = inChunk / kBlockEdges;
      const std::size_t skip = inChunk % kBlockEdges;
      const std::size_t whole =
          std::min(chunk.count() / kBlockEdges - block, static_cast<std::size_t>(full - out) / kBlockEdges);
      // Behind what was kept there may be room for a part of a block: it waits until there is more.
      if (skip == 0 && whole == 0 && out > m_buffer.data() && chunk.blockCount(block) == kBlockEdges)
        break;
      if (skip == 0 && whole > 0) {
        unpackWholeBlocks(&summary.layouts[block], &summary.firsts[block], whole, m_bytes.data(), out);
        out += whole * kBlockEdges;
        m_read += whole * kBlockEdges;
      } else {
        const std::size_t count = chunk.blockCount(block);
        std::array<std::int64_t, kBlockEdges> times;
        unpackBlock(summary.layouts[block], m_bytes.data(), summary.firsts[block], count, times.data());
        const std::size_t taken = std::min(count - skip, static_cast<std::size_t>(full - out));
        out = std::copy_n(times.data() + skip, taken, out);
        m_read += taken;
      }
    }
    m_horizon = m_until;
    if (m_minPulse > Picoseconds{0} && out != fresh) {
      const bool complete = m_read >= m_track.size();
      std::int64_t* kept = fresh;
      const std::int64_t* in = fresh;
      while (in < out) {
        const bool lastOne = in + 1 == out;
        if (!lastOne && in[1] - in[0] < m_minPulse.count()) {
          in += 2;
        } else if (lastOne && (!complete || (!m_final && m_until.count() - in[0] < m_minPulse.count()))) {
          --m_read;
          if (complete)
            m_horizon = std::min(m_horizon, Picoseconds{in[0] - 1});
          ++in;
        } else {
          *kept++ = *in++;
        }
      }
      out = kept;
      // Everything in this stretch was short pulses, but there is more of the track.
      again = out == fresh && m_read > before && m_read < m_track.size() && m_horizon == m_until;
    }
  }
  std::fill_n(out, 1 + kReadableBehind, kNever.count());
  m_end = out;
}

}  // namespace bexto
