// Tested by tests/core/telegram_test.cpp.
#include "core/decode/send_words.h"

#include <charconv>

#include "core/base/number_text.h"
#include "core/base/say.h"

namespace bexto {

namespace {

std::string_view withoutPrefix(std::string_view text)
{
  if (text.starts_with("0x") || text.starts_with("0X"))
    text.remove_prefix(2);
  return text;
}

std::optional<std::uint64_t> hexOf(std::string_view digits)
{
  std::uint64_t value = 0;
  const auto [end, code] = std::from_chars(digits.data(), digits.data() + digits.size(), value, 16);
  if (digits.empty() || code != std::errc() || end != digits.data() + digits.size())
    return std::nullopt;
  return value;
}

/// The character that an escape stands for; `at` is at what follows the backslash and goes to its last character.
std::optional<char> escapeAt(const std::string& line, std::size_t& at)
{
  if (at >= line.size())
    return std::nullopt;
  switch (line[at]) {
    case 'n':
      return '\n';
    case 'r':
      return '\r';
    case 't':
      return '\t';
    case '0':
      return '\0';
    case '\\':
    case '"':
      return line[at];
    case 'x': {
      if (at + 2 >= line.size())
        return std::nullopt;
      const auto value = hexOf(std::string_view(line).substr(at + 1, 2));
      at += 2;
      return value ? std::optional(static_cast<char>(*value)) : std::nullopt;
    }
    default:
      return std::nullopt;
  }
}

}  // namespace

Result<std::vector<SendWord>> sendWords(const std::string& line)
{
  std::vector<SendWord> words;
  const auto isBlank = [](char c) { return c == ' ' || c == '\t' || c == ','; };
  for (std::size_t at = 0; at < line.size();) {
    if (isBlank(line[at])) {
      ++at;
      continue;
    }
    SendWord word;
    if (line[at] != '"') {
      while (at < line.size() && !isBlank(line[at]) && line[at] != '"')
        word.text += line[at++];
      words.push_back(std::move(word));
      continue;
    }
    word.isQuoted = true;
    for (++at; at < line.size() && line[at] != '"'; ++at) {
      char c = line[at];
      if (c == '\\') {
        const auto meant = escapeAt(line, ++at);
        if (!meant)
          return fail(ErrorCode::BadArgument,
                      say("a backslash in text is followed by n, r, t, 0, x and two digits, "
                          "a quote or another backslash"),
                      {}, say("write \\\\ for a backslash"));
        c = *meant;
      }
      word.text += c;
    }
    if (at >= line.size())
      return fail(ErrorCode::BadArgument, say("the text has no end"), {}, say("put a quote behind it"));
    ++at;
    words.push_back(std::move(word));
  }
  return words;
}

Result<std::uint64_t> sendHex(const SendWord& word, const std::string& what, std::uint64_t most)
{
  const auto value = word.isQuoted ? std::nullopt : hexOf(withoutPrefix(word.text));
  if (!value || *value > most)
    return fail(ErrorCode::BadArgument, say("'{}' is no {}", word.text, what), {},
                say("write it in hexadecimal, from 0 to {:X}", most));
  return *value;
}

Result<std::size_t> sendCount(const SendWord& word, std::size_t most)
{
  const auto count = parseInteger(word.text);
  if (!count || *count < 1 || static_cast<std::uint64_t>(*count) > most)
    return fail(ErrorCode::BadArgument, say("'{}' is no number to read", word.text), {},
                say("write how many, from 1 to {}", most));
  return static_cast<std::size_t>(*count);
}

Result<void> appendSendBytes(const SendWord& word, std::vector<std::uint8_t>& bytes)
{
  if (word.isQuoted) {
    bytes.insert(bytes.end(), word.text.begin(), word.text.end());
    return {};
  }
  const std::string_view digits = withoutPrefix(word.text);
  if (digits.size() == 1 || digits.size() % 2 == 0) {
    std::vector<std::uint8_t> some;
    for (std::size_t at = 0; at < digits.size(); at += 2) {
      const auto value = hexOf(digits.substr(at, 2));
      if (!value)
        break;
      some.push_back(static_cast<std::uint8_t>(*value));
    }
    if (some.size() == (digits.size() + 1) / 2 && !some.empty()) {
      bytes.insert(bytes.end(), some.begin(), some.end());
      return {};
    }
  }
  return fail(ErrorCode::BadArgument, say("'{}' is no byte", word.text), {},
              say("write two hexadecimal digits a byte, or text in quotes"));
}

}  // namespace bexto
