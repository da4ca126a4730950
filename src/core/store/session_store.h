#pragma once

#include <memory>
#include <mutex>
#include <optional>
#include <set>
#include <stop_token>
#include <string>

#include "core/base/file_lock.h"
#include "core/base/progress.h"
#include "core/store/chunk_blob.h"
#include "core/store/database.h"
#include "core/store/session_file.h"

namespace bexto {

/// Whether a file begins like a session: what chooses the reader.
bool looksLikeSession(const std::string& path);

/// A session file that is open (docs/session-format.md). The captures read from it share it, and read their chunks from
/// the file as somebody looks at them; so it must be kept as it is, or replaced by a rename. Reading from any thread;
/// save() from one at a time.
///
/// Nothing is written before save(): opened and closed, the file is what it was, byte by byte.
class SessionStore final : public ChunkSource, public RecordSource {
  struct Private {};

 public:
  /// What is in the file, with the store that it is read from. Where the recording was cut off, or a chunk cannot be
  /// read, its capture says so in its notes. Costs the number of chunks, not of transitions: 1 000 M in 30 ms.
  /// Errors: Unreadable; Malformed (no session, damaged, cut off, of a newer program).
  struct Opened;
  static Result<Opened> open(const std::string& path);

  /// Use open().
  SessionStore(Private, std::string path, std::optional<FileLock> lock, std::unique_ptr<Database> database);
  ~SessionStore() override;

  const std::string& path() const { return m_path; }
  /// Why save() would not: the file is in use by another Bexto, or may not be written. Empty: it would.
  const std::string& readOnly() const { return m_readOnly; }
  /// Of the same file, opened again: this one may write from now on, and `before` no longer, which nobody saves to any
  /// more. Nothing happens when `before` is of another file, or may not write itself.
  void takeOver(SessionStore& before);
  /// Puts what a user set up into the file; the segments stay. Whole, or the file is as it was.
  /// Errors: Unwritable, Malformed.
  Result<void> save(const SessionFile& file);

  /// How many chunks were asked for and could not be read: their transitions are stand-ins.
  std::size_t lost() const;
  /// The same as an error, to be said once. Requires: lost() > 0.
  Error loss() const;

  std::optional<ChunkSummary> readSummary(std::int64_t key, const ChunkFacts& facts) const override;
  std::optional<PackedBytes> readBytes(std::int64_t key, const ChunkFacts& facts,
                                       const ChunkSummary& summary) const override;
  std::optional<RecordBlock> readRecords(std::int64_t key, const RecordFacts& facts) const override;
  /// As they stand in the file. nullopt: they cannot be read.
  std::optional<ChunkBlobs> readBlobs(std::int64_t key) const;
  /// The same of a chunk of records.
  std::optional<std::vector<std::uint8_t>> readDeltas(std::int64_t key) const;

 private:
  struct Reading;
  void lose(std::int64_t key) const;
  std::optional<std::vector<std::uint8_t>> readBlob(Statement& from, std::int64_t key) const;
  Result<SessionFile> read(const std::shared_ptr<const SessionStore>& self);

  std::string m_path;
  std::string m_readOnly;
  std::optional<FileLock> m_lock;  ///< goes last: see FileLock
  mutable std::mutex m_mutex;      ///< of what follows
  std::unique_ptr<Database> m_database;
  std::unique_ptr<Reading> m_reading;
  mutable std::set<std::int64_t> m_lost;  ///< keys of what could not be read
};

struct SessionStore::Opened {
  std::shared_ptr<SessionStore> store;
  SessionFile file;
  std::shared_ptr<SessionStore> base = {};  ///< by openUnsaved(): of the file that the changes are made to
};

/// Opens a file of unsaved work: what SessionStore::open() gives, with the segments of the session that it continues
/// when it has none of its own.
/// Errors: those of open(), of either file.
Result<SessionStore::Opened> openUnsaved(const std::string& path);

/// A new session file, whole or not at all; one that is there is replaced, also while it is read.
/// Errors: Unwritable (also: in use by another Bexto), Cancelled.
/// `own`: the store that is open on that very file, if there is one.
Result<void> writeSession(const std::string& path, const SessionFile& file, const std::stop_token& stop,
                          Progress& progress, const SessionStore* own = nullptr);

}  // namespace bexto
