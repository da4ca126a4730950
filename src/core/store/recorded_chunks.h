#pragma once

#include <memory>
#include <mutex>
#include <string>

#include "core/signal/record_log.h"
#include "core/store/chunk_blob.h"
#include "core/store/database.h"

namespace bexto {

/// Where the chunks of a recording are read from that are on the disk already, while the file goes on being written by
/// a SessionRecorder of this process: so that a recording may be longer than memory. The file is opened by SQLite only:
/// any other way to open and close it here would end the locks that SQLite has on it (fcntl(2)). Any thread.
class RecordedChunks final : public ChunkSource, public RecordSource {
 public:
  /// Errors: Unreadable.
  static Result<std::shared_ptr<const RecordedChunks>> open(const std::string& path);

  std::optional<ChunkSummary> readSummary(std::int64_t key, const ChunkFacts& facts) const override;
  std::optional<PackedBytes> readBytes(std::int64_t key, const ChunkFacts& facts,
                                       const ChunkSummary& summary) const override;
  std::optional<RecordBlock> readRecords(std::int64_t key, const RecordFacts& facts) const override;
  /// Of records, as they stand in the file. nullopt: they cannot be read.
  std::optional<std::vector<std::uint8_t>> readDeltas(std::int64_t key) const { return readBlob(m_deltas, key); }
  /// As they stand in the file. nullopt: they cannot be read.
  std::optional<ChunkBlobs> readBlobs(std::int64_t key) const;

 private:
  explicit RecordedChunks(std::unique_ptr<Database> database);
  std::optional<std::vector<std::uint8_t>> readBlob(Statement& from, std::int64_t key) const;

  mutable std::mutex m_mutex;  ///< of what follows
  std::unique_ptr<Database> m_database;
  mutable Statement m_summary;
  mutable Statement m_deltas;
};

}  // namespace bexto
