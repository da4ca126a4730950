#include "core/base/time_text.h"

#include <fmt/core.h>

#include <array>
#include <cctype>
#include <charconv>
#include <cmath>
#include <optional>
#include <string>

#include "core/base/number_text.h"
#include "core/base/say.h"

namespace bexto {

namespace {

constexpr std::array<TimeUnit, 5> kUnits{{{"s", 12}, {"ms", 9}, {"µs", 6}, {"ns", 3}, {"ps", 0}}};

double powerOfTen(int power)
{
  return std::pow(10.0, power);
}

/// `value` with as many decimals as make `digits` significant ones.
std::string significant(double value, int digits)
{
  const double size = std::abs(value);
  int before = 1;
  for (double limit = 10.0; size >= limit - 0.5 * std::pow(10.0, before - digits) && before < digits; limit *= 10.0)
    ++before;
  return fmt::format("{:.{}f}", value, std::max(0, digits - before));
}

}  // namespace

std::string momentText(Picoseconds t, int decimals)
{
  std::int64_t step = 1;
  for (int i = decimals; i < 12; ++i)
    step *= 10;
  const bool negative = t.count() < 0;
  const auto size = negative ? 0 - static_cast<std::uint64_t>(t.count()) : static_cast<std::uint64_t>(t.count());
  const auto unit = static_cast<std::uint64_t>(step);
  const std::uint64_t rounded = (size + unit / 2) / unit;
  std::uint64_t perSecond = 1;
  for (int i = 0; i < decimals; ++i)
    perSecond *= 10;
  std::string out = fmt::format("{}{}", negative && rounded != 0 ? "−" : "", rounded / perSecond);
  if (decimals == 0)
    return out;
  const std::string fraction = fmt::format("{:0{}}", rounded % perSecond, decimals);
  out += '.';
  for (std::size_t i = 0; i < fraction.size(); ++i) {
    if (i != 0 && i % 3 == 0)
      out += ' ';
    out += fraction[i];
  }
  return out;
}

TimeUnit unitFor(Picoseconds t)
{
  const double size = std::abs(static_cast<double>(t.count()));
  for (const TimeUnit& unit : kUnits) {
    if (size >= powerOfTen(unit.power))
      return unit;
  }
  return kUnits.front();
}

std::string lengthText(Picoseconds t, int digits)
{
  if (t == Picoseconds{0})
    return "0 s";
  TimeUnit unit = unitFor(t);
  double value = static_cast<double>(t.count()) / powerOfTen(unit.power);
  // 999.96 ns rounds to 1000 ns at four digits: then the next unit says it better.
  if (unit.power < 12 && std::abs(value) >= 1000.0 - 0.5 * std::pow(10.0, 3 - digits)) {
    unit = unitFor(Picoseconds{static_cast<std::int64_t>(powerOfTen(unit.power + 3))});
    value /= 1000.0;
  }
  if (unit.power == 0)
    return fmt::format("{} ps", t.count());
  return fmt::format("{} {}", significant(value, digits), unit.symbol);
}

std::optional<double> parseFrequency(std::string_view text)
{
  const auto trim = [](std::string_view t) {
    while (!t.empty() && t.front() == ' ')
      t.remove_prefix(1);
    while (!t.empty() && t.back() == ' ')
      t.remove_suffix(1);
    return t;
  };
  text = trim(text);
  double factor = 1.0;
  std::string lower(text);
  for (char& c : lower)
    c = static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
  for (const std::string_view unit : {"hz", "s/s", "sa/s", "sps"}) {
    if (!lower.ends_with(unit))
      continue;
    text.remove_suffix(unit.size());
    switch (text.empty() ? ' ' : text.back()) {
      case 'k':
      case 'K':
        factor = 1e3;
        break;
      case 'M':
      case 'm':  // nobody means a thousandth of a sample
        factor = 1e6;
        break;
      case 'G':
      case 'g':
        factor = 1e9;
        break;
      default:
        break;
    }
    text.remove_suffix(factor == 1.0 ? 0 : 1);
    break;
  }
  const auto number = parseNumber(trim(text));
  return number && *number > 0.0 ? std::optional(*number * factor) : std::nullopt;
}

std::string frequencyText(double hertz, int digits)
{
  if (!(hertz > 0.0) || !std::isfinite(hertz))
    return "–";
  static constexpr std::array<const char*, 5> kNames{{"mHz", "Hz", "kHz", "MHz", "GHz"}};
  double value = hertz * 1e3;
  std::size_t unit = 0;
  while (unit + 1 < kNames.size() && value >= 1000.0 - 0.5 * std::pow(10.0, 3 - digits)) {
    value /= 1000.0;
    ++unit;
  }
  return fmt::format("{} {}", significant(value, digits), kNames.at(unit));
}

namespace {

/// Decimal digits with at most one point, times 10^power, rounded to whole ones; nullopt for what is written otherwise.
/// Requires: the result is below 10^19.
std::optional<std::int64_t> exactly(std::string_view number, int power)
{
  const bool negative = number.starts_with('-');
  number.remove_prefix(negative ? 1 : 0);
  const std::size_t point = std::min(number.find('.'), number.size());
  std::string digits(number.substr(0, point));
  std::string_view fraction = point < number.size() ? number.substr(point + 1) : std::string_view();
  if ((digits + std::string(fraction)).find_first_not_of("0123456789") != std::string::npos)
    return std::nullopt;
  const auto places = static_cast<std::size_t>(power);
  digits += fraction.substr(0, places);
  digits.append(places - std::min(places, fraction.size()), '0');
  std::int64_t value = 0;
  for (const char digit : digits)
    value = value * 10 + (digit - '0');
  if (fraction.size() > places && fraction[places] >= '5')
    ++value;
  return negative ? -value : value;
}

}  // namespace

Result<Picoseconds> parseTime(std::string_view text)
{
  double value = 0.0;
  const char* end = text.data() + text.size();
  const auto [rest, code] = std::from_chars(text.data(), end, value);
  const std::string_view number(text.data(), static_cast<std::size_t>(rest - text.data()));
  std::string_view unit(rest, static_cast<std::size_t>(end - rest));
  while (!unit.empty() && unit.front() == ' ')
    unit.remove_prefix(1);
  int power = -1;
  if (unit.empty())
    power = 12;
  else if (unit == "us" || unit == "\u03bcs")  // the Greek letter; the micro sign stands in the table
    power = 6;
  for (const TimeUnit& known : kUnits) {
    if (unit == known.symbol)
      power = known.power;
  }
  if (code != std::errc{} || !std::isfinite(value) || power < 0)
    return fail(ErrorCode::BadArgument, say("'{}' is not a time", text), {},
                say("write a number and s, ms, us, ns or ps, like 12.5ms"));
  const double picoseconds = value * powerOfTen(power);
  if (std::abs(picoseconds) > 100.0 * 86400.0 * 1e12)
    return fail(ErrorCode::BadArgument, say("the time '{}' is longer than 100 days", text));
  // A double has 15 digits that are certain; a capture of an hour has 16.
  if (const auto exact = exactly(number, power))
    return Picoseconds{*exact};
  return Picoseconds{std::llround(picoseconds)};
}

}  // namespace bexto
