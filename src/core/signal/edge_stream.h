#pragma once

#include <array>
#include <cstdint>

#include "core/signal/conditioning.h"

namespace bexto {

/// The transitions of a track, one after the other, as decoders eat them: a pointer walks over an unpacked buffer
/// whose end is marked by kNever, so the inner loop has no bounds to check.
///
/// Pulses shorter than `minPulse` can be left out; a track is never copied for that. Resumable: when the track has
/// grown, extend() goes on where the stream stood. Thread-compatible.
class EdgeStream {
 public:
  /// Begins with the first transition at or after `from`. `track` is known up to `until`; when `final`, nothing will
  /// follow. Of the track's own conditioning and `minPulse` the longer pulse counts.
  EdgeStream(const ConditionedTrack& track, Picoseconds from, Picoseconds until, bool final, Picoseconds minPulse = {});
  EdgeStream(const EdgeStream&) = delete;  // its pointer walks over its own buffer
  EdgeStream& operator=(const EdgeStream&) = delete;

  /// Time of the next transition in ps, kNever.count() when there is none (yet).
  std::int64_t next() const { return *m_at; }
  /// The level before the next transition. Told by how many of those in hand have been used: a level of its own would
  /// have to be stored at every step.
  bool level() const { return m_rowLevel != (((m_at - m_buffer.data()) & 1) != 0); }
  /// Requires: next() is not kNever.
  void advance()
  {
    if (*++m_at == kNever.count()) [[unlikely]]
      refill();
  }
  /// For inner loops: the transitions in hand, from the next one on, up to a kNever. When that is reached after some
  /// were used, usedUpTo() brings more.
  const std::int64_t* inHand() const { return m_at; }
  const std::int64_t* inHandEnd() const { return m_end; }
  /// So many numbers behind inHandEnd() can be read: they are kNever too.
  static constexpr std::ptrdiff_t kReadableBehind = 16;
  /// Requires: `at` is in the row that inHand() began.
  void usedUpTo(const std::int64_t* at)
  {
    const bool moved = at != m_at;
    m_at = at;
    if (moved && *m_at == kNever.count())
      refill();
  }
  /// For those who need several at once: transitions before `at` have been used, and behind those in hand come more, as
  /// many as have room. False when none came; pointers into what was in hand are no longer valid either way. Requires:
  /// as usedUpTo().
  bool fetchBehind(const std::int64_t* at);
  /// Everything that happens up to and including this moment has been handed out or is in next().
  Picoseconds horizon() const { return m_horizon; }
  /// Up to this moment nothing that is still to come can change what is handed out.
  Picoseconds settled() const { return m_final ? m_until : m_until - m_minPulse; }
  /// The track has grown. Requires: `track` continues the one before.
  void extend(const ConditionedTrack& track, Picoseconds until, bool final);

 private:
  void refill();
  void fillFrom(std::int64_t* fresh);
  const EdgeChunk& enterChunk();

  static constexpr std::size_t kBufferBlocks = 16;
  EdgeTrack m_track;
  Picoseconds m_until;
  Picoseconds m_horizon;
  Picoseconds m_minPulse;
  bool m_final;
  bool m_rowLevel = false;            ///< before the first transition in the buffer
  std::uint64_t m_read = 0;           ///< index of the first transition that is not in the buffer
  std::size_t m_chunk = 0;            ///< a guess at the chunk that holds it
  const EdgeChunk* m_open = nullptr;  ///< whose deltas are m_bytes; one of m_track's
  ChunkBytes m_bytes;
  alignas(64) std::array<std::int64_t, kBufferBlocks * kBlockEdges + 1 + kReadableBehind> m_buffer{};
  const std::int64_t* m_at;   ///< the next transition, in m_buffer
  const std::int64_t* m_end;  ///< where the kNever is
};

}  // namespace bexto
