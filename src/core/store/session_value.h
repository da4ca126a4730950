#pragma once

#include "core/store/database.h"
#include "core/store/session_file.h"

namespace bexto {

/// Puts what a user set up into the tables, in place of what stood there, inside the caller's transaction. What is
/// recorded stays as it is.
void writeSessionValue(Database& database, const SessionFile& file);

/// Reads it back into `file`: all but the segments. Errors: Malformed, naming the row that makes no sense, and what
/// outcome() has.
Result<void> readSessionValue(Database& database, const std::string& path, SessionFile& file);

}  // namespace bexto
