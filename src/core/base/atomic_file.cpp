#include "core/base/atomic_file.h"

#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <atomic>
#include <cerrno>
#include <climits>
#include <csignal>
#include <cstring>
#include <filesystem>
#include <utility>

#include "core/base/number_text.h"
#include "core/base/say.h"

namespace bexto {

namespace {

tl::unexpected<Error> unwritable(const std::string& path, int code)
{
  return fail(ErrorCode::Unwritable, say("cannot be written: {}", std::strerror(code)), path,
              code == ENOSPC ? say("free some space") : say("choose another place"));
}

/// What a path leads to.
struct Target {
  std::string path;     ///< the file itself, also where no file is yet
  int descriptor = -1;  ///< or one of this process's open files: "/dev/stdout"
};

/// Follows links one by one: the file that they lead to is replaced, and they keep pointing.
Target targetOf(const std::string& path)
{
  constexpr int kMostLinks = 40;  // as many as Linux follows (path_resolution(7))
  std::filesystem::path at = path;
  for (int i = 0; i < kMostLinks; ++i) {
    const std::string text = at.lexically_normal().string();
    for (const std::string_view folder : {"/proc/self/fd/", "/dev/fd/"}) {
      // Opened by name, a file begins anew at its front; what the shell gave goes on where it is.
      const auto number = text.starts_with(folder) ? parseInteger(text.substr(folder.size())) : std::nullopt;
      if (number && *number >= 0 && *number <= INT_MAX)
        return {text, static_cast<int>(*number)};
    }
    std::error_code code;
    const std::filesystem::path next = std::filesystem::read_symlink(at, code);
    if (code)
      break;
    at = next.is_absolute() ? next : at.parent_path() / next;
  }
  return {at.string(), -1};
}

// A signal's handler may neither allocate nor lock: names stand in slots of their own. More files at once than there
// are slots would only not be removed by a signal.
struct Slot {
  enum State : int { kFree, kTaken, kUsed };
  std::atomic<int> state{kFree};
  std::array<char, PATH_MAX> path{};
};
std::array<Slot, 8> slots;

void remember(const std::string& path)
{
  if (path.size() >= PATH_MAX)
    return;
  for (Slot& slot : slots) {
    int free = Slot::kFree;
    if (!slot.state.compare_exchange_strong(free, Slot::kTaken))
      continue;
    std::copy_n(path.c_str(), path.size() + 1, slot.path.begin());
    slot.state.store(Slot::kUsed);
    return;
  }
}

void forget(const std::string& path)
{
  for (Slot& slot : slots) {
    if (slot.state.load() == Slot::kUsed && path == slot.path.data())
      slot.state.store(Slot::kFree);
  }
}

void remove(const std::string& path)
{
  ::unlink(path.c_str());
  forget(path);
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
    remove(m_temporary);
}

Result<AtomicFile> AtomicFile::create(const std::string& path)
{
  const Target target = targetOf(path);
  if (target.descriptor >= 0) {
    const int copy = ::dup(target.descriptor);
    std::FILE* direct = copy < 0 ? nullptr : ::fdopen(copy, "wb");
    return direct == nullptr ? Result<AtomicFile>(unwritable(path, errno)) : AtomicFile(direct, path, {});
  }
  struct stat status = {};
  const bool exists = ::stat(target.path.c_str(), &status) == 0;
  if (exists && S_ISDIR(status.st_mode))
    return unwritable(path, EISDIR);
  if (exists && !S_ISREG(status.st_mode)) {
    std::FILE* direct = std::fopen(path.c_str(), "wb");
    return direct == nullptr ? Result<AtomicFile>(unwritable(path, errno)) : AtomicFile(direct, path, {});
  }
  // A rename asks the folder only. Somebody who forbade to write to the file did not mean that.
  constexpr mode_t kAnyWriter = S_IWUSR | S_IWGRP | S_IWOTH;
  if (exists && ((status.st_mode & kAnyWriter) == 0 || ::access(target.path.c_str(), W_OK) != 0))
    return unwritable(path, EACCES);
  // A name of its own, for the target's may be as long as names can be.
  std::string temporary = (std::filesystem::path(target.path).parent_path() / ".bexto-XXXXXX").string();
  const int handle = ::mkostemp(temporary.data(), O_CLOEXEC);
  if (handle < 0)
    return unwritable(path, errno);
  remember(temporary);
  // mkostemp makes a private file; the result gets what the old file had, or what a new one would get.
  const mode_t mask = ::umask(0);
  ::umask(mask);
  ::fchmod(handle, exists ? status.st_mode & 07777U : 0666U & ~mask);
  std::FILE* file = ::fdopen(handle, "wb");
  if (file == nullptr) {
    const int failed = errno;
    ::close(handle);
    remove(temporary);
    return unwritable(path, failed);
  }
  return AtomicFile(file, target.path, temporary);
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
  forget(m_temporary);
  m_temporary.clear();
  return {};
}

void removeTemporaryFiles()
{
  for (Slot& slot : slots) {
    if (slot.state.load() == Slot::kUsed)
      ::unlink(slot.path.data());
  }
}

void removeTemporaryFilesAtSignals()
{
  const auto handler = [](int signal) {
    removeTemporaryFiles();
    // Ends the program as it would have without us.
    std::signal(signal, SIG_DFL);
    std::raise(signal);
  };
  for (const int signal : {SIGINT, SIGTERM, SIGHUP})
    std::signal(signal, handler);
}

}  // namespace bexto
