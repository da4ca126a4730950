#pragma once

#include <cstdint>
#include <memory>
#include <span>
#include <string>
#include <string_view>

#include "core/base/result.h"

struct sqlite3;
struct sqlite3_stmt;

namespace bexto {

class Statement;

/// A connection to an SQLite file. The first thing that goes wrong is kept and all that follows does nothing, so a
/// row of calls is asked once, by outcome(). One thread at a time.
class Database {
 public:
  enum class Mode : std::uint8_t { Read, Write, Create };
  /// Errors: Unreadable, Unwritable. SQLite looks at the file at the first statement only.
  static Result<Database> open(const std::string& path, Mode mode);

  Database(Database&& other) noexcept;
  Database& operator=(Database&&) = delete;
  ~Database();

  bool ok() const { return m_error == 0; }
  /// What went wrong since the last call, in words for people. Errors: Unreadable, Unwritable, Malformed.
  Result<void> outcome();

  /// One or more statements without results.
  void run(std::string_view sql);
  Statement prepare(std::string_view sql);
  /// The one number that a statement gives; 0 when something goes wrong.
  std::int64_t number(std::string_view sql);
  std::string text(std::string_view sql);
  std::int64_t lastId() const;

 private:
  friend class Statement;
  Database(sqlite3* handle, std::string path, Mode mode);
  void note(int code);

  sqlite3* m_handle;
  std::string m_path;
  Mode m_mode;
  int m_error = 0;
};

/// A statement that can be run again and again. Parameters are counted from 1, columns from 0. Does not outlive its
/// Database, which must not move meanwhile.
class Statement {
 public:
  Statement(Statement&& other) noexcept;
  Statement& operator=(Statement&&) = delete;
  ~Statement();

  Statement& bind(int at, std::int64_t value);
  /// Must stay where it is until run() or the last next().
  Statement& bind(int at, std::string_view text);
  Statement& bind(int at, std::span<const std::uint8_t> bytes);
  Statement& bindReal(int at, double value);
  Statement& bindNull(int at);

  /// The next row; false: there is none, or something went wrong. After that the statement begins anew.
  bool next();
  /// For those without rows.
  void run();
  /// Lets go of the file before the last row was had.
  void reset();

  std::int64_t number(int column) const;
  double real(int column) const;
  std::string text(int column) const;
  bool isNull(int column) const;
  /// Until the next call.
  std::span<const std::uint8_t> bytes(int column) const;

 private:
  friend class Database;
  Statement(Database& database, sqlite3_stmt* handle) : m_database(&database), m_handle(handle) {}

  Database* m_database;
  sqlite3_stmt* m_handle;  ///< nullptr when it could not be prepared
};

}  // namespace bexto
