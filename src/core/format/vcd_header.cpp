#include "core/format/vcd_header.h"

#include <fmt/core.h>

#include <algorithm>
#include <array>
#include <optional>

#include "core/base/number_text.h"
#include "core/base/say.h"

namespace bexto {

namespace {

constexpr std::int64_t kWidest = 65536;
constexpr std::size_t kMostBits = std::size_t{1} << 20U;

bool isSpace(char c)
{
  return static_cast<unsigned char>(c) <= ' ';
}

/// What a file's text shows when it is quoted in an error: short, and on one line.
std::string quoted(std::string_view token)
{
  return token.size() > 24 ? fmt::format("'{}…'", token.substr(0, 20)) : fmt::format("'{}'", token);
}

class HeaderParser {
 public:
  HeaderParser(std::string_view text, const std::string& source) : m_text(text), m_source(source) {}

  Result<VcdHeader> parse()
  {
    bool timescale = false;
    for (;;) {
      const std::string_view keyword = token();
      if (keyword.empty())
        return cutOff();
      if (keyword.front() != '$')
        return m_header.variables.empty() && m_scopes.empty() && !timescale
                   ? malformed(say("it does not begin like a value change dump"), say("open a VCD file"))
                   : malformed(say("{} stands where a $ keyword belongs", quoted(keyword)));
      if (keyword == "$enddefinitions") {
        if (token() != "$end")
          return malformed(say("$enddefinitions is not closed by $end"));
        m_header.bodyOffset = m_at;
        break;
      }
      const std::size_t keywordAt = m_tokenAt;
      std::vector<std::string_view> words;
      bool closed = false;
      for (std::string_view word = token(); !word.empty(); word = token()) {
        if (word == "$end") {
          closed = true;
          break;
        }
        // Only free text may be long; whatever declares something is short.
        if (words.size() < 64)
          words.push_back(word);
      }
      if (!closed)
        return cutOff();
      m_tokenAt = keywordAt;
      timescale = timescale || keyword == "$timescale";
      if (auto done = section(keyword, words); !done)
        return tl::unexpected(done.error());
    }
    if (!timescale)
      m_header.notes.emplace_back(say("the file names no time unit; 1 ns is taken"));
    return std::move(m_header);
  }

 private:
  std::string_view token()
  {
    while (m_at < m_text.size() && isSpace(m_text[m_at]))
      ++m_at;
    m_tokenAt = m_at;
    while (m_at < m_text.size() && !isSpace(m_text[m_at]))
      ++m_at;
    return m_text.substr(m_tokenAt, m_at - m_tokenAt);
  }

  tl::unexpected<Error> malformed(std::string message, std::string mend = {}) const
  {
    return fail(ErrorCode::Malformed, std::move(message), linePlace(m_text, m_tokenAt, m_source), std::move(mend));
  }

  tl::unexpected<Error> cutOff() const
  {
    return malformed(say("the file ends inside its header, before $enddefinitions"),
                     say("it is cut off; write it again"));
  }

  Result<void> section(std::string_view keyword, const std::vector<std::string_view>& words)
  {
    if (keyword == "$scope") {
      if (words.size() < 2)
        return malformed(say("$scope needs a kind and a name"));
      m_scopes.emplace_back(words[1]);
    } else if (keyword == "$upscope") {
      if (m_scopes.empty())
        return malformed(say("$upscope without a $scope"));
      m_scopes.pop_back();
    } else if (keyword == "$timescale") {
      return timescale(words);
    } else if (keyword == "$var") {
      return variable(words);
    } else if (keyword == "$comment" && words.size() == 2 && words[0] == "trigger") {
      // Ours; whatever else a comment says is for people.
      if (const auto tick = parseInteger(words[1]); tick && *tick >= 0)
        m_header.triggerTick = *tick;
    }
    // $date, $version, $comment, and what a tool adds of its own say nothing about the wires.
    return {};
  }

