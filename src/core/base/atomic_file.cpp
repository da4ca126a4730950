#include "core/base/atomic_file.h"

#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

#include <cerrno>
#include <cstring>
#include <filesystem>
#include <utility>
#include <vector>

#include "core/base/say.h"

namespace bexto {

namespace {

tl::unexpected<Error> unwritable(const std::string& path, int code)
{
  return fail(ErrorCode::Unwritable, say("cannot be written: {}", std::strerror(code)), path,
              code == ENOSPC ? say("free some space") : say("choose another place"));
}

}  // namespace

AtomicFile::AtomicFile(std::FILE* file, std::string path, std::string temporary)
    : m_file(file), m_path(std::move(path)), m_temporary(std::move(temporary))
{
}

AtomicFile::AtomicFile(AtomicFile&& other) noexcept
    : m_file(std::exchange(other.m_file, nullptr)),
      m_path(std::move(other.m_path)),
      m_temporary(std::exchange(other.m_temporary, {}))
{
}

AtomicFile::~AtomicFile()
{
  if (m_file != nullptr)
    std::fclose(m_file);
  if (!m_temporary.empty())
    ::unlink(m_temporary.c_str());
}

Result<AtomicFile> AtomicFile::create(const std::string& path)
{
  struct stat status = {};
  const bool exists = ::stat(path.c_str(), &status) == 0;
  if (exists && S_ISDIR(status.st_mode))
    return unwritable(path, EISDIR);
  if (exists && !S_ISREG(status.st_mode)) {
    std::FILE* direct = std::fopen(path.c_str(), "wb");
    return direct == nullptr ? Result<AtomicFile>(unwritable(path, errno)) : AtomicFile(direct, path, {});
  }
  // A link is followed, so that the file it leads to is replaced and not the link.
  std::error_code code;
  const std::filesystem::path real = std::filesystem::weakly_canonical(path, code);
  const std::string target = code ? path : real.string();
  std::string temporary = target + ".XXXXXX";
  const int handle = ::mkostemp(temporary.data(), O_CLOEXEC);
  if (handle < 0)
    return unwritable(path, errno);
  // mkostemp makes a private file; the result gets what the old file had, or what a new one would get.
  const mode_t mask = ::umask(0);
  ::umask(mask);
  ::fchmod(handle, exists ? status.st_mode & 07777U : 0666U & ~mask);
  std::FILE* file = ::fdopen(handle, "wb");
  if (file == nullptr) {
    const int failed = errno;
    ::close(handle);
    ::unlink(temporary.c_str());
    return unwritable(path, failed);
  }
  return AtomicFile(file, target, temporary);
}

tl::unexpected<Error> AtomicFile::failure(int code) const
{
  return unwritable(m_path, code);
}

Result<void> AtomicFile::write(std::string_view bytes)
{
  if (std::fwrite(bytes.data(), 1, bytes.size(), m_file) != bytes.size())
    return failure(errno);
  return {};
}

Result<void> AtomicFile::commit()
{
  const bool flushed = std::fflush(m_file) == 0 && (m_temporary.empty() || ::fsync(::fileno(m_file)) == 0);
  int code = errno;
  const bool closed = std::fclose(std::exchange(m_file, nullptr)) == 0;
  if (flushed && !closed)
    code = errno;
  if (!flushed || !closed)
    return failure(code);
  if (!m_temporary.empty() && std::rename(m_temporary.c_str(), m_path.c_str()) != 0)
    return failure(errno);
  m_temporary.clear();
  return {};
}

}  // namespace bexto
