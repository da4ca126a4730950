// Tested by tests/core/csv_layout_test.cpp.
#include "core/format/csv_fields.h"

#include <algorithm>
#include <array>
#include <cctype>
#include <chrono>

#include "core/base/number_text.h"

namespace bexto {

namespace {

struct NamedPower {
  std::string_view name;
  int power;
};

/// In units of picoseconds.
constexpr std::array<NamedPower, 14> kUnits{{{"s", 12},
                                             {"sec", 12},
                                             {"secs", 12},
                                             {"second", 12},
                                             {"seconds", 12},
                                             {"ms", 9},
                                             {"us", 6},
                                             {"µs", 6},
                                             {"μs", 6},
                                             {"ns", 3},
                                             {"ps", 0},
                                             {"nanoseconds", 3},
                                             {"microseconds", 6},
                                             {"milliseconds", 9}}};

}  // namespace

std::string csvLower(std::string_view text)
{
  std::string out(text);
  for (char& c : out)
    c = static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
  return out;
}

std::string_view csvTrimmed(std::string_view text)
{
  while (!text.empty() && (text.front() == ' ' || text.front() == '\t'))
    text.remove_prefix(1);
  while (!text.empty() && (text.back() == ' ' || text.back() == '\t' || text.back() == '\r'))
    text.remove_suffix(1);
  return text;
}

std::optional<int> csvTimeUnit(std::string_view name)
{
  const auto found =
      std::find_if(kUnits.begin(), kUnits.end(), [&](const NamedPower& unit) { return unit.name == name; });
  return found == kUnits.end() ? std::nullopt : std::optional<int>(found->power);
}

std::vector<std::string_view> csvLines(std::string_view text, bool whole)
{
  std::vector<std::string_view> lines;
  while (!text.empty()) {
    const std::size_t end = text.find('\n');
    if (end == std::string_view::npos && !whole)
      break;
    std::string_view line = text.substr(0, end);
    if (!line.empty() && line.back() == '\r')
      line.remove_suffix(1);
    lines.push_back(line);
    text.remove_prefix(end == std::string_view::npos ? text.size() : end + 1);
  }
  return lines;
}

std::vector<std::string> csvFields(std::string_view line, char separator)
{
  std::vector<std::string> fields;
  if (separator == ' ')
    line = csvTrimmed(line);
  for (std::size_t at = 0;; ++at) {
    std::string field;
    while (at < line.size() && line[at] == ' ')
      ++at;
    if (at < line.size() && line[at] == '"') {
      for (++at; at < line.size(); ++at) {
        if (line[at] == '"' && at + 1 < line.size() && line[at + 1] == '"')
          ++at;
        else if (line[at] == '"')
          break;
        field += line[at];
      }
      at = std::min(line.find(separator, std::min(at, line.size())), line.size());
      fields.push_back(std::move(field));
    } else {
      const std::size_t end = std::min(line.find(separator, at), line.size());
      fields.emplace_back(csvTrimmed(line.substr(at, end - at)));
      at = end;
    }
    if (at >= line.size())
      return fields;
  }
}

int csvLevel(std::string_view field)
{
  if (field.size() == 1) {
    switch (field.front()) {
      case '0':
      case 'L':
      case 'l':
        return 0;
      case '1':
      case 'H':
      case 'h':
        return 1;
      case 'x':
      case 'X':
      case 'z':
      case 'Z':
      case 'u':
      case 'U':
      case '-':
      case '?':
        return -1;
      default:
        return 2;
    }
  }
  if (field.empty())
    return -1;
  // 1.0 and 0,000 as programs that know numbers only write them.
  if (field.size() > 2 && (field[0] == '0' || field[0] == '1') && (field[1] == '.' || field[1] == ',') &&
      field.find_first_not_of('0', 2) == std::string_view::npos)
    return field[0] - '0';
  constexpr std::size_t kLongest = 5;
  if (field.size() > kLongest)
    return 2;
  const std::string word = csvLower(field);
  if (word == "low" || word == "false" || word == "off")
    return 0;
  return word == "high" || word == "true" || word == "on" ? 1 : 2;
}

namespace {

/// "2031-03-17 06:12:00.000001", with a T between and a Z behind if wanted (ISO 8601): since 1970. What is behind the
/// seconds but a Z is not understood. False: it is none.
bool readDateTime(std::string_view field, char decimal, CsvTime& time)
{
  constexpr std::size_t kDate = 10;
  if (field.size() < kDate + 2 || (field[kDate] != ' ' && field[kDate] != 'T'))
    return false;
  const auto date = parseDate(field.substr(0, kDate));
  std::string_view clock = field.substr(kDate + 1);
  if (clock.ends_with('Z'))
    clock.remove_suffix(1);
  if (!date || clock.find(':') == std::string_view::npos || clock.front() == '-' ||
      !readCsvTime(clock, decimal, 12, time))
    return false;
  time.picoseconds += *date;
  return true;
}

}  // namespace

bool readCsvTime(std::string_view field, char decimal, int unitPower, CsvTime& time)
{
  if (readDateTime(field, decimal, time))
    return true;
  constexpr int kMostDigits = 30;
  const bool negative = !field.empty() && field.front() == '-';
  std::size_t at = negative || (!field.empty() && field.front() == '+') ? 1 : 0;
  WidePicoseconds value = 0;
  WidePicoseconds sum = 0;  // of hours and minutes, in seconds
  int decimals = 0;
  int digits = 0;
  int colons = 0;
  bool behindPoint = false;
  for (; at < field.size(); ++at) {
    const char c = field[at];
    if (c >= '0' && c <= '9') {
      if (digits < kMostDigits) {
        value = value * 10 + (c - '0');
        digits += digits > 0 || c != '0' ? 1 : 0;
        decimals += behindPoint ? 1 : 0;
      } else if (!behindPoint) {
        return false;
      }
      // A digit was there, though it may have been a 0 that counts for nothing.
      colons |= 8;
    } else if (c == decimal && !behindPoint) {
      behindPoint = true;
    } else if (c == ':' && !behindPoint && (colons & 8) != 0 && (colons & 7) < 2) {
      sum = (sum + value) * 60;
      value = 0;
      digits = 0;
      colons = (colons & 7) + 1;
    } else {
      break;
    }
  }
  if ((colons & 8) == 0)
    return false;
  int power = (colons & 7) > 0 ? 12 : unitPower;
  if (at < field.size() && (field[at] == 'e' || field[at] == 'E') && (colons & 7) == 0) {
    std::string_view exponent = field.substr(at + 1);
    if (!exponent.empty() && exponent.front() == '+')
      exponent.remove_prefix(1);
    const auto e = parseInteger(exponent);
    constexpr int kMost = 40;
    if (!e || *e > kMost || *e < -kMost)
      return false;
    decimals -= static_cast<int>(*e);
    at = field.size();
  }
  if (at < field.size()) {
    const auto unit = csvTimeUnit(csvLower(csvTrimmed(field.substr(at))));
    if (!unit || (colons & 7) > 0)
      return false;
    power = *unit;
  }
  const int shift = power - decimals;
  // Hours and minutes are far below what fits: two fields of thirty digits are not.
  constexpr WidePicoseconds kMost = static_cast<WidePicoseconds>(1) << 100U;
  if (sum > kMost / 1000000000000)
    return false;
  for (int i = 0; i < shift; ++i) {
    if (value > kMost / 10)
      return false;
    value *= 10;
  }
  for (int i = shift; i < 0; ++i)
    value = i == -1 ? (value + 5) / 10 : value / 10;
  value += sum * 1000000000000;
  time.picoseconds = negative ? -value : value;
  time.finest = shift;
  return value <= kMost;
}

}  // namespace bexto
