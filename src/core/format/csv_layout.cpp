// Tested by tests/core/csv_layout_test.cpp.
#include "core/format/csv_layout.h"

#include <fmt/core.h>

#include <algorithm>
#include <array>
#include <cctype>
#include <cmath>
#include <map>
#include <optional>
#include <utility>

#include "core/base/number_text.h"
#include "core/base/say.h"
#include "core/base/time_text.h"

namespace bexto {

namespace {

/// The number with which the text begins, and what is behind it.
std::optional<double> leadingNumber(std::string_view text, char decimal, std::string_view& rest)
{
  std::string number;
  std::size_t at = 0;
  for (; at < text.size(); ++at) {
    const char c = text[at];
    const bool sign = (c == '-' || c == '+') && (at == 0 || text[at - 1] == 'e' || text[at - 1] == 'E');
    if (std::isdigit(static_cast<unsigned char>(c)) == 0 && c != decimal && !sign &&
        !(at > 0 && (c == 'e' || c == 'E')))
      break;
    if (!(c == '+' && at == 0))
      number += c == decimal ? '.' : c;
  }
  rest = csvTrimmed(text.substr(at));
  return parseNumber(number);
}

bool isNumber(std::string_view field, char decimal)
{
  std::string_view rest;
  return leadingNumber(field, decimal, rest) && rest.empty();
}

bool isTime(std::string_view field, char decimal)
{
  CsvTime time;
  return readCsvTime(field, decimal, 12, time);
}

/// A field that a row of values can have.
bool isValue(std::string_view field, char decimal)
{
  return csvLevel(field) != 2 || isNumber(field, decimal) || isTime(field, decimal);
}

/// A row of values says something that is no text: a time, a number or a level.
bool isRow(const std::vector<std::string>& fields, char decimal)
{
  bool says = false;
  for (const std::string& field : fields) {
    if (!isValue(field, decimal))
      return false;
    says = says ||
           std::any_of(field.begin(), field.end(),
                       [](char c) { return std::isdigit(static_cast<unsigned char>(c)) != 0; }) ||
           csvLevel(field) == 0 || csvLevel(field) == 1;
  }
  return says;
}

/// The rows of a text, told apart by one separator.
struct Rows {
  char separator = ',';
  char decimal = '.';
  std::size_t head = 0;                        ///< lines before the first row
  std::vector<std::vector<std::string>> rows;  ///< without empty lines
  std::vector<std::vector<std::string>> before;
};

bool isComment(std::string_view line)
{
  return csvTrimmed(line).starts_with('#');
}

/// From the first row on that has as many fields as most have. What is no row further down is no part of the head:
/// whoever reads the file says so.
template <typename IsRow>
std::optional<Rows> rowsBy(const std::vector<std::string_view>& lines, char separator, char decimal, const IsRow& isRow)
{
  std::vector<std::vector<std::string>> split;
  std::vector<std::size_t> number;
  std::map<std::size_t, std::size_t> rowsWith;  // by their count of fields
  for (std::size_t i = 0; i < lines.size(); ++i) {
    if (csvTrimmed(lines[i]).empty())
      continue;
    split.push_back(csvFields(lines[i], separator));
    number.push_back(i);
    if (!isComment(lines[i]) && isRow(split.back(), decimal))
      ++rowsWith[split.back().size()];
  }
  if (rowsWith.empty())
    return std::nullopt;
  const std::size_t fields = std::max_element(rowsWith.begin(), rowsWith.end(), [](const auto& x, const auto& y) {
                               return x.second < y.second;
                             })->first;
  Rows found{separator, decimal, lines.size(), {}, {}};
  for (std::size_t i = 0; i < split.size(); ++i) {
    if (split[i].size() == fields && !isComment(lines[number[i]]) && isRow(split[i], decimal)) {
      found.head = std::min(found.head, number[i]);
      found.rows.push_back(std::move(split[i]));
    } else if (found.rows.empty()) {
      found.before.push_back(std::move(split[i]));
    }
  }
  return found;
}

/// A row whose first field is a time or a number, whatever else is in it.
bool beginsLikeRow(const std::vector<std::string>& fields, char decimal)
{
  return isNumber(fields.front(), decimal) || isTime(fields.front(), decimal);
}

/// The separator that makes the most of the lines: most fields in the rows, and more rows before fewer.
template <typename IsRow>
std::optional<Rows> bestRows(const std::vector<std::string_view>& lines, const IsRow& isRow)
{
  std::optional<Rows> best;
  std::pair<std::size_t, std::size_t> score;
  // A decimal comma is looked for where the comma separates nothing; a blank separates when nothing else does.
  constexpr std::array<std::pair<char, char>, 8> kWays{
      {{',', '.'}, {';', '.'}, {'\t', '.'}, {'|', '.'}, {';', ','}, {'\t', ','}, {'|', ','}, {' ', '.'}}};
  for (const auto& [separator, decimal] : kWays) {
    auto rows = rowsBy(lines, separator, decimal, isRow);
    if (!rows || (separator == ' ' && best))
      continue;
    const std::pair<std::size_t, std::size_t> scored{rows->rows.front().size() > 1 ? 1 : 0, rows->rows.size()};
    if (best && scored <= score)
      continue;
    best = std::move(rows);
    score = scored;
  }
  return best;
}

/// "time [ns]" is "time" in ns; also "time (ns)", "time/ns", "time_ns", "time, ns" and "ns".
std::optional<int> unitIn(std::string_view name)
{
  std::string text = csvLower(name);
  while (!text.empty() && (text.back() == ']' || text.back() == ')'))
    text.pop_back();
  const std::size_t before = text.find_last_of("[(/_, ");
  return csvTimeUnit(before == std::string::npos ? text : text.substr(before + 1));
}

bool namesTime(std::string_view name)
{
  std::string text = csvLower(name);
  text = text.substr(0, text.find_first_of("[(/_,- "));
  return text == "time" || text == "t" || text == "timestamp" || text == "seconds" || text == "zeit" ||
         text == "temps" || text == "tiempo" || (csvTimeUnit(text).has_value() && text.size() > 1);
}

bool namesNumber(std::string_view name)
{
  const std::string text = csvLower(name);
  return text == "sample" || text == "samples" || text == "index" || text == "n" || text == "no" || text == "#" ||
         text == "row" || text == "number" || text == "sample number" || text == "sample index";
}

/// What the head says of the rate: "Sample rate: 4 MHz", "sample interval,2.5e-07".
double rateIn(const std::vector<std::vector<std::string>>& head, char decimal)
{
  for (const auto& fields : head) {
    std::string joined;
    for (const std::string& field : fields)
      joined += (joined.empty() ? "" : " ") + field;
    const std::string text = csvLower(joined);
    const bool rate = text.find("rate") != std::string::npos || text.find("frequency") != std::string::npos;
    const bool period = text.find("interval") != std::string::npos || text.find("period") != std::string::npos;
    const std::size_t digit = text.find_first_of("0123456789");
    if (rate == period || digit == std::string::npos || text.find("sampl") == std::string::npos)
      continue;
    std::string_view rest;
    const auto number = leadingNumber(std::string_view(text).substr(digit), decimal, rest);
    std::string unit(rest.substr(0, rest.find_first_of(" ,;)]")));
    if (unit.empty()) {
      // "sample rate [MHz]: 4"
      const std::size_t open = text.find_first_of("[(");
      if (open < digit)
        unit = text.substr(open + 1, text.find_first_of("])", open) - open - 1);
    }
    if (!number || !(*number > 0))
      continue;
    if (rate)
      return parseFrequency(fmt::format("{} {}", *number, unit)).value_or(*number);
    return std::pow(10.0, 12 - csvTimeUnit(unit).value_or(12)) / *number;
  }
  return 0;
}

std::string_view withoutBrackets(std::string_view unit)
{
  unit = csvTrimmed(unit);
  return unit.size() > 1 && (unit.front() == '[' || unit.front() == '(') ? unit.substr(1, unit.size() - 2) : unit;
}

std::string_view withoutHash(std::string_view name)
{
  name = csvTrimmed(name);
  if (name.size() > 1 && name.front() == '#')
    name.remove_prefix(1);
  return csvTrimmed(name);
}

/// Names and units that stand above the rows.
void nameColumns(const Rows& table, CsvLayout& layout, std::vector<std::string>& units)
{
  const std::size_t fields = table.rows.front().size();
  layout.columns.resize(fields);
  units.assign(fields, {});
  std::vector<const std::vector<std::string>*> above;
  for (auto line = table.before.rbegin(); line != table.before.rend() && above.size() < 2; ++line) {
    if (line->size() != fields)
      break;
    above.push_back(&*line);
  }
  const auto areUnits = [](const std::vector<std::string>& line) {
    return !line.empty() && csvTimeUnit(csvLower(withoutBrackets(line.front()))) &&
           std::all_of(line.begin() + 1, line.end(),
                       [](const std::string& f) { return withoutBrackets(f).size() <= 2; });
  };
  if (!above.empty() && above.size() == 2 && areUnits(*above.front())) {
    units = *above.front();
    above.erase(above.begin());
  }
  for (std::size_t i = 0; i < fields; ++i) {
    if (!above.empty())
      layout.columns[i].name = i == 0 ? std::string(withoutHash((*above.front())[0])) : (*above.front())[i];
  }
}

/// Whether a column's fields are levels, and one says a level. A number that is none makes it a column of numbers.
bool isLevels(const Rows& table, std::size_t column)
{
  bool says = false;
  for (const auto& row : table.rows) {
    const int level = csvLevel(row[column]);
    if (level == 2)
      return false;
    says = says || level >= 0;
  }
  return says;
}

/// Whether the column can be the times of the rows: times that never fall, and not all alike.
bool canBeTime(const Rows& table, std::size_t column)
{
  std::optional<WidePicoseconds> last;
  bool rises = table.rows.size() == 1;
  for (const auto& row : table.rows) {
    CsvTime time;
    if (!readCsvTime(row[column], table.decimal, 12, time) || (last && time.picoseconds < *last))
      return false;
    rises = rises || (last && time.picoseconds > *last);
    last = time.picoseconds;
  }
  return rises;
}

std::size_t timeColumn(const Rows& table, const CsvLayout& layout, double rate)
{
  const std::size_t none = layout.columns.size();
  std::size_t found = none;
  for (std::size_t i = 0; i < layout.columns.size(); ++i) {
    const std::string& name = layout.columns[i].name;
    // A row that is out of order is for whoever reads them all to say.
    CsvTime first;
    if (namesTime(name) && readCsvTime(table.rows.front()[i], table.decimal, 12, first))
      return i;
    if (!canBeTime(table, i))
      continue;
    // Numbers of samples are times only when nobody knows how far apart they are.
    const bool counts = namesNumber(name) && rate > 0;
    if (found == none && !counts && !isLevels(table, i))
      found = i;
  }
  return found;
}

std::string defaultName(std::size_t number)
{
  return "D" + std::to_string(number);
}

}  // namespace

std::size_t CsvLayout::count(CsvUse use) const
{
  return static_cast<std::size_t>(
      std::count_if(columns.begin(), columns.end(), [use](const CsvColumn& c) { return c.use == use; }));
}

bool CsvLayout::isUntimed() const
{
  return count(CsvUse::Level) > 0 && count(CsvUse::Time) == 0 && !(rate > 0);
}

std::string CsvLayout::problem() const
{
  if (count(CsvUse::Level) == 0)
    return say("no column holds levels");
  if (count(CsvUse::Time) > 1)
    return say("more than one column is the time");
  if (isUntimed())
    return say("no column is the time, and the rate of the samples is not said");
  return {};
}

namespace {

/// `rowsOf` finds the rows in lines.
template <typename RowsOf>
Result<CsvLayout> layoutBy(std::string_view begin, bool whole, double rate, const RowsOf& rowsOf)
{
  if (begin.starts_with("\xff\xfe") || begin.starts_with("\xfe\xff"))
    return fail(ErrorCode::Malformed, say("the text is in UTF-16"), {}, say("save it as UTF-8"));
  if (begin.starts_with("\xef\xbb\xbf"))
    begin.remove_prefix(3);
  const auto lines = csvLines(begin, whole);
  const auto table = begin.find('\0') == std::string_view::npos ? rowsOf(lines) : std::nullopt;
  if (!table)
    return fail(ErrorCode::Malformed, say("there are no rows of values"), {},
                say("rows need a time and levels, all with as many fields, like 0.0015,0,1"));
  CsvLayout layout;
  layout.separator = table->separator;
  layout.decimal = table->decimal;
  layout.headLines = table->head;
  std::vector<std::string> units;
  nameColumns(*table, layout, units);
  layout.rate = rate > 0 ? rate : rateIn(table->before, table->decimal);
  const std::size_t time = timeColumn(*table, layout, layout.rate);
  std::size_t levels = 0;
  for (std::size_t i = 0; i < layout.columns.size(); ++i) {
    CsvColumn& column = layout.columns[i];
    column.use = i == time ? CsvUse::Time : isLevels(*table, i) ? CsvUse::Level : CsvUse::Ignored;
    // Numbers of rows that begin with 0 and 1 are none.
    if (i != time && namesNumber(column.name))
      column.use = CsvUse::Ignored;
    if (column.name.empty())
      column.name = i == time ? say("time") : defaultName(levels);
    levels += column.use == CsvUse::Level ? 1 : 0;
  }
  if (time < layout.columns.size()) {
    auto unit = unitIn(layout.columns[time].name);
    if (!unit)
      unit = csvTimeUnit(csvLower(withoutBrackets(units[time])));
    layout.unitPower = unit.value_or(12);
    layout.unitKnown = unit.has_value();
  }
  return layout;
}

}  // namespace

Result<CsvLayout> guessCsvLayout(std::string_view begin, bool whole, double rate)
{
  return layoutBy(begin, whole, rate, [](const auto& lines) {
    // Where there are no rows of values only, columns of other things are passed over.
    auto rows = bestRows(lines, isRow);
    return rows ? std::move(rows) : bestRows(lines, beginsLikeRow);
  });
}

Result<CsvLayout> guessCsvLayout(std::string_view begin, bool whole, double rate, char separator, char decimal)
{
  return layoutBy(begin, whole, rate, [&](const auto& lines) {
    auto rows = rowsBy(lines, separator, decimal, isRow);
    return rows ? std::move(rows) : rowsBy(lines, separator, decimal, beginsLikeRow);
  });
}

bool looksLikeCsv(std::string_view begin)
{
  const auto odd = [](char c) { return static_cast<unsigned char>(c) < ' ' && c != '\t' && c != '\r' && c != '\n'; };
  if (std::any_of(begin.begin(), begin.end(), odd))
    return false;
  // Of a file that is cut behind its first bytes the last line is a part, and there may be no other.
  constexpr std::size_t kPartial = 4096;
  const auto layout = guessCsvLayout(begin, begin.size() < kPartial, 0);
  return layout && layout->columns.size() > 1;
}

}  // namespace bexto
