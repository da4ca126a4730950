#pragma once

#include <cstdint>
#include <limits>
#include <stop_token>
#include <utility>
#include <vector>

#include "core/base/progress.h"
#include "core/store/database.h"
#include "core/store/session_file.h"

namespace bexto {

/// Puts a segment into a session file, whole or as it grows: each call adds what its capture has more than at the one
/// before. Inside the caller's transaction; a copy from before one that failed is how things stand after it.
class SegmentWriter {
 public:
  /// `place` is the segment's in the row of segments, from 0.
  explicit SegmentWriter(std::int64_t place) : m_place(place) {}

  /// Writes until about `most` bytes were written or `stop` is set; true: all is there. What goes wrong is in the
  /// database's outcome(). Requires: segment.capture has the channels of the call before, the same or longer, and
  /// `database` is the same. Of records only the last chunk grows.
  bool write(Database& database, const Segment& segment, const std::stop_token& stop, Progress& progress,
             std::size_t most = std::numeric_limits<std::size_t>::max());

  /// A chunk that is full, was in memory, and is in the file now for good.
  struct Kept {
    std::size_t channel = 0;  ///< the first one of its track
    std::size_t number = 0;
    std::int64_t key = 0;
  };
  /// Those since the last call.
  std::vector<Kept> takeKept() { return std::exchange(m_kept, {}); }

 private:
  struct Written {
    std::int64_t id = 0;      ///< row of the track
    std::size_t chunks = 0;   ///< that are full, and so will not change
    std::uint64_t edges = 0;  ///< or records, in all chunks
  };

  void begin(Database& database, const Segment& segment);
  void writeFacts(Database& database, const Segment& segment, bool whole) const;

  std::int64_t m_place;
  std::int64_t m_segment = 0;
  std::vector<std::size_t> m_trackOf;  ///< of each channel, in m_tracks
  std::vector<Written> m_tracks;
  std::size_t m_sent = 0;  ///< of Capture::sent, that are written
  std::vector<Kept> m_kept;
  std::vector<std::size_t> m_channelOf;  ///< the first one of each track
};

}  // namespace bexto
