// Tested by tests/core/session_store_test.cpp.
#include "core/base/file_lock.h"

#include <fcntl.h>
#include <sys/file.h>
#include <unistd.h>

#include <utility>

namespace bexto {

std::optional<FileLock> FileLock::take(const std::string& path)
{
  const int handle = ::open(path.c_str(), O_RDONLY | O_CLOEXEC | O_NONBLOCK);
  if (handle < 0)
    return std::nullopt;
  FileLock lock(handle);
  if (::flock(handle, LOCK_EX | LOCK_NB) != 0)
    return std::nullopt;
  return lock;
}

FileLock::FileLock(FileLock&& other) noexcept : m_handle(std::exchange(other.m_handle, -1)) {}

FileLock& FileLock::operator=(FileLock&& other) noexcept
{
  std::swap(m_handle, other.m_handle);
  return *this;
}

FileLock::~FileLock()
{
  if (m_handle >= 0)
    ::close(m_handle);
}

}  // namespace bexto
