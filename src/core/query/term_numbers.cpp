// Tested by tests/core/query_test.cpp.
#include "core/query/term_numbers.h"

#include <fmt/core.h>

#include <algorithm>
#include <array>
#include <charconv>

#include "core/base/say.h"
#include "core/base/time_text.h"
#include "core/query/byte_pattern.h"

namespace bexto {

tl::unexpected<QueryError> wrong(std::string message, std::string mend, TextSpan at)
{
  return tl::unexpected(QueryError{std::move(message), std::move(mend), at});
}

std::optional<std::int64_t> numberOf(std::string_view text, int base)
{
  if (text.size() > 2 && text[0] == '0') {
    const char mark = text[1];
    const int said = mark == 'x' || mark == 'X'   ? 16
                     : mark == 'b' || mark == 'B' ? 2
                     : mark == 'd' || mark == 'D' ? 10
                                                  : 0;
    // In a key that reads hex, 0b1 and 0d1 could be digits; that they always decide is the rule that can be remembered.
    if (said != 0) {
      base = said;
      text.remove_prefix(2);
    }
  }
  std::int64_t value = 0;
  const auto [end, code] = std::from_chars(text.data(), text.data() + text.size(), value, base);
  if (code != std::errc() || end != text.data() + text.size() || value < 0)
    return std::nullopt;
  return value;
}

void addAlternative(std::string& shown, const std::string& other)
{
  shown = shown.empty() ? other : say("{} or {}", shown, other);
}

namespace {

/// Reads the numbers of one key.
class Numbers {
 public:
  Numbers(NumberForm form, const SyntaxNode& node) : m_form(form), m_node(node) {}

  QueryResult<void> into(Term& term) const
  {
    for (const SyntaxNode::Value& value : m_node.values) {
      auto ranges = rangesOf(value);
      if (!ranges)
        return tl::unexpected(ranges.error());
      term.ranges.insert(term.ranges.end(), ranges->begin(), ranges->end());
      addAlternative(term.shown, shownOf(value));
    }
    const std::string& op = m_node.comparison;
    if (op == ":" || op == "=")
      return {};
    if (op == "!=") {
      term.ranges = complement(std::move(term.ranges));
      term.shown = say("not {}", term.shown);
      return {};
    }
    const SyntaxNode::Value& only = m_node.values.front();
    if (m_node.values.size() != 1 || only.isRange || term.ranges.size() != 1)
      return wrong(say("'{}' compares with one value", op), say("for several or a range write ':'"), m_node.at);
    const NumberRange r = term.ranges.front();
    constexpr NumberRange kAll;
    if (op == "<" && r.low == kAll.low)
      return wrong(say("nothing is below {}", only.low), say("write a larger number"), only.at);
    if (op == ">" && r.high == kAll.high)
      return wrong(say("nothing is above {}", only.low), say("write a smaller number"), only.at);
    const std::array<std::pair<const char*, std::string>, 4> said{{{"<", say("below {}", term.shown)},
                                                                   {"<=", say("at most {}", term.shown)},
                                                                   {">", say("above {}", term.shown)},
                                                                   {">=", say("at least {}", term.shown)}}};
    if (op == "<")
      term.ranges = {{kAll.low, r.low - 1}};
    else if (op == "<=")
      term.ranges = {{kAll.low, r.high}};
    else if (op == ">")
      term.ranges = {{r.high + 1, kAll.high}};
    else
      term.ranges = {{r.low, kAll.high}};
    for (const auto& [sign, words] : said) {
      if (sign == op)
        term.shown = words;
    }
    return {};
  }

 private:
  static std::vector<NumberRange> complement(std::vector<NumberRange> ranges)
  {
    std::sort(ranges.begin(), ranges.end(), [](const NumberRange& a, const NumberRange& b) { return a.low < b.low; });
    std::vector<NumberRange> out;
    constexpr NumberRange kAll;
    std::int64_t from = kAll.low;
    for (const NumberRange& r : ranges) {
      if (r.low > from)
        out.push_back({from, r.low - 1});
      if (r.high == kAll.high)
        return out;
      from = std::max(from, r.high + 1);
    }
    out.push_back({from, kAll.high});
    return out;
  }

  std::string shownOf(const SyntaxNode::Value& value) const
  {
    if (!value.isRange)
      return value.low;
    return value.low.empty()    ? say("up to {}", value.high)
           : value.high.empty() ? say("{} on", value.low)
                                : say("{} to {}", value.low, value.high);
  }

  QueryResult<std::int64_t> one(const std::string& text, TextSpan at) const
  {
    if (m_form == NumberForm::Time) {
      const auto time = parseTime(text);
      if (!time)
        return wrong(say("'{}' is no time", text), say("write a time like 12.5ms; without a unit it is seconds"), at);
      return time->count();
    }
    const bool hex = m_form == NumberForm::Hex;
    const auto number = numberOf(text, hex ? 16 : 10);
    if (!number)
      return wrong(hex ? say("'{}' is no hex number", text) : say("'{}' is no decimal number", text),
                   hex ? say("hex digits, or 0d and decimal ones") : say("decimal digits, or 0x and hex ones"), at);
    return *number;
  }

  QueryResult<std::vector<NumberRange>> rangesOf(const SyntaxNode::Value& value) const
  {
    NumberRange range;
    // "8?" of a byte: every byte whose known digit is that one.
    if (!value.isRange && m_form == NumberForm::Hex && value.low.size() == 2 &&
        value.low.find('?') != std::string::npos)
      return wildcardRanges(value);
    if (!value.low.empty()) {
      const auto low = one(value.low, value.at);
      if (!low)
        return tl::unexpected(low.error());
      range.low = *low;
      range.high = value.isRange ? range.high : *low;
    }
    if (!value.high.empty()) {
      const auto high = one(value.high, value.at);
      if (!high)
        return tl::unexpected(high.error());
      range.high = *high;
    }
    if (range.low > range.high)
      return wrong(say("the range ends before it begins"), fmt::format("{}..{}", value.high, value.low), value.at);
    return std::vector<NumberRange>{range};
  }

  QueryResult<std::vector<NumberRange>> wildcardRanges(const SyntaxNode::Value& value) const
  {
    const auto pattern = BytePattern::parse(value.low);
    if (!pattern)
      return wrong(say("'{}' is no byte", value.low), say("write it like 8? or ?0"), value.at);
    std::vector<NumberRange> ranges;
    for (int byte = 0; byte < 256; ++byte) {
      const auto b = static_cast<std::uint8_t>(byte);
      if (pattern->matches({&b, 1}))
        ranges.push_back({byte, byte});
    }
    return ranges;
  }

  NumberForm m_form;
  const SyntaxNode& m_node;
};

}  // namespace

QueryResult<void> readNumbers(NumberForm form, const SyntaxNode& node, Term& term)
{
  return Numbers(form, node).into(term);
}

}  // namespace bexto
