#include "core/base/mapped_file.h"

#include <fcntl.h>
#include <sys/mman.h>
#include <sys/stat.h>
#include <unistd.h>

#include <cerrno>
#include <cstring>
#include <utility>

#include "core/base/say.h"

namespace bexto {

Result<MappedFile> MappedFile::open(const std::string& path)
{
  const auto failure = [&](int code) {
    const std::string mend = code == ENOENT ? say("check the name") : "";
    return fail(ErrorCode::Unreadable, say("cannot be read: {}", std::strerror(code)), path, mend);
  };
  const int handle = ::open(path.c_str(), O_RDONLY | O_CLOEXEC | O_NONBLOCK);
  if (handle < 0)
    return failure(errno);
  struct stat status = {};
  const int got = ::fstat(handle, &status);
  const int code = errno;
  if (got != 0 || !S_ISREG(status.st_mode)) {
    ::close(handle);
    if (got != 0)
      return failure(code);
    return fail(ErrorCode::Unreadable, say("is not a file"), path, say("give a capture file"));
  }
  const auto size = static_cast<std::size_t>(status.st_size);
  if (size == 0) {
    ::close(handle);
    return MappedFile(nullptr, 0);
  }
  void* data = ::mmap(nullptr, size, PROT_READ, MAP_PRIVATE, handle, 0);
  const int mapCode = errno;
  ::close(handle);
  if (data == MAP_FAILED)
    return failure(mapCode);
  ::madvise(data, size, MADV_SEQUENTIAL);
  return MappedFile(static_cast<const char*>(data), size);
}

MappedFile::MappedFile(MappedFile&& other) noexcept
    : m_data(std::exchange(other.m_data, nullptr)), m_size(std::exchange(other.m_size, 0))
{
}

MappedFile& MappedFile::operator=(MappedFile&& other) noexcept
{
  std::swap(m_data, other.m_data);
  std::swap(m_size, other.m_size);
  return *this;
}

MappedFile::~MappedFile()
{
  if (m_data != nullptr)
    ::munmap(const_cast<char*>(m_data), m_size);
}

}  // namespace bexto
