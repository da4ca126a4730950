// Tested by tests/core/input_file_test.cpp.
//
// Read, not mapped: a mapped file that somebody cuts short ends the program when the missing part is touched
// (POSIX.1-2017, mmap), and simulators write over the file of their last run.
#include "core/base/input_file.h"

#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>
#include <zlib.h>

#include <algorithm>
#include <cerrno>
#include <cstring>
#include <vector>

#include "core/base/say.h"

namespace bexto {

namespace {
constexpr std::size_t kPacked = std::size_t{1} << 18U;
}

struct InputFile::Impl {
  std::string path;
  int handle = -1;
  std::uint64_t size = 0;  ///< when it was opened
  timespec written = {};   ///< when it was opened
  std::uint64_t at = 0;
  bool packed = false;
  bool unpacking = false;  ///< inside a member
  z_stream inflater = {};
  std::vector<unsigned char> input;  ///< what was read and not yet unpacked is in `inflater`
  bool breaksOff = false;

  Impl() = default;
  Impl(const Impl&) = delete;
  Impl& operator=(const Impl&) = delete;
  ~Impl()
  {
    if (packed)
      ::inflateEnd(&inflater);
    if (handle >= 0)
      ::close(handle);
  }

  Result<std::size_t> readBytes(char* to, std::size_t room)
  {
    std::size_t done = 0;
    room = static_cast<std::size_t>(std::min<std::uint64_t>(room, size - at));
    while (done < room) {
      const ssize_t got = ::read(handle, to + done, room - done);
      if (got < 0 && errno == EINTR)
        continue;
      if (got < 0)
        return fail(ErrorCode::Unreadable, say("cannot be read: {}", std::strerror(errno)), path);
      if (got == 0)
        return fail(ErrorCode::Unreadable, say("the file got shorter while it was read"), path,
                    say("open it again when it is whole"));
      done += static_cast<std::size_t>(got);
      at += static_cast<std::uint64_t>(got);
    }
    return done;
  }

  Result<std::size_t> readPacked(std::span<char> room)
  {
    inflater.next_out = reinterpret_cast<Bytef*>(room.data());
    inflater.avail_out = static_cast<uInt>(room.size());
    while (inflater.avail_out > 0) {
      if (inflater.avail_in == 0) {
        auto got = readBytes(reinterpret_cast<char*>(input.data()), input.size());
        if (!got)
          return got;
        if (*got == 0) {
          breaksOff = unpacking;
          break;
        }
        inflater.next_in = input.data();
        inflater.avail_in = static_cast<uInt>(*got);
      }
      if (!unpacking) {
        // Behind a member there may be another. What is none is padding, which gzip itself leaves unread.
        if (inflater.total_in > 0 && *inflater.next_in != 0x1f) {
          inflater.avail_in = 0;
          at = size;
          break;
        }
        ::inflateReset(&inflater);
        unpacking = true;
      }
      const int code = ::inflate(&inflater, Z_NO_FLUSH);
      if (code == Z_STREAM_END) {
        unpacking = false;
      } else if (code == Z_MEM_ERROR) {
        throw std::bad_alloc();
      } else if (code != Z_OK && code != Z_BUF_ERROR) {
        return fail(ErrorCode::Malformed, say("what is packed is damaged"),
                    say("{}, before byte {}", path, at - inflater.avail_in), say("fetch or pack it again"));
      }
    }
    return room.size() - inflater.avail_out;
  }
};

InputFile::InputFile(std::unique_ptr<Impl> impl) : m_impl(std::move(impl)) {}
InputFile::InputFile(InputFile&&) noexcept = default;
InputFile& InputFile::operator=(InputFile&&) noexcept = default;
InputFile::~InputFile() = default;

Result<InputFile> InputFile::open(const std::string& path)
{
  const auto failure = [&](int code) {
    const std::string mend = code == ENOENT ? say("check the name") : "";
    return fail(ErrorCode::Unreadable, say("cannot be read: {}", std::strerror(code)), path, mend);
  };
  auto impl = std::make_unique<Impl>();
  impl->path = path;
  impl->handle = ::open(path.c_str(), O_RDONLY | O_CLOEXEC | O_NONBLOCK);
  if (impl->handle < 0)
    return failure(errno);
  struct stat status = {};
  if (::fstat(impl->handle, &status) != 0)
    return failure(errno);
  if (!S_ISREG(status.st_mode))
    return fail(ErrorCode::Unreadable, say("is not a file"), path, say("give a capture file"));
  impl->size = static_cast<std::uint64_t>(status.st_size);
  impl->written = status.st_mtim;
  unsigned char magic[2] = {};
  impl->packed = ::pread(impl->handle, magic, sizeof(magic), 0) == 2 && magic[0] == 0x1f && magic[1] == 0x8b;
  if (impl->packed) {
    impl->input.resize(kPacked);
    constexpr int kGzipOnly = 16 + MAX_WBITS;
    if (::inflateInit2(&impl->inflater, kGzipOnly) != Z_OK) {
      impl->packed = false;
      throw std::bad_alloc();
    }
  } else {
    ::posix_fadvise(impl->handle, 0, 0, POSIX_FADV_SEQUENTIAL);
  }
  return InputFile(std::move(impl));
}

Result<std::size_t> InputFile::read(std::span<char> room)
{
  return m_impl->packed ? m_impl->readPacked(room) : m_impl->readBytes(room.data(), room.size());
}

double InputFile::fraction() const
{
  return m_impl->size == 0 ? 1.0 : static_cast<double>(m_impl->at) / static_cast<double>(m_impl->size);
}

bool InputFile::breaksOff() const
{
  return m_impl->breaksOff;
}

std::vector<std::string> InputFile::notes() const
{
  std::vector<std::string> notes;
  if (breaksOff())
    notes.push_back(say("what is packed breaks off; it is read up to there"));
  if (changed())
    notes.push_back(say("the file was written to while it was read; open it again when it is whole"));
  return notes;
}

bool InputFile::changed() const
{
  struct stat status = {};
  return ::fstat(m_impl->handle, &status) == 0 &&
         (status.st_mtim.tv_sec != m_impl->written.tv_sec || status.st_mtim.tv_nsec != m_impl->written.tv_nsec);
}

}  // namespace bexto
