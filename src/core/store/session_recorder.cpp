// Tested by tests/core/session_recorder_test.cpp.
#include "core/store/session_recorder.h"

#include <fcntl.h>
#include <unistd.h>

#include <filesystem>

#include "core/base/say.h"
#include "core/store/schema.h"
#include "core/store/session_value.h"

namespace bexto {

SessionRecorder::SessionRecorder(std::string path, FileLock lock, Database database)
    : m_path(std::move(path)), m_lock(std::move(lock)), m_database(std::move(database))
{
}

SessionRecorder::~SessionRecorder()
{
  m_chunks.reset();  // whoever still reads keeps the file in write-ahead mode until it is opened the next time
  m_database.outcome();
  m_database.run("PRAGMA journal_mode = DELETE");
}

Result<std::unique_ptr<SessionRecorder>> SessionRecorder::create(const std::string& path)
{
  std::error_code code;
  for (const char* const part : {"", "-wal", "-shm", "-journal"})
    std::filesystem::remove(path + part, code);
  // There before the library opens it, so that the lock is ours from the first moment.
  const int made = ::open(path.c_str(), O_CREAT | O_EXCL | O_RDWR | O_CLOEXEC, 0600);
  if (made >= 0)
    ::close(made);
  auto lock = FileLock::take(path);
  if (made < 0 || !lock)
    return fail(ErrorCode::Unwritable, say("cannot be written"), path, say("choose another place"));
  auto database = Database::open(path, Database::Mode::Write);
  if (!database)
    return tl::unexpected(database.error());
  // In this mode a kill of the program loses nothing; a power failure may take the last commits with it.
  database->run("PRAGMA page_size = 16384; PRAGMA journal_mode = WAL; PRAGMA synchronous = NORMAL");
  database->run("BEGIN IMMEDIATE");
  createSchema(*database);
  database->run("COMMIT");
  if (auto outcome = database->outcome(); !outcome)
    return tl::unexpected(outcome.error());
  return std::unique_ptr<SessionRecorder>(new SessionRecorder(path, std::move(*lock), std::move(*database)));
}

Result<void> SessionRecorder::commit()
{
  m_database.run("COMMIT");
  auto outcome = m_database.outcome();
  if (!outcome) {
    m_database.run("ROLLBACK");
    m_database.outcome();  // there may be nothing to take back
  }
  return outcome;
}

Result<void> SessionRecorder::record(std::size_t number, const Segment& segment, const std::stop_token& stop,
                                     Progress& progress)
{
  if (number == m_segments.size())
    m_segments.emplace_back(static_cast<std::int64_t>(number));
  SegmentWriter& writer = m_segments.at(number);
  for (bool all = false; !all;) {
    const SegmentWriter before = writer;
    m_database.run("BEGIN IMMEDIATE");
    all = writer.write(m_database, segment, stop, progress, kPiece);
    if (auto done = commit(); !done) {
      writer = before;  // nothing of it is in the file
      return done;
    }
    if (!all && stop.stop_requested())
      return fail(ErrorCode::Cancelled, "cancelled");
  }
  return {};
}

std::vector<SessionRecorder::ChunkOnDisk> SessionRecorder::takeOnDisk(std::size_t number, const Segment& segment)
{
  std::vector<ChunkOnDisk> chunks;
  if (number >= m_segments.size())
    return chunks;
  const std::vector<SegmentWriter::Kept> kept = m_segments[number].takeKept();
  if (kept.empty())
    return chunks;
  if (!m_chunks) {
    auto opened = RecordedChunks::open(m_path);
    if (!opened)
      return chunks;
    m_chunks = std::move(*opened);
  }
  for (const SegmentWriter::Kept& one : kept) {
    const Channel& channel = segment.capture->channels.at(one.channel);
    ChunkOnDisk onDisk{one.channel, one.number, nullptr, nullptr};
    if (channel.isWire())
      onDisk.chunk = std::make_shared<const EdgeChunk>(channel.track.chunk(one.number).facts(), m_chunks, one.key);
    else
      onDisk.records =
          std::make_shared<const RecordChunk>(channel.records->chunks().at(one.number)->facts(), m_chunks, one.key);
    chunks.push_back(std::move(onDisk));
  }
  return chunks;
}

Result<void> SessionRecorder::set(const SessionFile& file)
{
  m_database.run("BEGIN IMMEDIATE");
  writeSessionValue(m_database, file);
  return commit();
}

}  // namespace bexto
