#pragma once

#include <memory>
#include <stop_token>
#include <string>

#include "core/base/file_lock.h"
#include "core/base/progress.h"
#include "core/store/database.h"
#include "core/store/recorded_chunks.h"
#include "core/store/segment_writer.h"
#include "core/store/session_file.h"

namespace bexto {

/// Writes a session as it comes to be: what was recorded by a call is in the file for good, whenever the program is
/// killed after it, and SessionStore::open() reads it meanwhile and afterwards. The file is in SQLite's write-ahead
/// mode as long as this lives, and at rest, one file, when it goes. One thread at a time.
class SessionRecorder {
 public:
  /// A new file; one that is there is replaced. Errors: Unwritable.
  static Result<std::unique_ptr<SessionRecorder>> create(const std::string& path);
  ~SessionRecorder();
  SessionRecorder(const SessionRecorder&) = delete;
  SessionRecorder& operator=(const SessionRecorder&) = delete;

  /// Adds segment number `number`, or what its capture has more than before. A capture of long standing goes in by
  /// pieces of some 16 MB, so what is lost by a kill is the last one. Requires: number <= those so far.
  /// Errors: Unwritable, Cancelled; then what was recorded before is still there.
  Result<void> record(std::size_t number, const Segment& segment, const std::stop_token& stop, Progress& progress);
  /// Chunks of that segment that were in memory and are in the file now, as they are read from there: what may take
  /// their place. Those since the last call. Empty also when the file cannot be read meanwhile.
  struct ChunkOnDisk {
    std::size_t channel = 0;                     ///< the first one that has the track
    std::size_t number = 0;                      ///< of the chunk in it
    std::shared_ptr<const EdgeChunk> chunk;      ///< of a wire
    std::shared_ptr<const RecordChunk> records;  ///< of an interface
  };
  std::vector<ChunkOnDisk> takeOnDisk(std::size_t number, const Segment& segment);
  /// What the user set up, in place of what was.
  Result<void> set(const SessionFile& file);

  const std::string& path() const { return m_path; }

 private:
  SessionRecorder(std::string path, FileLock lock, Database database);
  Result<void> commit();

  static constexpr std::size_t kPiece = std::size_t{16} << 20;

  std::string m_path;
  FileLock m_lock;  ///< goes after the database: see FileLock
  Database m_database;
  std::vector<SegmentWriter> m_segments;
  std::shared_ptr<const RecordedChunks> m_chunks;  ///< once somebody asked
};

}  // namespace bexto
