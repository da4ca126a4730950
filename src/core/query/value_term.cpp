// Tested by tests/core/device_query_test.cpp.
#include "core/query/value_term.h"

#include <fmt/core.h>

#include <algorithm>
#include <cctype>
#include <cmath>

#include "core/base/number_text.h"
#include "core/base/say.h"
#include "core/query/term_numbers.h"

namespace bexto {

namespace {

struct Typed {
  double value = 0.0;
  double half = 0.0;  ///< of the last digit that was typed; 0 of a hex number
};

/// "98.2", "-3", "0x1F"; a unit behind it is allowed where it is the value's own.
std::optional<Typed> numberOf(std::string text, const std::string& unit)
{
  if (!unit.empty() && text.size() > unit.size() && text.ends_with(unit))
    text.resize(text.size() - unit.size());
  if (text.starts_with("0x")) {
    std::uint64_t value = 0;
    if (text.size() == 2 || text.size() > 18)
      return std::nullopt;
    for (const char c : text.substr(2)) {
      if (std::isxdigit(static_cast<unsigned char>(c)) == 0)
        return std::nullopt;
      value = value * 16 + static_cast<std::uint64_t>(std::isdigit(static_cast<unsigned char>(c)) != 0
                                                          ? c - '0'
                                                          : std::tolower(static_cast<unsigned char>(c)) - 'a' + 10);
    }
    return Typed{static_cast<double>(value), 0.0};
  }
  const auto number = parseNumber(text);
  if (!number)
    return std::nullopt;
  const std::size_t point = text.find('.');
  const auto digits = point == std::string::npos ? 0.0 : static_cast<double>(text.size() - point - 1);
  return Typed{*number, 0.5 * std::pow(10.0, -digits)};
}

std::string commaListed(const std::vector<std::string>& words)
{
  std::string text;
  for (const std::string& word : words)
    text += (text.empty() ? "" : ", ") + word;
  return text;
}

}  // namespace

QueryResult<Term> valueTerm(const SyntaxNode& node, const ValueWord& value)
{
  Term term;
  term.key = TermKey::Value;
  term.property = value.name;
  term.question.of = MeaningQuestion::Of::Value;
  term.question.name = value.name;
  const std::string& op = node.comparison;
  const bool compares = op != ":" && op != "=" && op != "!=";
  std::vector<RealRange> ranges;
  for (const SyntaxNode::Value& each : node.values) {
    const auto low = numberOf(each.low, value.unit);
    const auto high = each.isRange ? numberOf(each.high, value.unit) : low;
    const bool numbers = (low || (each.isRange && each.low.empty())) && (high || (each.isRange && each.high.empty()));
    term.shown += (term.shown.empty() ? "" : say(" or ")) + (each.isRange ? each.low + ".." + each.high : each.low);
    if (each.quoted || !numbers) {
      if (compares || each.isRange)
        return wrong(say("'{}' is no number", each.isRange && low ? each.high : each.low),
                     say("compare with a number, or write {}:{}", value.name, each.low), each.at);
      const bool known =
          value.words.empty() || each.low.find('*') != std::string::npos ||
          std::any_of(value.words.begin(), value.words.end(), [&](const std::string& w) {
            return w.size() == each.low.size() && std::equal(w.begin(), w.end(), each.low.begin(), [](char a, char b) {
                     return std::tolower(static_cast<unsigned char>(a)) == std::tolower(static_cast<unsigned char>(b));
                   });
          });
      if (!known) {
        const std::string near = nearest(each.low, value.words);
        return wrong(say("'{}' is never '{}'", value.name, each.low),
                     near.empty() ? say("it is {}", commaListed(value.words)) : say("did you mean {}", near), each.at);
      }
      term.question.words.push_back(each.low);
      continue;
    }
    RealRange range;
    if (each.isRange) {
      if (low)
        range.low = low->value;
      if (high)
        range.high = high->value;
      if (range.low > range.high)
        return wrong(say("the range ends before it begins"), fmt::format("{}..{}", each.high, each.low), each.at);
    } else {
      range = compares
                  ? RealRange{low->value, low->value}
                  : RealRange{low->value - low->half,
                              low->half == 0.0
                                  ? low->value
                                  : std::nextafter(low->value + low->half, -std::numeric_limits<double>::infinity())};
    }
    ranges.push_back(range);
  }
  if (!ranges.empty() && !term.question.words.empty())
    return wrong(say("numbers and words are two terms"), say("put 'or' between them"), node.at);
  if (compares && (ranges.size() != 1 || node.values.front().isRange))
    return wrong(say("'{}' compares with one value", op), say("for several or a range write ':'"), node.at);
  constexpr double kNone = std::numeric_limits<double>::infinity();
  if (op == "<") {
    ranges = {{-kNone, std::nextafter(ranges.front().low, -kNone)}};
    term.shown = say("below {}", term.shown);
  } else if (op == "<=") {
    ranges.front().low = -kNone;
    term.shown = say("at most {}", term.shown);
  } else if (op == ">") {
    ranges = {{std::nextafter(ranges.front().high, kNone), kNone}};
    term.shown = say("above {}", term.shown);
  } else if (op == ">=") {
    ranges.front().high = kNone;
    term.shown = say("at least {}", term.shown);
  } else if (op == "!=") {
    if (!term.question.words.empty())
      return wrong(say("words have no '!='"), say("write not {}:{}", value.name, term.question.words.front()), node.at);
    std::sort(ranges.begin(), ranges.end(), [](const RealRange& a, const RealRange& b) { return a.low < b.low; });
    std::vector<RealRange> others;
    double from = -kNone;
    for (const RealRange& r : ranges) {
      others.push_back({from, std::nextafter(r.low, -kNone)});
      from = std::nextafter(r.high, kNone);
    }
    others.push_back({from, kNone});
    ranges = std::move(others);
    term.shown = say("not {}", term.shown);
  }
  term.question.ranges = std::move(ranges);
  return term;
}

}  // namespace bexto
