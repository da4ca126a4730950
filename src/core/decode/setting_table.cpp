#include "core/decode/setting_table.h"

#include <fmt/core.h>

#include <algorithm>
#include <array>

#include "core/base/number_text.h"
#include "core/base/say.h"
#include "core/base/time_text.h"

namespace bexto::setting {

namespace {
constexpr double kHighestRate = 1e9;
}

Result<void> badValue(const SettingSpec& spec, const std::string& value, const std::string& mend)
{
  return fail(ErrorCode::BadArgument, say("'{}' is no value for {}", value, spec.key), {}, mend);
}

std::size_t indexOf(const std::vector<std::string>& choices, const std::string& value)
{
  return static_cast<std::size_t>(std::find(choices.begin(), choices.end(), value) - choices.begin());
}

Result<void> checkChoice(const SettingSpec& spec, const std::string& value)
{
  if (spec.kind != SettingKind::Choice || indexOf(spec.choices, value) < spec.choices.size())
    return {};
  return badValue(spec, value, say("choose {}", spec.choicesText()));
}

Result<double> readRate(const SettingSpec& spec, const std::string& zero, const std::string& value)
{
  if (value == zero)
    return 0.0;
  const auto number = parseNumber(value);
  if (number && *number >= 1.0 && *number <= kHighestRate)
    return *number;
  return tl::unexpected(
      badValue(spec, value, say("write the bits a second from 1 to 1000000000, or {}", zero)).error());
}

std::string rateText(double rate, const std::string& zero)
{
  return rate == 0.0 ? zero : fmt::format("{}", rate);
}

Result<Picoseconds> readDuration(const SettingSpec& spec, Picoseconds longest, const std::string& mend,
                                 const std::string& value)
{
  const auto time = parseTime(value);
  if (time && *time >= Picoseconds{0} && *time <= longest)
    return *time;
  return tl::unexpected(badValue(spec, value, mend).error());
}

std::string durationText(Picoseconds t)
{
  static constexpr std::array<std::pair<std::int64_t, const char*>, 4> kSteps{
      {{1000000000, "ms"}, {1000000, "us"}, {1000, "ns"}, {1, "ps"}}};
  if (t == Picoseconds{0})
    return "0s";
  for (const auto& [step, unit] : kSteps) {
    if (t.count() % step == 0)
      return fmt::format("{}{}", t.count() / step, unit);
  }
  return "0s";
}

Result<double> readShare(const SettingSpec& spec, const std::string& value)
{
  const auto number = parseNumber(value);
  if (number && *number > 0.0 && *number < 1.0)
    return *number;
  return tl::unexpected(badValue(spec, value, say("write a share between 0 and 1, like 0.8")).error());
}

std::string shareText(double share)
{
  return fmt::format("{}", share);
}

}  // namespace bexto::setting
