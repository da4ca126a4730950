// Tested by tests/core/session_store_test.cpp.
#include "core/store/session_store.h"

#include <fcntl.h>
#include <unistd.h>

#include <array>
#include <cerrno>
#include <cstring>
#include <filesystem>
#include <fstream>
#include <nlohmann/json.hpp>
#include <unordered_map>

#include "core/base/atomic_file.h"
#include "core/base/say.h"
#include "core/base/time_text.h"
#include "core/signal/sample_clock.h"
#include "core/store/record_blob.h"
#include "core/store/schema.h"
#include "core/store/segment_writer.h"
#include "core/store/session_value.h"

namespace bexto {

namespace {

constexpr std::string_view kMagic("SQLite format 3\0", 16);
constexpr std::size_t kHeaderBytes = 100;

tl::unexpected<Error> damaged(const std::string& path)
{
  return fail(ErrorCode::Malformed, say("the session file is damaged"), path,
              say("get it again from where it was copied from"));
}

std::uint32_t bigEndian(const std::string& header, std::size_t at)
{
  std::uint32_t value = 0;
  for (std::size_t i = at; i < at + 4; ++i)
    value = value << 8 | static_cast<std::uint8_t>(header[i]);
  return value;
}

/// Of a database, 100 bytes; less of a file that is shorter.
std::string headerOf(const std::string& path)
{
  std::string header(kHeaderBytes, '\0');
  std::ifstream in(path, std::ios::binary);
  in.read(header.data(), static_cast<std::streamsize>(header.size()));
  header.resize(static_cast<std::size_t>(std::max<std::streamsize>(0, in.gcount())));
  return header;
}

bool exists(const std::string& path)
{
  std::error_code code;
  return std::filesystem::exists(path, code);
}

/// What SQLite left beside a file when its writer was killed: it belongs to the session.
bool hasRemains(const std::string& path)
{
  return exists(path + "-wal") || exists(path + "-journal");
}

bool isWritable(const std::string& path)
{
  const std::string folder = std::filesystem::absolute(path).parent_path().string();
  return ::access(path.c_str(), W_OK) == 0 && ::access(folder.c_str(), W_OK | X_OK) == 0;
}

/// The file's begin, before SQLite sees it. Errors: Unreadable, Malformed.
Result<void> checkHeader(const std::string& path)
{
  std::error_code code;
  const auto size = std::filesystem::file_size(path, code);
  if (code)
    return fail(ErrorCode::Unreadable, say("cannot be opened: {}", code.message()), path,
                say("check the name, and that you may read it"));
  if (::access(path.c_str(), R_OK) != 0)
    return fail(ErrorCode::Unreadable, say("cannot be opened: {}", std::strerror(errno)), path,
                say("check the name, and that you may read it"));
  const std::string header = headerOf(path);
  if (!header.starts_with(kMagic) && !hasRemains(path))
    return fail(ErrorCode::Malformed, say("is no Bexto session"), path, say("choose another file"));
  // The database file format, 1.3: the size in pages is good when the change counter is that of the last writer.
  if (header.size() < kHeaderBytes || hasRemains(path) || bigEndian(header, 24) != bigEndian(header, 92))
    return {};
  const std::uint32_t stored = static_cast<std::uint8_t>(header[16]) * 256U + static_cast<std::uint8_t>(header[17]);
  const std::uint64_t whole = std::uint64_t{stored == 1 ? 65536U : stored} * bigEndian(header, 28);
  if (size < whole)
    return fail(ErrorCode::Malformed, say("the session file is cut off: {} of {} bytes are there", size, whole), path,
                say("get it again from where it was copied from"));
  return {};
}

/// Brings a file to rest whose writer was killed, and one of an older version up to date. Requires: nobody else has it,
/// and it may be written.
Result<void> settle(const std::string& path)
{
  auto database = Database::open(path, Database::Mode::Write);
  if (!database)
    return tl::unexpected(database.error());
  auto version = schemaVersion(*database, path);
  if (!version)
    return tl::unexpected(version.error());
  if (hasRemains(path))
    database->run("PRAGMA journal_mode = DELETE");
  if (*version < kSchemaVersion) {
    database->run("BEGIN IMMEDIATE");
    migrate(*database, *version);
    database->run("COMMIT");
  }
  return database->outcome();
}

/// Transitions rise, records may be of one time.
bool isSound(const ChunkFacts& facts, std::int64_t last)
{
  const auto most = static_cast<std::uint64_t>(facts.last) - static_cast<std::uint64_t>(facts.first) + 1;
  return facts.count <= kChunkBlocks * kBlockEdges && facts.first > last && facts.count <= most;
}
bool isSound(const RecordFacts& facts, std::int64_t last)
{
  return facts.count <= RecordLogBuilder::kChunkRecords && facts.first >= last;
}

/// The chunks of a segment's tracks. nullopt when they do not follow one another.
template <typename Chunk>
std::optional<std::vector<std::shared_ptr<const Chunk>>> chunksOf(Statement& rows, std::int64_t track,
                                                                  const std::shared_ptr<const SessionStore>& source)
{
  std::vector<std::shared_ptr<const Chunk>> chunks;
  std::uint64_t count = 0;
  std::int64_t last = -1;
  rows.bind(1, track);
  bool sound = true;
  while (sound && rows.next()) {
    std::decay_t<decltype(std::declval<Chunk>().facts())> facts;
    facts.firstIndex = static_cast<std::uint64_t>(rows.number(1));
    facts.count = static_cast<std::size_t>(rows.number(2));
    facts.first = rows.number(3);
    facts.last = rows.number(4);
    sound = facts.firstIndex == count && facts.count > 0 && facts.last >= facts.first && facts.first >= 0 &&
            facts.last < kNever.count() && isSound(facts, last);
    count += facts.count;
    last = facts.last;
    if (sound)
      chunks.push_back(std::make_shared<const Chunk>(facts, source, rows.number(0)));
  }
  rows.reset();
  if (!sound)
    return std::nullopt;
  return chunks;
}

}  // namespace

namespace {

/// Of one of several parts that are equally long.
class PartProgress final : public Progress {
 public:
  PartProgress(Progress& whole, std::size_t part, std::size_t parts)
      : m_whole(whole), m_before(static_cast<double>(part)), m_parts(static_cast<double>(parts))
  {
  }
  void report(double fraction) override { m_whole.report((m_before + fraction) / m_parts); }

