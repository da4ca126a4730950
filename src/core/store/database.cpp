// Tested by tests/core/session_store_test.cpp.
#include "core/store/database.h"

#include <sqlite3.h>

#include <utility>

#include "core/base/say.h"

namespace bexto {

namespace {

/// What SQLite says, for people.
Error errorOf(int code, const std::string& path, bool writing)
{
  const ErrorCode wrong = writing ? ErrorCode::Unwritable : ErrorCode::Unreadable;
  switch (code & 0xFF) {  // the lower byte is the kind, the rest its details
    case SQLITE_CORRUPT:
      return {ErrorCode::Malformed, say("the session file is damaged"), path,
              say("get it again from where it was copied from")};
    case SQLITE_NOTADB:
      return {ErrorCode::Malformed, say("is no Bexto session"), path, say("choose another file")};
    case SQLITE_FULL:
      return {wrong, say("cannot be written: the disk is full"), path, say("free some space")};
    case SQLITE_BUSY:
    case SQLITE_LOCKED:
      return {wrong, say("somebody else is writing to the file"), path, say("try again when they are done")};
    case SQLITE_READONLY:
    case SQLITE_PERM:
      return {ErrorCode::Unwritable, say("the file may not be written to"), path, say("choose another place")};
    case SQLITE_CANTOPEN:
      return {wrong, writing ? say("cannot be written") : say("cannot be opened"), path, say("choose another place")};
    case SQLITE_NOMEM:
      return {wrong, say("there is not enough memory"), path, say("close other programs")};
    default:
      return {wrong,
              writing ? say("cannot be written: {}", sqlite3_errstr(code))
                      : say("cannot be read: {}", sqlite3_errstr(code)),
              path, writing ? say("choose another place") : say("look whether the disk is all right")};
  }
}

constexpr int kPatience = 5000;  ///< ms to wait for another program that writes

}  // namespace

Result<Database> Database::open(const std::string& path, Mode mode)
{
  int flags = SQLITE_OPEN_NOMUTEX | SQLITE_OPEN_EXRESCODE;
  flags |= mode == Mode::Read ? SQLITE_OPEN_READONLY : SQLITE_OPEN_READWRITE;
  flags |= mode == Mode::Create ? SQLITE_OPEN_CREATE : 0;
  sqlite3* handle = nullptr;
  const int code = sqlite3_open_v2(path.c_str(), &handle, flags, nullptr);
  Database made(handle, path, mode);
  if (code != SQLITE_OK)
    return tl::unexpected(errorOf(code, path, mode != Mode::Read));
  sqlite3_busy_timeout(handle, kPatience);
  // A file from elsewhere may hold anything: no code in its schema is run, and rows are looked at before they are used.
  if (mode != Mode::Create)
    sqlite3_db_config(handle, SQLITE_DBCONFIG_DEFENSIVE, 1, nullptr);  // keeps a journal in any case
  sqlite3_db_config(handle, SQLITE_DBCONFIG_TRUSTED_SCHEMA, 0, nullptr);
  sqlite3_db_config(handle, SQLITE_DBCONFIG_ENABLE_TRIGGER, 0, nullptr);
  sqlite3_db_config(handle, SQLITE_DBCONFIG_ENABLE_VIEW, 0, nullptr);
  made.run("PRAGMA cell_size_check = ON");
  return made;
}

Database::Database(sqlite3* handle, std::string path, Mode mode)
    : m_handle(handle), m_path(std::move(path)), m_mode(mode)
{
}

Database::Database(Database&& other) noexcept
    : m_handle(std::exchange(other.m_handle, nullptr)),
      m_path(std::move(other.m_path)),
      m_mode(other.m_mode),
      m_error(other.m_error)
{
}

Database::~Database()
{
  sqlite3_close_v2(m_handle);
}

void Database::note(int code)
{
  if (m_error == 0 && code != SQLITE_OK && code != SQLITE_ROW && code != SQLITE_DONE)
    m_error = code;
}

Result<void> Database::outcome()
{
  const int code = std::exchange(m_error, 0);
  if (code == 0)
    return {};
  return tl::unexpected(errorOf(code, m_path, m_mode != Mode::Read));
}

void Database::run(std::string_view sql)
{
  if (ok())
    note(sqlite3_exec(m_handle, std::string(sql).c_str(), nullptr, nullptr, nullptr));
}

Statement Database::prepare(std::string_view sql)
{
  sqlite3_stmt* handle = nullptr;
  if (ok())
    note(sqlite3_prepare_v2(m_handle, sql.data(), static_cast<int>(sql.size()), &handle, nullptr));
  return Statement(*this, handle);
}

std::int64_t Database::number(std::string_view sql)
{
  Statement statement = prepare(sql);
  return statement.next() ? statement.number(0) : 0;
}

std::string Database::text(std::string_view sql)
{
  Statement statement = prepare(sql);
  return statement.next() ? statement.text(0) : std::string();
}

std::int64_t Database::lastId() const
{
  return sqlite3_last_insert_rowid(m_handle);
}

Statement::Statement(Statement&& other) noexcept
    : m_database(other.m_database), m_handle(std::exchange(other.m_handle, nullptr))
{
}

Statement::~Statement()
{
  sqlite3_finalize(m_handle);
}

Statement& Statement::bind(int at, std::int64_t value)
{
  if (m_database->ok())
    m_database->note(sqlite3_bind_int64(m_handle, at, value));
  return *this;
}

Statement& Statement::bind(int at, std::string_view text)
{
  if (m_database->ok()) {
    // A null pointer would be NULL and not an empty text.
    m_database->note(sqlite3_bind_text64(m_handle, at, text.data() == nullptr ? "" : text.data(), text.size(),
                                         SQLITE_STATIC, SQLITE_UTF8));
  }
  return *this;
}

Statement& Statement::bind(int at, std::span<const std::uint8_t> bytes)
{
  if (m_database->ok())
    m_database->note(sqlite3_bind_blob64(m_handle, at, bytes.data(), bytes.size(), SQLITE_STATIC));
  return *this;
}

Statement& Statement::bindReal(int at, double value)
{
  if (m_database->ok())
    m_database->note(sqlite3_bind_double(m_handle, at, value));
  return *this;
}

Statement& Statement::bindNull(int at)
{
  if (m_database->ok())
    m_database->note(sqlite3_bind_null(m_handle, at));
  return *this;
}

bool Statement::next()
{
  if (!m_database->ok() || m_handle == nullptr)
    return false;
  const int code = sqlite3_step(m_handle);
  m_database->note(code);
  if (code == SQLITE_ROW)
    return true;
  sqlite3_reset(m_handle);
  return false;
}

void Statement::run()
{
  while (next()) {
  }
}

void Statement::reset()
{
  if (m_handle != nullptr)
    sqlite3_reset(m_handle);
}

std::int64_t Statement::number(int column) const
{
  return sqlite3_column_int64(m_handle, column);
}

double Statement::real(int column) const
{
  return sqlite3_column_double(m_handle, column);
}

std::string Statement::text(int column) const
{
  const auto* const text = reinterpret_cast<const char*>(sqlite3_column_text(m_handle, column));
  return text == nullptr ? std::string()
                         : std::string(text, static_cast<std::size_t>(sqlite3_column_bytes(m_handle, column)));
}

bool Statement::isNull(int column) const
{
  return sqlite3_column_type(m_handle, column) == SQLITE_NULL;
}

std::span<const std::uint8_t> Statement::bytes(int column) const
{
  const auto* const bytes = static_cast<const std::uint8_t*>(sqlite3_column_blob(m_handle, column));
  return {bytes, bytes == nullptr ? 0 : static_cast<std::size_t>(sqlite3_column_bytes(m_handle, column))};
}

}  // namespace bexto
