// Tested by tests/core/query_test.cpp.
#include "core/query/byte_pattern.h"

#include <fmt/core.h>

#include <cctype>

#include "core/base/say.h"

namespace bexto {

namespace {

/// A hex digit's value, 16 for ?, -1 for anything else.
int digitOf(char c)
{
  if (c == '?')
    return 16;
  if (c >= '0' && c <= '9')
    return c - '0';
  const auto lower = static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
  return lower >= 'a' && lower <= 'f' ? lower - 'a' + 10 : -1;
}

tl::unexpected<Error> wrongAt(std::size_t offset, std::string message)
{
  return fail(ErrorCode::BadArgument, std::move(message), std::to_string(offset), say("write bytes like \"A0 ?? 0?\""));
}

}  // namespace

Result<BytePattern> BytePattern::parse(std::string_view text)
{
  BytePattern pattern;
  pattern.m_runs.emplace_back();
  std::size_t bytes = 0;
  for (std::size_t i = 0; i < text.size();) {
    const char c = text[i];
    if (pattern.m_atEnd && c != ' ')
      return wrongAt(i, say("nothing can stand behind the | that means the end"));
    if (c == ' ') {
      ++i;
    } else if (c == '|') {
      const bool first = bytes == 0 && pattern.m_runs.size() == 1 && !pattern.m_atBegin;
      (first ? pattern.m_atBegin : pattern.m_atEnd) = true;
      ++i;
    } else if (c == '*') {
      pattern.m_runs.emplace_back();
      ++i;
    } else if (digitOf(c) < 0) {
      return wrongAt(i, say("'{}' is no hex digit", c));
    } else if (i + 1 >= text.size() || digitOf(text[i + 1]) < 0) {
      return wrongAt(i, say("'{}' is half a byte", c));
    } else {
      Byte byte{0, 0};
      for (const std::size_t at : {i, i + 1}) {
        const int digit = digitOf(text[at]);
        const unsigned mask = byte.mask;
        const unsigned value = byte.value;
        byte.mask = static_cast<std::uint8_t>(mask << 4U | (digit < 16 ? 15U : 0U));
        byte.value = static_cast<std::uint8_t>(value << 4U | (digit < 16 ? static_cast<unsigned>(digit) : 0U));
      }
      pattern.m_runs.back().push_back(byte);
      ++bytes;
      i += 2;
    }
  }
  if (bytes == 0 && !(pattern.m_atBegin && pattern.m_atEnd))
    return wrongAt(0, say("there is no byte to look for"));
  return pattern;
}

BytePattern BytePattern::ofText(std::string_view text)
{
  BytePattern pattern;
  Run run;
  for (const char c : text) {
    // 0x20 is what tells upper from lower case.
    const bool letter = std::isalpha(static_cast<unsigned char>(c)) != 0;
    const std::uint8_t mask = letter ? 0xdf : 0xff;
    run.push_back({mask, static_cast<std::uint8_t>(static_cast<std::uint8_t>(c) & mask)});
  }
  pattern.m_runs.push_back(std::move(run));
  return pattern;
}

bool BytePattern::matchesAt(const Run& run, std::span<const std::uint8_t> data, std::size_t at)
{
  for (std::size_t i = 0; i < run.size(); ++i) {
    if ((data[at + i] & run[i].mask) != run[i].value)
      return false;
  }
  return true;
}

bool BytePattern::matches(std::span<const std::uint8_t> data) const
{
  // Greedy: each run at its earliest place leaves the most room for those behind it. Only the last one may be bound to
  // the end, and then it has one place.
  std::size_t at = 0;
  for (std::size_t r = 0; r < m_runs.size(); ++r) {
    const Run& run = m_runs[r];
    const bool last = r + 1 == m_runs.size();
    if (run.size() > data.size() - at)
      return false;
    if (last && m_atEnd) {
      const std::size_t place = data.size() - run.size();
      return (r > 0 || !m_atBegin || place == 0) && matchesAt(run, data, place);
    }
    if (r == 0 && m_atBegin) {
      if (!matchesAt(run, data, 0))
        return false;
      at = run.size();
      continue;
    }
    while (!matchesAt(run, data, at)) {
      if (++at + run.size() > data.size())
        return false;
    }
    at += run.size();
  }
  return true;
}

std::string BytePattern::text() const
{
  std::string text;
  for (std::size_t r = 0; r < m_runs.size(); ++r) {
    if (r != 0)
      text += text.empty() ? "*" : " *";
    for (const Byte& byte : m_runs[r]) {
      text += text.empty() ? "" : " ";
      text += (byte.mask & 0xf0U) == 0 ? "?" : fmt::format("{:X}", byte.value >> 4U);
      text += (byte.mask & 0x0fU) == 0 ? "?" : fmt::format("{:X}", byte.value & 15U);
    }
  }
  return text;
}

}  // namespace bexto
