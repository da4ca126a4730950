// Tested by tests/core/vcd_follower_test.cpp.
#include "core/format/vcd_follower.h"

#include <fcntl.h>
#include <fmt/core.h>
#include <sys/stat.h>
#include <unistd.h>

#include <cerrno>
#include <cstring>
#include <filesystem>

#include "core/base/say.h"

namespace bexto {

VcdFollower::VcdFollower(std::string path)
    : m_path(std::move(path)), m_name(std::filesystem::path(m_path).filename().string()), m_parser(m_name)
{
}

VcdFollower::~VcdFollower()
{
  if (m_file >= 0)
    ::close(m_file);
}

Result<bool> VcdFollower::more(bool final, const std::stop_token& stop)
{
  constexpr std::size_t kPiece = kVcdPiece;
  if (m_file < 0) {
    // Of a pipe: without waiting for somebody who writes it.
    m_file = ::open(m_path.c_str(), O_RDONLY | O_CLOEXEC | O_NONBLOCK);
    if (m_file < 0)
      return fail(ErrorCode::Unreadable, std::strerror(errno), m_path);
  }
  struct stat status = {};
  if (::fstat(m_file, &status) == 0 && S_ISREG(status.st_mode) && static_cast<std::uint64_t>(status.st_size) < m_read)
    return fail(ErrorCode::Unreadable, say("the file got shorter while it was read"), m_name, say("open it anew"));
  bool added = false;
  for (;;) {
    if (stop.stop_requested())
      return fail(ErrorCode::Cancelled, "cancelled");
    const std::span<char> room = m_parser.room(kPiece);
    const ssize_t got = ::read(m_file, room.data(), room.size());
    if (got < 0 && errno != EAGAIN && errno != EINTR)
      return fail(ErrorCode::Unreadable, std::strerror(errno), m_path);
    const auto bytes = static_cast<std::size_t>(std::max<ssize_t>(0, got));
    m_read += bytes;
    const bool end = final && got <= 0;
    auto taken = m_parser.take(bytes, end ? VcdParser::Until::End : VcdParser::Until::Moment);
    if (!taken)
      return tl::unexpected(taken.error());
    added = added || *taken;
    if (end || (!final && bytes < kPiece))
      return added;
  }
}

}  // namespace bexto