  Result<void> timescale(const std::vector<std::string_view>& words)
  {
    std::string joined;
    for (const std::string_view word : words)
      joined += word;
    static constexpr std::array<std::pair<std::string_view, int>, 6> kUnits{
        {{"fs", -3}, {"ps", 0}, {"ns", 3}, {"us", 6}, {"ms", 9}, {"s", 12}}};
    static constexpr std::array<std::string_view, 3> kNumbers{"1", "10", "100"};
    for (std::size_t n = 0; n < kNumbers.size(); ++n) {
      for (const auto& [unit, power] : kUnits) {
        if (joined == fmt::format("{}{}", kNumbers.at(n), unit)) {
          m_header.tickPower = power + static_cast<int>(n);
          return {};
        }
      }
    }
    return malformed(say("{} is no time unit", quoted(joined)), say("1, 10 or 100 with s, ms, us, ns, ps or fs is"));
  }

  Result<void> variable(const std::vector<std::string_view>& words)
  {
    if (words.size() < 4)
      return malformed(say("$var needs a type, a width, an identifier and a name"));
    VcdVariable v;
    v.id = words[2];
    if (!std::all_of(v.id.begin(), v.id.end(), [](char c) { return c >= '!' && c <= '~'; }))
      return malformed(say("{} is no identifier", quoted(v.id)));
    const auto width = parseInteger(words[1]);
    if (!width || *width < 0 || *width > kWidest)
      return malformed(say("{} is no width from 1 to {}", quoted(words[1]), kWidest));
    v.width = static_cast<std::size_t>(*width);
    v.skipped =
        words[0] == "real" || words[0] == "realtime" || words[0] == "event" || words[0] == "string" || *width == 0;
    std::string name(words[3]);
    std::string_view range;
    if (words.size() > 4)
      range = words[4];
    // Some writers leave no space before the bit range. An escaped name may hold brackets of its own.
    const std::size_t bracket = name.front() == '\\' ? std::string::npos : name.rfind('[');
    std::string attached;
    if (range.empty() && bracket != std::string::npos && bracket > 0 && name.back() == ']') {
      attached = name.substr(bracket);
      if (parseRange(attached, v)) {
        range = attached;
        name.resize(bracket);
      }
    }
    if (range.empty() || !parseRange(range, v)) {
      v.step = v.width == 1 ? 0 : -1;
      v.leftIndex = static_cast<int>(v.width) - 1;
    }
    for (const std::string& scope : m_scopes)
      v.path += scope + '.';
    v.path += name;
    m_bits += v.skipped ? 0 : v.width;
    if (m_bits > kMostBits)
      return malformed(say("the file declares more than {} wires", countText(kMostBits)), say("dump fewer scopes"));
    m_header.variables.push_back(std::move(v));
    return {};
  }

  /// "[7:0]" or "[3]", fitting the width.
  static bool parseRange(std::string_view range, VcdVariable& v)
  {
    if (range.size() < 3 || range.front() != '[' || range.back() != ']')
      return false;
    range = range.substr(1, range.size() - 2);
    const std::size_t colon = range.find(':');
    const auto left = parseInteger(range.substr(0, colon));
    const auto right = colon == std::string_view::npos ? left : parseInteger(range.substr(colon + 1));
    constexpr std::int64_t kFar = 1 << 24;
    if (!left || !right || std::max(std::abs(*left), std::abs(*right)) > kFar)
      return false;
    if (static_cast<std::size_t>(std::abs(*left - *right)) + 1 != v.width)
      return false;
    v.leftIndex = static_cast<int>(*left);
    v.step = *left >= *right ? -1 : 1;
    return true;
  }

  std::string_view m_text;
  const std::string& m_source;
  std::size_t m_at = 0;
  std::size_t m_tokenAt = 0;
  std::size_t m_bits = 0;
  std::vector<std::string> m_scopes;
  VcdHeader m_header;
};

}  // namespace

std::string linePlace(std::string_view text, std::size_t offset, const std::string& source)
{
  const auto end = text.begin() + static_cast<std::ptrdiff_t>(std::min(offset, text.size()));
  return say("{}, line {}", source, std::count(text.begin(), end, '\n') + 1);
}

Result<VcdHeader> parseVcdHeader(std::string_view text, const std::string& source)
{
  auto header = HeaderParser(text, source).parse();
  if (!header)
    return header;
  const bool anyWire =
      std::any_of(header->variables.begin(), header->variables.end(), [](const VcdVariable& v) { return !v.skipped; });
  if (!anyWire)
    return fail(ErrorCode::Malformed, say("the file declares no wire"), source,
                say("dump at least one scalar or vector"));
  return header;
}

}  // namespace bexto
