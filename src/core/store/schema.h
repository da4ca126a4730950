#pragma once

#include <cstdint>

#include "core/store/database.h"

namespace bexto {

/// "BXTO": what tells a session from any other SQLite file (its header, bytes 68 to 71).
inline constexpr std::int64_t kApplicationId = 0x4258544F;
/// Of the tables as docs/session-format.md describes them. What an older program cannot read whole is a new version.
inline constexpr std::int64_t kSchemaVersion = 8;

/// Makes the tables of a new file, as version `version` had them: by the first version and every migration since, so a
/// file of today and one that was brought up to date are the same.
void createSchema(Database& database, std::int64_t version = kSchemaVersion);

/// Whether the file is a session, and of what version: changes nothing.
/// Errors: Malformed (something else, damaged, newer than this program), Unreadable.
Result<std::int64_t> schemaVersion(Database& database, const std::string& path);

/// Brings a session up to date, inside the caller's transaction.
void migrate(Database& database, std::int64_t from, std::int64_t to = kSchemaVersion);

}  // namespace bexto
