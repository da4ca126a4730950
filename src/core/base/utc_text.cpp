// Tested by tests/core/text_test.cpp.
#include "core/base/utc_text.h"

#include <fmt/core.h>

#include <chrono>

#include "core/base/number_text.h"

namespace bexto {

namespace {

constexpr std::size_t kDateLength = 10;

/// A number of so many digits and nothing else.
std::optional<int> digits(std::string_view text, std::size_t at, std::size_t count)
{
  if (text.size() < at + count || text.substr(at, count).find_first_not_of("0123456789") != std::string_view::npos)
    return std::nullopt;
  return static_cast<int>(*parseInteger(text.substr(at, count)));
}

}  // namespace

std::optional<WidePicoseconds> parseDate(std::string_view text)
{
  const auto year = digits(text, 0, 4);
  const auto month = digits(text, 5, 2);
  const auto day = digits(text, 8, 2);
  if (text.size() != kDateLength || text[4] != '-' || text[7] != '-' || !year || !month || !day)
    return std::nullopt;
  const std::chrono::year_month_day date(std::chrono::year(*year), std::chrono::month(static_cast<unsigned>(*month)),
                                         std::chrono::day(static_cast<unsigned>(*day)));
  if (!date.ok())
    return std::nullopt;
  constexpr WidePicoseconds kDay = 86400 * kPicosecondsPerSecond;
  return kDay * std::chrono::sys_days(date).time_since_epoch().count();
}

std::string utcText(WidePicoseconds time)
{
  auto seconds = static_cast<std::int64_t>(time / kPicosecondsPerSecond);
  auto picoseconds = static_cast<std::int64_t>(time % kPicosecondsPerSecond);
  if (picoseconds < 0) {
    --seconds;
    picoseconds += static_cast<std::int64_t>(kPicosecondsPerSecond);
  }
  const std::chrono::sys_seconds moment{std::chrono::seconds{seconds}};
  const auto day = std::chrono::floor<std::chrono::days>(moment);
  const std::chrono::year_month_day date(day);
  const std::chrono::hh_mm_ss clock(moment - day);
  std::string text = fmt::format("{:04}-{:02}-{:02}T{:02}:{:02}:{:02}", static_cast<int>(date.year()),
                                 static_cast<unsigned>(date.month()), static_cast<unsigned>(date.day()),
                                 clock.hours().count(), clock.minutes().count(), clock.seconds().count());
  if (picoseconds != 0) {
    std::string decimals = fmt::format("{:012}", picoseconds);
    while (decimals.ends_with("000"))
      decimals.resize(decimals.size() - 3);
    text += '.' + decimals;
  }
  return text + 'Z';
}

std::optional<WidePicoseconds> parseUtc(std::string_view text)
{
  const auto day = parseDate(text.substr(0, kDateLength));
  const auto hour = digits(text, 11, 2);
  const auto minute = digits(text, 14, 2);
  const auto second = digits(text, 17, 2);
  if (!day || !hour || !minute || !second || *hour > 23 || *minute > 59 || *second > 60)
    return std::nullopt;
  if (text[10] != 'T' || text[13] != ':' || text[16] != ':' || text.back() != 'Z')
    return std::nullopt;
  std::string_view decimals = text.substr(19, text.size() - 20);
  std::int64_t picoseconds = 0;
  if (!decimals.empty()) {
    decimals.remove_prefix(1);
    if (text[19] != '.' || decimals.empty() || decimals.size() > 12)
      return std::nullopt;
    const std::string padded = fmt::format("{:0<12}", decimals);
    const auto high = digits(padded, 0, 6);
    const auto low = digits(padded, 6, 6);
    if (!high || !low)
      return std::nullopt;
    picoseconds = std::int64_t{*high} * 1000000 + *low;
  }
  return *day + (WidePicoseconds{*hour} * 3600 + *minute * 60 + *second) * kPicosecondsPerSecond + picoseconds;
}

}  // namespace bexto
