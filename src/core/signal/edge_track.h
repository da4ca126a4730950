#pragma once

#include <array>
#include <cstdint>
#include <memory>
#include <vector>

#include "core/base/time.h"
#include "core/signal/edge_chunk.h"

namespace bexto {

/// Blocks of a chunk that is full.
inline constexpr std::size_t kChunkBlocks = 1024;

/// One digital channel: a start level and the moments at which it flips, strictly increasing.
///
/// An immutable value of two words; copies share the chunks, and do not know where these live (signal/edge_chunk.h).
/// Any number of threads may read it without locks, also while an EdgeTrackBuilder appends: that publishes a new track,
/// and readers keep the one they began with. Transitions are numbered from 0. Every look-up is O(log n). The level *at*
/// a transition is the one after it.
class EdgeTrack {
 public:
  EdgeTrack();
  /// Requires: the chunks follow one another in index and time.
  EdgeTrack(bool startLevel, std::vector<std::shared_ptr<const EdgeChunk>> chunks);

  std::uint64_t size() const;
  bool startLevel() const;

  /// Requires: index < size().
  Picoseconds at(std::uint64_t index) const;
  /// How many transitions are earlier than `t`: also the index of the first one at or after it.
  std::uint64_t countBefore(Picoseconds t) const;
  /// Transitions inside the half-open range.
  std::uint64_t countIn(TimeRange range) const;
  /// The level after everything that happens at `t`.
  bool levelAt(Picoseconds t) const;
  /// The level before transition `index`; for index == size(), the last level.
  bool levelBefore(std::uint64_t index) const { return startLevel() != ((index & 1U) != 0); }
  /// First transition later than `t`, else kNever.
  Picoseconds nextAfter(Picoseconds t) const;
  /// Last transition earlier than `t`, else -1 ps.
  Picoseconds previousBefore(Picoseconds t) const;
  /// The transition nearest to `t`, the earlier of two equally near; kNever when there is none.
  Picoseconds nearestTo(Picoseconds t) const;

  /// Memory of the packed transitions and their summary, in bytes; without what was read from a file and is held by the
  /// cache.
  std::size_t bytes() const;
  /// Whether both are the same wire, not only equal.
  bool sameAs(const EdgeTrack& other) const { return m_list == other.m_list; }
  /// Equal for the same wire, for sets of them.
  const void* identity() const { return m_list.get(); }

  // For readers that walk: see EdgeStream and view/wire_shape.
  std::size_t chunkCount() const;
  const EdgeChunk& chunk(std::size_t i) const;
  /// The chunk that holds transition `index`. Requires: index < size().
  std::size_t chunkOf(std::uint64_t index) const;
  /// The last chunk that begins earlier than `t`, else 0. Requires: size() > 0.
  std::size_t chunkBefore(Picoseconds t) const;

 private:
  struct List;
  std::shared_ptr<const List> m_list;
};

}  // namespace bexto