 private:
  Progress& m_whole;
  double m_before;
  double m_parts;
};

/// Has the disk begin with what is written so far, so that little is left to wait for at the end: of ten runs each the
/// median was 9.3 ns a transition, and 9.7 without. For a file that nobody else has yet: to close it here ends what
/// locks SQLite has on it (fcntl(2)).
class EarlyFlush final : public Progress {
 public:
  EarlyFlush(Progress& whole, const std::string& path)
      : m_whole(whole), m_file(::open(path.c_str(), O_RDONLY | O_CLOEXEC))
  {
  }
  EarlyFlush(const EarlyFlush&) = delete;
  EarlyFlush& operator=(const EarlyFlush&) = delete;
  ~EarlyFlush() override
  {
    if (m_file >= 0)
      ::close(m_file);
  }
  void report(double fraction) override
  {
    m_whole.report(fraction);
    constexpr unsigned kBetween = 32;  // chunks: some megabytes
    if (m_file >= 0 && ++m_reports % kBetween == 0)
      ::sync_file_range(m_file, 0, 0, SYNC_FILE_RANGE_WRITE);
  }

 private:
  Progress& m_whole;
  int m_file;
  unsigned m_reports = 0;
};

/// Markers are in a segment that is there: those of files from before there were several, in the one looked at.
void settleMarkers(SessionFile& file)
{
  if (file.segments.empty())
    return;
  file.session.segment = file.segments[file.shown].id;
  for (Marker& marker : file.session.markers) {
    if (std::none_of(file.segments.begin(), file.segments.end(),
                     [&](const Segment& s) { return s.id == marker.segment; }))
      marker.segment = file.session.segment;
  }
}

}  // namespace

struct SessionStore::Reading {
  explicit Reading(Database& database)
      : summary(database.prepare("SELECT packed FROM chunk_summary WHERE chunk = ?")),
        deltas(database.prepare("SELECT packed FROM chunk_deltas WHERE chunk = ?"))
  {
  }
  Statement summary;
  Statement deltas;
};

bool looksLikeSession(const std::string& path)
{
  return headerOf(path).starts_with(kMagic);
}

SessionStore::SessionStore(Private /*made by open*/, std::string path, std::optional<FileLock> lock,
                           std::unique_ptr<Database> database)
    : m_path(std::move(path)), m_lock(std::move(lock)), m_database(std::move(database))
{
  m_reading = std::make_unique<Reading>(*m_database);
}

SessionStore::~SessionStore() = default;

Result<SessionStore::Opened> SessionStore::open(const std::string& path)
{
  if (auto header = checkHeader(path); !header)
    return tl::unexpected(header.error());
  std::optional<FileLock> lock = FileLock::take(path);
  std::string readOnly;
  if (!lock)
    readOnly = say("it is open in another Bexto; it can be looked at here, and saved under another name");
  else if (!isWritable(path))
    readOnly = say("it may not be written to; it can be saved under another name");
  if (readOnly.empty()) {
    const bool old = [&] {
      auto database = Database::open(path, Database::Mode::Read);
      return database && database->number("PRAGMA user_version") < kSchemaVersion;
    }();
    if (old || hasRemains(path)) {
      if (auto settled = settle(path); !settled)
        return tl::unexpected(settled.error());
    }
  }
  auto opened = Database::open(path, Database::Mode::Read);
  if (!opened)
    return tl::unexpected(opened.error());
  auto database = std::make_unique<Database>(std::move(*opened));
  // One view of a file that is being recorded, however it goes on. At rest it would keep ourselves from saving.
  if (database->text("PRAGMA journal_mode") == "wal")
    database->run("BEGIN");
  const auto version = schemaVersion(*database, path);
  if (!version)
    return tl::unexpected(version.error());
  if (*version < kSchemaVersion)
    return fail(ErrorCode::Unreadable, say("is of an older format, and may not be brought up to date here"), path,
                say("copy it to where it may be written to"));
  auto store = std::make_shared<SessionStore>(Private{}, path, std::move(lock), std::move(database));
  store->m_readOnly = readOnly;
  auto file = store->read(store);
  if (!file)
    return tl::unexpected(file.error());
  return Opened{store, std::move(*file)};
}

Result<SessionFile> SessionStore::read(const std::shared_ptr<const SessionStore>& self)
{
  const std::lock_guard guard(m_mutex);
  SessionFile file;
  if (auto value = readSessionValue(*m_database, m_path, file); !value)
    return tl::unexpected(value.error());
  Statement segments = m_database->prepare(
      "SELECT id, name, source, started_at, started_by, trigger_ps, tick_ps, end_ps, whole, notes, sample_rate, "
      "gaps FROM segment ORDER BY place");
  Statement tracks = m_database->prepare(
      "SELECT id, start_level, kind = 'edges', link_type FROM track WHERE segment = ? AND kind IN ('edges', "
      "'records')");
  Statement chunks = m_database->prepare(
      "SELECT id, first_index, count, first_ps, last_ps FROM chunk WHERE track = ? ORDER BY number");
  Statement channels = m_database->prepare("SELECT path, track FROM channel WHERE segment = ? ORDER BY place");
  Statement vectors =
      m_database->prepare("SELECT path, first_channel, width FROM vector WHERE segment = ? ORDER BY place");
  Statement sent = m_database->prepare("SELECT begin_ps, end_ps, channel FROM sent WHERE segment = ? ORDER BY place");
  while (segments.next()) {
    const std::int64_t id = segments.number(0);
    Segment segment{segments.text(1), segments.text(3), segments.text(4), segments.number(8) != 0};
    segment.id = static_cast<SegmentId>(id);
    Capture capture;
    capture.source = segments.text(2);
    if (!segments.isNull(5))
      capture.trigger = Picoseconds{segments.number(5)};
    capture.tick = Picoseconds{std::max<std::int64_t>(1, segments.number(6))};
    capture.end = Picoseconds{std::max<std::int64_t>(0, segments.number(7))};
    if (const double rate = segments.real(10); rate >= SampleClock::lowestRate() && rate <= SampleClock::highestRate())
      capture.rate = rate;
    const auto notes = nlohmann::json::parse(segments.text(9), nullptr, false);
    for (const auto& note : notes.is_array() ? notes : nlohmann::json::array()) {
      if (note.is_string())
        capture.notes.push_back(note.get<std::string>());
    }
    const auto gaps = nlohmann::json::parse(segments.text(11), nullptr, false);
    for (const auto& gap : gaps.is_array() ? gaps : nlohmann::json::array()) {
      if (gap.is_array() && gap.size() == 2 && gap[0].is_number_integer() && gap[1].is_number_integer())
        capture.gaps.push_back({Picoseconds{gap[0].get<std::int64_t>()}, Picoseconds{gap[1].get<std::int64_t>()}});
    }
    if (!segment.whole)
      capture.notes.push_back(say("the recording was cut off; it is here up to {}", lengthText(capture.end, 6)));
    capture.startedAt = segment.startedAt;
    std::unordered_map<std::int64_t, Channel> known;
    const auto reachesTo = [&capture](const auto& list) {
      if (!list.empty())
        capture.end = std::max(capture.end, Picoseconds{list.back()->facts().last});
    };
    tracks.bind(1, id);
    while (tracks.next()) {
      Channel& channel = known[tracks.number(0)];
      if (tracks.number(2) != 0) {
        auto list = chunksOf<EdgeChunk>(chunks, tracks.number(0), self);
        if (!list)
          return damaged(m_path);
        reachesTo(*list);
        channel.track = EdgeTrack(tracks.number(1) != 0, std::move(*list));
      } else {
        auto list = chunksOf<RecordChunk>(chunks, tracks.number(0), self);
        if (!list)
          return damaged(m_path);
        reachesTo(*list);
        channel.records = std::make_shared<const RecordLog>(static_cast<LinkType>(tracks.number(3)), std::move(*list));
      }
    }
    channels.bind(1, id);
    while (channels.next()) {
      const auto track = known.find(channels.number(1));
      if (track == known.end())
        return damaged(m_path);
      capture.channels.push_back(track->second);
      capture.channels.back().path = channels.text(0);
    }
    vectors.bind(1, id);
    while (vectors.next()) {
      ChannelVector vector{vectors.text(0),
                           {},
                           static_cast<std::size_t>(vectors.number(1)),
                           static_cast<std::size_t>(vectors.number(2))};
      if (vector.width < 2 || vector.firstChannel >= capture.channels.size() ||
          vector.width > capture.channels.size() - vector.firstChannel)
        return damaged(m_path);
      capture.vectors.push_back(std::move(vector));
    }
    sent.bind(1, id);
    while (sent.next()) {
      const std::int64_t channel = sent.number(2);
      if (channel >= 0 && channel < static_cast<std::int64_t>(capture.channels.size()))
        capture.sent.push_back(
            {{Picoseconds{sent.number(0)}, Picoseconds{sent.number(1)}}, static_cast<std::size_t>(channel)});
    }
    nameChannels(capture);
    segment.capture = std::make_shared<const Capture>(std::move(capture));
    file.segments.push_back(std::move(segment));
  }
  if (auto outcome = m_database->outcome(); !outcome)
    return tl::unexpected(outcome.error());
  file.shown = file.segments.empty() ? 0 : std::min(file.shown, file.segments.size() - 1);
  numberSegments(file.segments, file.session);
  settleMarkers(file);
  return file;
}

void SessionStore::takeOver(SessionStore& before)
{
  std::error_code code;
  if (m_lock || !before.m_lock || !std::filesystem::equivalent(m_path, before.m_path, code))
    return;
  m_lock = std::move(before.m_lock);
  before.m_lock.reset();
  m_readOnly = before.m_readOnly;
}

Result<void> SessionStore::save(const SessionFile& file)
{
  if (!m_readOnly.empty())
    return fail(ErrorCode::Unwritable, m_readOnly, m_path);
  auto database = Database::open(m_path, Database::Mode::Write);
  if (!database)
    return tl::unexpected(database.error());
  database->run("BEGIN IMMEDIATE");
  writeSessionValue(*database, file);
  database->run("COMMIT");
  auto saved = database->outcome();
  if (!saved) {
    // After a failed write SQLite leaves going back to whoever looks at the file next.
    database->number("SELECT count(*) FROM about");
  }
  return saved;
}

std::size_t SessionStore::lost() const
{
  const std::lock_guard guard(m_mutex);
  return m_lost.size();
}

void SessionStore::lose(std::int64_t key) const
{
  const std::lock_guard guard(m_mutex);
  m_lost.insert(key);
}

Error SessionStore::loss() const
{
  return {ErrorCode::Malformed, say("the session file is damaged: {} chunks of transitions cannot be read", lost()),
          m_path, say("get it again from where it was copied from")};
}

std::optional<std::vector<std::uint8_t>> SessionStore::readBlob(Statement& from, std::int64_t key) const
{
  const std::lock_guard guard(m_mutex);
  std::optional<std::vector<std::uint8_t>> blob;
  if (from.bind(1, key).next()) {
    const auto bytes = from.bytes(0);
    blob.emplace(bytes.begin(), bytes.end());
  }
  from.reset();
  // A page that cannot be read is this chunk's loss; the next may be all right.
  if (!m_database->outcome())
    return std::nullopt;
  return blob;
}

std::optional<ChunkSummary> SessionStore::readSummary(std::int64_t key, const ChunkFacts& facts) const
{
  const auto blob = readBlob(m_reading->summary, key);
  auto summary = blob ? unpackSummary(*blob, facts) : std::nullopt;
  if (!summary)
    lose(key);
  return summary;
}

std::optional<PackedBytes> SessionStore::readBytes(std::int64_t key, const ChunkFacts& facts,
                                                   const ChunkSummary& summary) const
{
  const auto blob = readBlob(m_reading->deltas, key);
  auto bytes = blob ? unpackDeltas(*blob, facts, summary) : std::nullopt;
  if (!bytes)
    lose(key);
  return bytes;
}

std::optional<RecordBlock> SessionStore::readRecords(std::int64_t key, const RecordFacts& facts) const
{
  const auto blob = readBlob(m_reading->deltas, key);
  auto block = blob ? unpackRecords(*blob, facts) : std::nullopt;
  if (!block)
    lose(key);
  return block;
}

std::optional<std::vector<std::uint8_t>> SessionStore::readDeltas(std::int64_t key) const
{
  return readBlob(m_reading->deltas, key);
}

std::optional<ChunkBlobs> SessionStore::readBlobs(std::int64_t key) const
{
  auto summary = readBlob(m_reading->summary, key);
  auto deltas = readBlob(m_reading->deltas, key);
  if (!summary || !deltas)
    return std::nullopt;
  return ChunkBlobs{std::move(*summary), std::move(*deltas)};
}

Result<SessionStore::Opened> openUnsaved(const std::string& path)
{
  auto opened = SessionStore::open(path);
  if (!opened || opened->file.continues.empty() || !opened->file.segments.empty())
    return opened;
  auto base = SessionStore::open(opened->file.continues);
  if (!base)
    return base;
  opened->base = base->store;
  opened->file.segments = std::move(base->file.segments);
  opened->file.shown =
      opened->file.segments.empty() ? 0 : std::min(opened->file.shown, opened->file.segments.size() - 1);
  settleMarkers(opened->file);
  return opened;
}

Result<void> writeSession(const std::string& path, const SessionFile& file, const std::stop_token& stop,
                          Progress& progress, const SessionStore* own)
{
  std::error_code code;
  const bool isOwn = own != nullptr && std::filesystem::equivalent(path, own->path(), code);
  if (!isOwn && looksLikeSession(path) && !FileLock::take(path))
    return fail(ErrorCode::Unwritable, say("it is open in another Bexto"), path, say("choose another name"));
  auto target = AtomicFile::create(path);
  if (!target)
    return tl::unexpected(target.error());
  if (target->temporaryPath().empty())
    return fail(ErrorCode::Unwritable, say("a session can only be written to a file"), path);
  {
    auto database = Database::open(target->temporaryPath(), Database::Mode::Create);
    if (!database)
      return tl::unexpected(database.error());
    // Nobody sees the file before it is whole, so nothing has to be undone in it.
    database->run("PRAGMA page_size = 16384; PRAGMA journal_mode = OFF; PRAGMA synchronous = OFF");
    database->run("BEGIN");
    createSchema(*database);
    EarlyFlush flushed(progress, target->temporaryPath());
    for (std::size_t i = 0; i < file.segments.size(); ++i) {
      PartProgress part(flushed, i, file.segments.size());
      SegmentWriter(static_cast<std::int64_t>(i)).write(*database, file.segments[i], stop, part);
    }
    writeSessionValue(*database, file);
    if (stop.stop_requested())
      return fail(ErrorCode::Cancelled, "cancelled");
    database->run("COMMIT");
    if (auto written = database->outcome(); !written)
      return fail(written.error().code, written.error().message, path, written.error().mend);
  }
  return target->commit();
}

}  // namespace bexto
