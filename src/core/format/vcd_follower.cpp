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
    : m_path(std::move(path)), m_name(std::filesystem::path(m_path).filename().string())
{
}

VcdFollower::~VcdFollower()
{
  if (m_file >= 0)
    ::close(m_file);
}

Result<bool> VcdFollower::more(bool final, const std::stop_token& stop)
{
  constexpr std::size_t kPiece = std::size_t{4} << 20U;
  constexpr std::string_view kEndOfHead = "$enddefinitions";
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
    const std::size_t before = m_rest.size();
    m_rest.resize(before + kPiece);
    const ssize_t got = ::read(m_file, m_rest.data() + before, kPiece);
    m_rest.resize(before + static_cast<std::size_t>(std::max<ssize_t>(0, got)));
    if (got < 0 && errno != EAGAIN && errno != EINTR)
      return fail(ErrorCode::Unreadable, std::strerror(errno), m_path);
    m_read += static_cast<std::uint64_t>(std::max<ssize_t>(0, got));
    if (m_body == nullptr) {
      // The declarations are whole when the line that ends them is.
      const std::size_t at = m_rest.find(kEndOfHead);
      const std::size_t close = at == std::string::npos ? at : m_rest.find('\n', at);
      if (close != std::string::npos || final) {
        m_head = close == std::string::npos ? m_rest : m_rest.substr(0, close + 1);
        auto header = parseVcdHeader(m_head, m_name);
        if (!header)
          return tl::unexpected(header.error());
        m_rest.erase(0, header->bodyOffset);
        m_body = std::make_unique<VcdBody>(m_name, std::move(*header));
        added = true;
      }
    }
    if (m_body != nullptr) {
      // Up to the line of the last time: what happens then may not all have been written.
      const bool end = final && got <= 0;
      const std::size_t last = m_rest.rfind("\n#");
      const std::size_t use = end ? m_rest.size() : last == std::string::npos ? 0 : last + 1;
      if (use > 0) {
        NoProgress none;
        if (auto read = m_body->read(std::string_view(m_rest).substr(0, use), 0, stop, none); !read) {
          Error error = read.error();
          if (error.code == ErrorCode::Malformed)
            error.where = say("{}, after byte {}", m_name, m_read - m_rest.size());
          return tl::unexpected(error);
        }
        m_rest.erase(0, use);
        added = true;
      }
    }
    if (got < static_cast<ssize_t>(kPiece))
      return added;
  }
}

}  // namespace bexto
