#pragma once

#include <string>
#include <string_view>

#include "core/base/result.h"

namespace bexto {

/// A whole file as memory, read-only. Movable. The text is valid while the object lives.
class MappedFile {
 public:
  /// Errors: Unreadable for what is missing, no regular file, or not allowed. An empty file is an empty text.
  static Result<MappedFile> open(const std::string& path);

  MappedFile(MappedFile&& other) noexcept;
  MappedFile& operator=(MappedFile&& other) noexcept;
  ~MappedFile();

  std::string_view text() const { return {m_data, m_size}; }

 private:
  MappedFile(const char* data, std::size_t size) : m_data(data), m_size(size) {}

  const char* m_data;
  std::size_t m_size;
};

}  // namespace bexto
