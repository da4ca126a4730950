// Tested by tests/core/vcd_reader_test.cpp and tests/core/vcd_follower_test.cpp.
#include "core/format/vcd_parser.h"

#include <algorithm>
#include <cstring>

#include "core/base/say.h"

namespace bexto {

std::span<char> VcdParser::room(std::size_t bytes)
{
  if (m_text.size() - m_until < bytes) {
    std::move(m_text.begin() + static_cast<std::ptrdiff_t>(m_from),
              m_text.begin() + static_cast<std::ptrdiff_t>(m_until), m_text.begin());
    m_until -= m_from;
    m_from = 0;
    if (m_text.size() - m_until < bytes)
      m_text.resize(std::max(m_until + bytes, m_text.size() * 3 / 2));
  }
  return std::span<char>(m_text).subspan(m_until, bytes);
}

Result<bool> VcdParser::take(std::size_t bytes, Until until)
{
  m_until += bytes;
  bool added = false;
  const bool whole = until == Until::End;
  if (m_body == nullptr) {
    if (auto read = readHeader(whole); !read)
      return tl::unexpected(read.error());
    if (m_body == nullptr)
      return false;
    added = true;
  }
  std::string_view rest(m_text.data() + m_from, m_until - m_from);
  if (until == Until::Moment) {
    // Up to the line of the last time: what happens then may not all have been written.
    const std::size_t last = rest.rfind("\n#");
    rest = rest.substr(0, last == std::string_view::npos ? 0 : last + 1);
  }
  if (rest.empty() && !whole)
    return added;
  const auto used = m_body->read(rest, whole);
  if (!used)
    return tl::unexpected(used.error());
  m_from += *used;
  return added || *used > 0;
}

Result<void> VcdParser::readHeader(bool whole)
{
  constexpr std::string_view kEnd = "$enddefinitions";
  const std::string_view text(m_text.data() + m_from, m_until - m_from);
  if (whole && text.find_first_not_of(" \t\r\n") == std::string_view::npos)
    return fail(ErrorCode::Malformed, say("the file is empty"), m_source, say("record it again"));
  // The first piece shows what is no dump at all; after it, only another end of declarations is worth a look.
  const std::size_t end = text.find(kEnd, m_searched);
  if (m_searched > 0 && end == std::string_view::npos && !whole) {
    m_searched = text.size() - std::min(text.size(), kEnd.size());
    return {};
  }
  auto header = parseVcdHeader(text, whole, m_source);
  if (!header)
    return tl::unexpected(header.error());
  if (!*header) {
    // The word may be there and its $end not yet; or it stands in a comment.
    m_searched = end == std::string_view::npos ? text.size() - std::min(text.size(), kEnd.size()) : end;
    return {};
  }
  // The identifiers are views into the text, and have to stay where they are.
  m_head = text.substr(0, (*header)->bodyOffset);
  header = parseVcdHeader(m_head, true, m_source);
  if (!header)
    return tl::unexpected(header.error());
  m_from += m_head.size();
  m_body = std::make_unique<VcdBody>(m_source, std::move(**header));
  return {};
}

}  // namespace bexto
