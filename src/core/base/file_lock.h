#pragma once

#include <optional>
#include <string>

namespace bexto {

/// Says to other Bextos, of this user or another, that a file is in use (flock(2): the kernel lets go of it when the
/// process ends, however it ends). Does not keep other programs from anything. What holds one must outlive any SQLite
/// connection to the file in the same process, for closing a file drops that library's locks.
class FileLock {
 public:
  /// nullopt: somebody else has it, or the file cannot be opened.
  static std::optional<FileLock> take(const std::string& path);

  FileLock(FileLock&& other) noexcept;
  FileLock& operator=(FileLock&& other) noexcept;
  ~FileLock();

 private:
  explicit FileLock(int handle) : m_handle(handle) {}
  int m_handle;
};

}  // namespace bexto
