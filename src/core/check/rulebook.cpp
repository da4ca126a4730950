#include "core/check/rulebook.h"

#include <fmt/core.h>

#include <algorithm>
#include <cmath>
#include <iterator>

#include "core/base/number_text.h"
#include "core/base/say.h"
#include "core/base/time_text.h"

namespace bexto {

extern const char* const kRulebookSchema;

const std::string& rulebookSchema()
{
  static const std::string kText = kRulebookSchema;
  return kText;
}

const LimitRule* Rulebook::limitOf(const std::string& rule) const
{
  const auto found =
      std::find_if(limits.begin(), limits.end(), [&](const LimitRule& limit) { return limit.name == rule; });
  return found == limits.end() ? nullptr : &*found;
}

namespace {

/// The number that a text begins with, without the unit behind it; empty when that is another.
std::string without(const std::string& text, std::initializer_list<const char*> units)
{
  for (const std::string unit : units) {
    if (text.size() > unit.size() && text.ends_with(unit)) {
      std::string number = text.substr(0, text.size() - unit.size());
      while (!number.empty() && number.back() == ' ')
        number.pop_back();
      return number;
    }
  }
  return {};
}

}  // namespace

Result<Quantity> parseQuantity(const std::string& text, MeasureUnit unit)
{
  const auto wrong = [&](std::string mend) {
    return fail(ErrorCode::BadArgument, say("'{}' is no limit of this", text), {}, std::move(mend));
  };
  switch (unit) {
    case MeasureUnit::Time: {
      if (const auto bits = parseNumber(without(text, {"bits", "bit"})))
        return Quantity{*bits, true};
      // A bare number would be seconds, which nobody means here; but nothing is nothing in any unit.
      const bool bare = !text.empty() && (std::isdigit(static_cast<unsigned char>(text.back())) != 0);
      const auto time = parseTime(text);
      if (time && (!bare || *time == Picoseconds{0}))
        return Quantity{static_cast<double>(time->count()), false};
      return wrong(say("write a time with its unit, like 1.3 us"));
    }
    case MeasureUnit::Frequency:
      if (const auto hertz = parseFrequency(text))
        return Quantity{*hertz, false};
      return wrong(say("write a frequency, like 400 kHz"));
    case MeasureUnit::Percent: {
      const std::string number = without(text, {"%"});
      if (const auto share = parseNumber(number.empty() ? text : number))
        return Quantity{*share, false};
      return wrong(say("write a share, like 2.5 %"));
    }
    case MeasureUnit::Count: {
      const std::string number = without(text, {"bits", "bit"});
      if (const auto count = parseNumber(number.empty() ? text : number))
        return Quantity{*count, false};
      return wrong(say("write a number"));
    }
  }
  return wrong({});
}

std::string quantityText(double value, MeasureUnit unit, int digits)
{
  switch (unit) {
    case MeasureUnit::Time:
      return lengthText(wholePicoseconds(value), digits);
    case MeasureUnit::Frequency:
      return frequencyText(value, digits);
    case MeasureUnit::Percent:
      return fmt::format("{:.{}g} %", value, digits);
    case MeasureUnit::Count:
      break;
  }
  return fmt::format("{:.{}g}", value, digits);
}

}  // namespace bexto
