#include "core/format/vcd_header.h"

#include <fmt/core.h>

#include <algorithm>
#include <array>
#include <optional>

#include "core/base/number_text.h"
#include "core/base/say.h"

namespace bexto {

namespace {

/// "source, line 17" for the line that holds byte `offset`.
std::string linePlace(std::string_view text, std::size_t offset, const std::string& source)
{
  const auto end = text.begin() + static_cast<std::ptrdiff_t>(std::min(offset, text.size()));
  return say("{}, line {}", source, std::count(text.begin(), end, '\n') + 1);
}

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
  HeaderParser(std::string_view text, bool whole, const std::string& source)
      : m_text(text), m_whole(whole), m_source(source)
  {
  }

  Result<std::optional<VcdHeader>> parse()
  {
    bool timescale = false;
    for (;;) {
      const std::string_view keyword = token();
      if (keyword.empty())
        return atEnd();
      if (keyword.front() != '$')
        return m_header.variables.empty() && m_scopes.empty() && !timescale
                   ? malformed(say("it does not begin like a value change dump"), say("open a VCD file"))
                   : malformed(say("{} stands where a $ keyword belongs", quoted(keyword)));
      if (keyword == "$enddefinitions") {
        const std::string_view close = token();
        if (close.empty() && !m_whole)
          return atEnd();
        if (close != "$end")
          return malformed(say("$enddefinitions is not closed by $end"));
        m_header.bodyOffset = m_at;
        m_header.bodyLine = static_cast<std::size_t>(
            std::count(m_text.begin(), m_text.begin() + static_cast<std::ptrdiff_t>(m_at), '\n'));
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
        return atEnd();
      m_tokenAt = keywordAt;
      timescale = timescale || keyword == "$timescale";
      if (auto done = section(keyword, words); !done)
        return tl::unexpected(done.error());
    }
    if (!timescale)
      m_header.notes.emplace_back(say("the file names no time unit; 1 ns is taken"));
    return std::optional<VcdHeader>(std::move(m_header));
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

  /// The text is over before its declarations are.
  Result<std::optional<VcdHeader>> atEnd() const
  {
    if (!m_whole)
      return std::nullopt;
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
    // An extended dump may give a range for the size (18.4.1).
    const std::optional<Range> size = rangeOf(words[1]);
    const std::optional<std::int64_t> width = size ? static_cast<std::int64_t>(size->bits) : parseInteger(words[1]);
    if (!width || *width < 0 || *width > kWidest)
      return malformed(say("{} is no width from 1 to {}", quoted(words[1]), kWidest));
    v.width = static_cast<std::size_t>(*width);
    v.skipped =
        words[0] == "real" || words[0] == "realtime" || words[0] == "event" || words[0] == "string" || *width == 0;
    std::string name(words[3]);
    std::optional<Range> range;
    // Some writers leave no space before the bit range. An escaped name may hold brackets of its own.
    const std::size_t bracket = name.front() == '\\' ? std::string::npos : name.rfind('[');
    if (words.size() == 4 && bracket != std::string::npos && bracket > 0) {
      range = fitting(std::string_view(name).substr(bracket), v.width);
      if (range)
        name.resize(bracket);
    }
    // The last range that fits is the one of the bits; whatever else follows belongs to the name, also with blanks.
    // There may be blanks inside it, too: "[7 : 0]".
    std::size_t nameEnd = words.size();
    std::string joined;
    for (std::size_t i = words.size() - 1; i > 3 && joined.empty(); --i) {
      if (words[i].front() != '[')
        continue;
      for (std::size_t k = i; k < words.size(); ++k)
        joined += words[k];
      range = fitting(joined, v.width);
      nameEnd = range ? i : nameEnd;
    }
    for (std::size_t i = 4; i < nameEnd; ++i) {
      if (words[i].front() != '[')
        name += ' ';
      name += words[i];
    }
    if (!range && size)
      range = size;
    if (range) {
      v.leftIndex = range->left;
      v.step = range->step;
    } else {
      v.step = v.width == 1 ? 0 : -1;
      v.leftIndex = static_cast<int>(v.width) - 1;
    }
    for (const std::string& scope : m_scopes)
      v.path += scope + '.';
    v.path = readableName(v.path + name);
    m_bits += v.skipped ? 0 : v.width;
    if (m_bits > kMostBits)
      return malformed(say("the file declares more than {} wires", countText(kMostBits)), say("dump fewer scopes"));
    m_header.variables.push_back(std::move(v));
    return {};
  }

  struct Range {
    int left = 0;
    int step = -1;  ///< to the next bit's index
    std::size_t bits = 0;
  };

  /// "[7:0]" or "[3]".
  static std::optional<Range> rangeOf(std::string_view text)
  {
    if (text.size() < 3 || text.front() != '[' || text.back() != ']')
      return std::nullopt;
    text = text.substr(1, text.size() - 2);
    const std::size_t colon = text.find(':');
    const auto left = parseInteger(text.substr(0, colon));
    const auto right = colon == std::string_view::npos ? left : parseInteger(text.substr(colon + 1));
    constexpr std::int64_t kFar = 1 << 24;
    if (!left || !right || std::max(std::abs(*left), std::abs(*right)) > kFar)
      return std::nullopt;
    return Range{static_cast<int>(*left), *left >= *right ? -1 : 1,
                 static_cast<std::size_t>(std::abs(*left - *right)) + 1};
  }

  static std::optional<Range> fitting(std::string_view text, std::size_t width)
  {
    const std::optional<Range> range = rangeOf(text);
    return range && range->bits == width ? range : std::nullopt;
  }

  std::string_view m_text;
  bool m_whole;
  const std::string& m_source;
  std::size_t m_at = 0;
  std::size_t m_tokenAt = 0;
  std::size_t m_bits = 0;
  std::vector<std::string> m_scopes;
  VcdHeader m_header;
};

}  // namespace

namespace {

/// Bytes of the UTF-8 character at the front (RFC 3629, 4), 0 when there is none or it is a control character.
std::size_t printableLength(std::string_view text)
{
  const auto byte = [&](std::size_t i) { return i < text.size() ? static_cast<unsigned char>(text[i]) : 0U; };
  const auto follows = [&](std::size_t i, unsigned lowest = 0x80, unsigned highest = 0xbf) {
    return byte(i) >= lowest && byte(i) <= highest;
  };
  const unsigned first = byte(0);
  if (first < 0x80)
    return first >= 0x20 && first != 0x7f ? 1 : 0;
  if (first >= 0xc2 && first <= 0xdf)  // C2 80 to C2 9F are control characters
    return follows(1, first == 0xc2 ? 0xa0 : 0x80) ? 2 : 0;
  if (first >= 0xe0 && first <= 0xef)
    return follows(1, first == 0xe0 ? 0xa0 : 0x80, first == 0xed ? 0x9f : 0xbf) && follows(2) ? 3 : 0;
  if (first >= 0xf0 && first <= 0xf4)
    return follows(1, first == 0xf0 ? 0x90 : 0x80, first == 0xf4 ? 0x8f : 0xbf) && follows(2) && follows(3) ? 4 : 0;
  return 0;
}

}  // namespace

std::string readableName(std::string_view name)
{
  std::string out;
  while (!name.empty()) {
    const std::size_t length = printableLength(name);
    if (length > 0)
      out += name.substr(0, length);
    else
      out += fmt::format("\\x{:02X}", static_cast<unsigned char>(name.front()));
    name.remove_prefix(std::max<std::size_t>(1, length));
  }
  return out;
}

Result<std::optional<VcdHeader>> parseVcdHeader(std::string_view text, bool whole, const std::string& source)
{
  // A word that touches the end may go on.
  while (!whole && !text.empty() && !isSpace(text.back()))
    text.remove_suffix(1);
  auto header = HeaderParser(text, whole, source).parse();
  if (!header || !*header)
    return header;
  const std::vector<VcdVariable>& variables = (*header)->variables;
  if (std::all_of(variables.begin(), variables.end(), [](const VcdVariable& v) { return v.skipped; }))
    return fail(ErrorCode::Malformed, say("the file declares no wire"), source,
                say("dump at least one scalar or vector"));
  return header;
}

}  // namespace bexto
