#pragma once

#include <string>
#include <string_view>

#include "core/base/result.h"

namespace bexto {

/// A whole file as memory, read-only. Movable; the one moved from is empty. Any number of threads may read the text.
/// Pages come from the disk when they are touched, so opening costs the same whatever the size. A file that somebody
/// cuts short meanwhile ends the program when the missing part is read (POSIX.1-2017, mmap): do not map what is still
/// being written.
class MappedFile {
 public:
  /// Errors: Unreadable for what is missing, no regular file, or not allowed. An empty file is an empty text.
  static Result<MappedFile> open(const std::string& path);

  MappedFile(MappedFile&& other) noexcept;
  MappedFile& operator=(MappedFile&& other) noexcept;
  ~MappedFile();

  /// Valid while this object lives.
  std::string_view text() const { return {m_data, m_size}; }

 private:
  MappedFile(const char* data, std::size_t size) : m_data(data), m_size(size) {}

  const char* m_data;
  std::size_t m_size;
};

}  // namespace bexto
