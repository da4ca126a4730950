// Tested by tests/core/session_store_test.cpp.
#include "core/store/schema.h"

#include <fmt/core.h>

#include <array>
#include <string_view>

#include "core/base/say.h"

namespace bexto {

namespace {

// What leads from each version to the next; the first from an empty file. Never change one that was released: write the
// next.
constexpr std::array<std::string_view, kSchemaVersion> kSteps{
    // 1: captures and what was set up for them.
    R"(
CREATE TABLE about (key TEXT PRIMARY KEY, value TEXT NOT NULL);
CREATE TABLE segment (
  id INTEGER PRIMARY KEY, place INTEGER NOT NULL, name TEXT NOT NULL, source TEXT NOT NULL, started_at TEXT NOT NULL,
  started_by TEXT NOT NULL, trigger_ps INTEGER, tick_ps INTEGER NOT NULL, end_ps INTEGER NOT NULL,
  whole INTEGER NOT NULL, notes TEXT NOT NULL);
CREATE TABLE track (
  id INTEGER PRIMARY KEY, segment INTEGER NOT NULL REFERENCES segment(id) ON DELETE CASCADE, kind TEXT NOT NULL,
  start_level INTEGER NOT NULL);
CREATE TABLE channel (
  segment INTEGER NOT NULL REFERENCES segment(id) ON DELETE CASCADE, place INTEGER NOT NULL, path TEXT NOT NULL,
  track INTEGER NOT NULL REFERENCES track(id), PRIMARY KEY (segment, place)) WITHOUT ROWID;
CREATE TABLE vector (
  segment INTEGER NOT NULL REFERENCES segment(id) ON DELETE CASCADE, place INTEGER NOT NULL, path TEXT NOT NULL,
  first_channel INTEGER NOT NULL, width INTEGER NOT NULL, PRIMARY KEY (segment, place)) WITHOUT ROWID;
CREATE TABLE chunk (
  id INTEGER PRIMARY KEY, track INTEGER NOT NULL REFERENCES track(id) ON DELETE CASCADE, number INTEGER NOT NULL,
  first_index INTEGER NOT NULL, count INTEGER NOT NULL, first_ps INTEGER NOT NULL, last_ps INTEGER NOT NULL,
  UNIQUE (track, number));
CREATE TABLE chunk_summary (
  chunk INTEGER PRIMARY KEY REFERENCES chunk(id) ON DELETE CASCADE, packed BLOB NOT NULL);
CREATE TABLE chunk_deltas (
  chunk INTEGER PRIMARY KEY REFERENCES chunk(id) ON DELETE CASCADE, packed BLOB NOT NULL);
CREATE TABLE bus (
  id INTEGER PRIMARY KEY, place INTEGER NOT NULL, name TEXT NOT NULL, protocol TEXT NOT NULL, settings TEXT NOT NULL,
  format TEXT NOT NULL, format_known INTEGER NOT NULL);
CREATE TABLE conditioning (path TEXT PRIMARY KEY, min_pulse_ps INTEGER NOT NULL, inverted INTEGER NOT NULL) WITHOUT ROWID;
CREATE TABLE marker (
  id INTEGER PRIMARY KEY, place INTEGER NOT NULL, name TEXT NOT NULL, time_ps INTEGER NOT NULL, edge TEXT NOT NULL,
  note TEXT NOT NULL, bus INTEGER, begin_ps INTEGER);
CREATE TABLE setting (key TEXT PRIMARY KEY, value TEXT NOT NULL) WITHOUT ROWID;
)",
    // 2: what travels with a session.
    R"(
CREATE TABLE attachment (name TEXT PRIMARY KEY, content BLOB NOT NULL);
)",
    // 3: how fast samples were taken; in which segment a marker is.
    R"(
ALTER TABLE segment ADD COLUMN sample_rate REAL NOT NULL DEFAULT 0;
ALTER TABLE marker ADD COLUMN segment INTEGER NOT NULL DEFAULT 0;
)",
    // 4: what the bytes of tracks of the kind "records" mean.
    R"(
ALTER TABLE track ADD COLUMN link_type INTEGER NOT NULL DEFAULT 0;
)",
    // 5: where nothing was recorded.
    R"(
ALTER TABLE segment ADD COLUMN gaps TEXT NOT NULL DEFAULT '[]';
)",
    // 6: what was sent from here.
    R"(
CREATE TABLE sent (
  segment INTEGER NOT NULL REFERENCES segment(id) ON DELETE CASCADE, place INTEGER NOT NULL, begin_ps INTEGER NOT NULL,
  end_ps INTEGER NOT NULL, channel INTEGER NOT NULL, PRIMARY KEY (segment, place)) WITHOUT ROWID;
)",
    // 7: what the devices of a bus say.
    R"(
CREATE TABLE sheet (
  bus INTEGER NOT NULL, place INTEGER NOT NULL, name TEXT NOT NULL, text TEXT NOT NULL, PRIMARY KEY (bus, place))
  WITHOUT ROWID;
)",
    // 8: what a bus is judged by.
    R"(
CREATE TABLE rulebook (
  bus INTEGER NOT NULL, place INTEGER NOT NULL, name TEXT NOT NULL, text TEXT NOT NULL, PRIMARY KEY (bus, place))
  WITHOUT ROWID;
)"};

}  // namespace

void createSchema(Database& database, std::int64_t version)
{
  database.run(fmt::format("PRAGMA application_id = {}", kApplicationId));
  migrate(database, 0, version);
}

Result<std::int64_t> schemaVersion(Database& database, const std::string& path)
{
  const std::int64_t application = database.number("PRAGMA application_id");
  const std::int64_t version = database.number("PRAGMA user_version");
  if (auto read = database.outcome(); !read)
    return tl::unexpected(read.error());
  if (application != kApplicationId)
    return fail(ErrorCode::Malformed, say("is a database, but no Bexto session"), path, say("choose another file"));
  if (version < 1)
    return fail(ErrorCode::Malformed, say("the session file is damaged"), path,
                say("get it again from where it was copied from"));
  if (version > kSchemaVersion)
    return fail(
        ErrorCode::Malformed,
        say("was written by a newer Bexto: its format is {}, and this one reads up to {}", version, kSchemaVersion),
        path, say("open it with the newer one"));
  return version;
}

void migrate(Database& database, std::int64_t from, std::int64_t to)
{
  for (std::int64_t version = from; version < to; ++version)
    database.run(kSteps.at(static_cast<std::size_t>(version)));
  database.run(fmt::format("PRAGMA user_version = {}", to));
}

}  // namespace bexto
