#pragma once

#include <cstdio>
#include <string>
#include <string_view>

#include "core/base/result.h"

namespace bexto {

/// An output that appears whole or not at all: bytes go to a new file beside the target, and commit() gives it the
/// target's name. Without commit() the target stays as it was. A target that exists and is no regular file (a terminal,
/// a pipe), or that is one of the process's open files ("/dev/stdout"), is written to directly. A link keeps pointing:
/// what it leads to is replaced. A file that nobody may write to is not replaced. One thread; nothing is left behind
/// when it goes without commit().
class AtomicFile {
 public:
  /// Errors: Unwritable.
  static Result<AtomicFile> create(const std::string& path);

  AtomicFile(AtomicFile&& other) noexcept;
  AtomicFile& operator=(AtomicFile&&) = delete;
  ~AtomicFile();

  /// The new file's name, for a library that writes by name; empty when the target is written to directly.
  const std::string& temporaryPath() const { return m_temporary; }
  /// Errors: Unwritable; then nothing more can be written.
  Result<void> write(std::string_view bytes);
  /// Flushes to the disk and renames. Errors: Unwritable; then the target is unchanged.
  Result<void> commit();

 private:
  AtomicFile(std::FILE* file, std::string path, std::string temporary);
  tl::unexpected<Error> failure(int code) const;

  std::FILE* m_file;
  std::string m_path;
  std::string m_temporary;  ///< empty when the target is written to directly
};

/// Removes what no commit() has renamed yet, of all threads. Safe to call in the handler of a signal
/// (signal-safety(7)).
void removeTemporaryFiles();

/// From now on a signal that ends the program (SIGINT, SIGTERM, SIGHUP) does that first. Once, by main().
void removeTemporaryFilesAtSignals();

}  // namespace bexto
