// Tested by tests/core/session_recorder_test.cpp.
#include "core/store/recorded_chunks.h"

#include "core/store/record_blob.h"

namespace bexto {

RecordedChunks::RecordedChunks(std::unique_ptr<Database> database)
    : m_database(std::move(database)),
      m_summary(m_database->prepare("SELECT packed FROM chunk_summary WHERE chunk = ?")),
      m_deltas(m_database->prepare("SELECT packed FROM chunk_deltas WHERE chunk = ?"))
{
}

Result<std::shared_ptr<const RecordedChunks>> RecordedChunks::open(const std::string& path)
{
  auto database = Database::open(path, Database::Mode::Read);
  if (!database)
    return tl::unexpected(database.error());
  std::shared_ptr<const RecordedChunks> chunks(new RecordedChunks(std::make_unique<Database>(std::move(*database))));
  if (auto good = chunks->m_database->outcome(); !good)
    return tl::unexpected(good.error());
  return chunks;
}

std::optional<std::vector<std::uint8_t>> RecordedChunks::readBlob(Statement& from, std::int64_t key) const
{
  const std::lock_guard guard(m_mutex);
  std::optional<std::vector<std::uint8_t>> blob;
  if (from.bind(1, key).next()) {
    const auto bytes = from.bytes(0);
    blob.emplace(bytes.begin(), bytes.end());
  }
  from.reset();  // and with it the view of the file, so that what is written meanwhile is not kept for us
  return m_database->outcome() ? blob : std::nullopt;
}

std::optional<ChunkSummary> RecordedChunks::readSummary(std::int64_t key, const ChunkFacts& facts) const
{
  const auto blob = readBlob(m_summary, key);
  return blob ? unpackSummary(*blob, facts) : std::nullopt;
}

std::optional<PackedBytes> RecordedChunks::readBytes(std::int64_t key, const ChunkFacts& facts,
                                                     const ChunkSummary& summary) const
{
  const auto blob = readBlob(m_deltas, key);
  return blob ? unpackDeltas(*blob, facts, summary) : std::nullopt;
}

std::optional<RecordBlock> RecordedChunks::readRecords(std::int64_t key, const RecordFacts& facts) const
{
  const auto blob = readBlob(m_deltas, key);
  return blob ? unpackRecords(*blob, facts) : std::nullopt;
}

std::optional<ChunkBlobs> RecordedChunks::readBlobs(std::int64_t key) const
{
  auto summary = readBlob(m_summary, key);
  auto deltas = readBlob(m_deltas, key);
  if (!summary || !deltas)
    return std::nullopt;
  return ChunkBlobs{std::move(*summary), std::move(*deltas)};
}

}  // namespace bexto
