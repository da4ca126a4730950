#pragma once

#include <memory>
#include <vector>

#include "core/signal/edge_track.h"

namespace bexto {

/// Takes the levels of one channel in the order of time and makes tracks of them.
///
/// One thread appends and takes snapshots; the snapshots may be read by any thread meanwhile. Times are in ticks of
/// 10^power picoseconds, so that a reader of a file need not multiply. Small when nothing changes: 200 bytes.
class EdgeTrackBuilder {
 public:
  /// Requires: 0 <= tickPower <= 14.
  explicit EdgeTrackBuilder(int tickPower = 0) : m_power(tickPower) {}

  /// The level is `level` from `tick` on. The first call settles the start level and is no transition. Of several
  /// levels at one tick the last counts, and when that is the one before, nothing happened.
  /// Requires: tick is not below that of an earlier call, and times stay below 2^63 ps.
  void set(std::int64_t tick, bool level)
  {
    if (level == m_level && m_known)
      return;
    // Mostly there is room behind an earlier transition.
    if (m_pendingCount > 0 && m_pendingCount < kBlockEdges && m_pending[m_pendingCount - 1] < tick) [[likely]] {
      m_level = level;
      m_pending[m_pendingCount++] = tick;
      return;
    }
    change(tick, level);
  }

  /// A transition at `tick`; the same rules. Requires: a start level has been set.
  void toggle(std::int64_t tick)
  {
    if (m_pendingCount > 0 && m_pendingCount < kBlockEdges && m_pending[m_pendingCount - 1] < tick) [[likely]] {
      m_level = !m_level;
      m_pending[m_pendingCount++] = tick;
      return;
    }
    change(tick, !m_level);
  }

  /// Transitions so far.
  std::uint64_t size() const { return m_flushed + m_pendingCount; }

  /// Chunk `number` may go: `chunk` has the same transitions. Nothing happens when that is not so, as far as its facts
  /// tell, or when it is not full.
  void replaceChunk(std::size_t number, std::shared_ptr<const EdgeChunk> chunk);

  /// All so far. Costs one pass over at most one chunk; call it tens of times a second, not for each transition.
  EdgeTrack snapshot() const;

 private:
  void change(std::int64_t tick, bool level);
  /// A chunk that is not full yet.
  struct Open {
    std::uint64_t firstIndex = 0;
    std::size_t count = 0;
    std::int64_t last = 0;  ///< ps
    ChunkSummary summary = {};
    PackedBytes bytes = {};
  };

  void flush(Open& chunk) const;
  static std::shared_ptr<const EdgeChunk> closed(Open chunk);
  void seal();

  int m_power;
  bool m_known = false;
  bool m_level = false;
  bool m_startLevel = false;
  // The last block stays unpacked, so that a change back at the same tick can take its last transition away.
  std::vector<std::int64_t> m_pending;  ///< room for kBlockEdges from the first transition on
  std::size_t m_pendingCount = 0;
  std::uint64_t m_flushed = 0;
  Open m_open;
  std::vector<std::shared_ptr<const EdgeChunk>> m_sealed;
};

}  // namespace bexto
