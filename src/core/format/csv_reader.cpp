// Tested by tests/core/csv_reader_test.cpp.
//
// Long files change little from row to row, so the text behind the time is compared with that of the row before first:
// the same text means the same levels. Only what differs is taken apart.
#include "core/format/csv_reader.h"

#include <fmt/core.h>

#include <array>
#include <cstring>
#include <filesystem>
#include <optional>
#include <unordered_map>

#include "core/base/input_file.h"
#include "core/base/number_text.h"
#include "core/base/say.h"
#include "core/format/eight_characters.h"
#include "core/signal/edge_track_builder.h"
#include "core/signal/sample_clock.h"

namespace bexto {

namespace {

constexpr std::size_t kPiece = std::size_t{1} << 20U;
constexpr std::size_t kLongestLine = kPiece / 2;
/// Half of what Picoseconds reach, as in all readers.
constexpr std::int64_t kLatest = kNever.count() / 2;

/// Powers of ten, for where a function call would cost more than what is done with them.
constexpr std::array<std::int64_t, 19> kTens = [] {
  std::array<std::int64_t, 19> tens{1};
  for (std::size_t i = 1; i < tens.size(); ++i)
    tens[i] = tens[i - 1] * 10;
  return tens;
}();

/// Adds the digits from `at` on to a number, eight at a time. Requires: eight bytes can be read wherever one of
/// `digits` is left.
const char* addDigits(const char* at, std::int64_t& value, unsigned& digits)
{
  constexpr unsigned kMostDigits = 18;
  for (;;) {
    const EightCharacters eight = readEight(at);
    digits += eight.digits;
    if (eight.digits == 0 || digits > kMostDigits)
      return at;
    value = value * kTens[eight.digits] + static_cast<std::int64_t>(eight.number);
    at += eight.digits;
    if (eight.digits < 8)
      return at;
  }
}

/// A time of the usual form, "12.000345" and a separator behind it: its digits as one number. nullptr: not of that
/// form. Requires: 32 bytes can be read.
const char* plainTime(const char* at, char decimal, char separator, std::int64_t& value, int& decimals)
{
  constexpr unsigned kMostDigits = 18;
  unsigned digits = 0;
  value = 0;
  at = addDigits(at, value, digits);
  const unsigned whole = digits;
  if (*at == decimal)
    at = addDigits(at + 1, value, digits);
  if (*at != separator || digits == 0 || digits > kMostDigits)
    return nullptr;
  decimals = static_cast<int>(digits - whole);
  return at;
}

class CsvParser {
 public:
  CsvParser(std::string source, CsvLayout layout) : m_source(std::move(source)), m_layout(std::move(layout))
  {
    for (std::size_t i = 0; i < m_layout.columns.size(); ++i) {
      const CsvColumn& column = m_layout.columns[i];
      m_wire.push_back(column.use == CsvUse::Level ? static_cast<int>(m_builders.size()) : -1);
      if (column.use == CsvUse::Time)
        m_timeColumn = i;
      if (column.use == CsvUse::Level)
        m_builders.emplace_back();
    }
    m_levels.assign(m_builders.size(), -1);
    if (m_timeColumn == kNone)
      m_clock.emplace(m_layout.rate);
    m_timeFirst = m_timeColumn == 0 && m_layout.separator != ' ';
  }

  /// Takes whole lines. Errors: Malformed.
  Result<void> take(std::string_view text)
  {
    const char* at = text.data();
    const char* const end = at + text.size();
    m_textEnd = end;
    while (at < end) {
      const auto* newline = static_cast<const char*>(std::memchr(at, '\n', static_cast<std::size_t>(end - at)));
      const char* const lineEnd = newline == nullptr ? end : newline;
      ++m_line;
      if (m_line > m_layout.headLines) {
        const char* stop = lineEnd;
        if (stop > at && stop[-1] == '\r')
          --stop;
        if (!row(at, stop))
          return tl::unexpected(m_error);
      }
      at = newline == nullptr ? end : newline + 1;
    }
    return {};
  }

  /// The last line of a file, without an end: it may be cut.
  Result<void> takeLast(std::string_view line)
  {
    if (line.find_first_not_of(" \t\r") == std::string_view::npos)
      return {};
    if (m_rows > 0 && csvFields(line, m_layout.separator).size() < m_layout.columns.size()) {
      note(say("the last line is cut; it is passed over"));
      return {};
    }
    return take(line);
  }

  void note(std::string text) { m_notes.push_back(std::move(text)); }

  Result<Capture> capture()
  {
    if (m_rows == 0)
      return fail(ErrorCode::Malformed, say("there are no rows of values"), m_source,
                  say("rows need a time and levels, all with as many fields, like 0.0015,0,1"));
    Capture capture;
    capture.source = m_source;
    capture.end = Picoseconds{m_last};
    if (m_clock) {
      capture.rate = m_layout.rate;
      capture.tick = Picoseconds{std::max<std::int64_t>(1, std::llround(1e12 / m_layout.rate))};
    } else {
      capture.tick = Picoseconds{tenToThe(std::clamp(m_finest, 0, 12))};
      // Even times alone may be those of the edges of a clock.
      if (m_even && m_same > 1)
        capture.rate = static_cast<double>(m_rows - 1) * 1e12 / static_cast<double>(m_last - m_first);
      if (m_origin < 0 && -m_origin <= kLatest)
        capture.trigger = Picoseconds{static_cast<std::int64_t>(-m_origin)};
      if (!m_layout.unitKnown && !m_ownUnits)
        m_notes.push_back(say("the times say no unit; they are read as {}", unitName()));
    }
    std::unordered_map<std::string, int> names;
    std::size_t ignored = 0;
    for (std::size_t i = 0; i < m_layout.columns.size(); ++i) {
      const CsvColumn& column = m_layout.columns[i];
      ignored += column.use == CsvUse::Ignored ? 1 : 0;
      if (m_wire[i] < 0)
        continue;
      std::string path = column.name.empty() ? fmt::format("D{}", m_wire[i]) : column.name;
      for (int n = names[path]++; n > 0; n = 0)
        path += fmt::format("#{}", n + 1);
      capture.channels.push_back({std::move(path), {}, m_builders[static_cast<std::size_t>(m_wire[i])].snapshot()});
    }
    groupNumbers(capture);
    nameChannels(capture);
    if (ignored > 0)
      m_notes.push_back(counted(ignored, {"{} column that holds no levels is passed over",
                                          "{} columns that hold no levels are passed over"}));
    capture.notes = std::move(m_notes);
    return capture;
  }

 private:
  static constexpr std::size_t kNone = ~std::size_t{0};

  bool fault(std::string message, std::string mend)
  {
    m_error = {ErrorCode::Malformed, std::move(message), say("{}, line {}", m_source, m_line), std::move(mend)};
    return false;
  }

  std::string unitName() const
  {
    return m_layout.unitPower == 12 ? say("seconds") : fmt::format("10^{} s", m_layout.unitPower - 12);
  }

  bool row(const char* at, const char* end)
  {
    if (at == end)
      return true;
    std::int64_t now = 0;
    if (m_clock) {
      if (m_rows > m_clock->most())
        return fault(say("it is longer than the 53 days that a capture can have"), say("give a higher rate"));
      now = m_clock->timeOf(m_rows);
    } else if (m_timeFirst) {
      std::int64_t mantissa = 0;
      int decimals = 0;
      constexpr std::ptrdiff_t kMargin = 32;
      const char* const behind =
          m_textEnd - at < kMargin ? nullptr : plainTime(at, m_layout.decimal, m_layout.separator, mantissa, decimals);
      // Seconds with twelve decimals are whole picoseconds; that far the number needs no second look.
      const int shift = m_layout.unitPower - decimals;
      constexpr std::int64_t kMostSeconds = kLatest / 1000000000000;
      if (behind != nullptr && behind < end && shift >= 0 && m_rows > 0 && m_origin == 0 && shift <= 12 &&
          mantissa <= kMostSeconds * kTens[static_cast<std::size_t>(12 - shift)]) {
        now = mantissa * kTens[static_cast<std::size_t>(shift)];
        m_finest = std::min(m_finest, shift);
        return timed(now) && levels(behind + 1, end, 1, now);
      }
    }
    return slowRow({at, static_cast<std::size_t>(end - at)}, now);
  }

  /// Any time, in any column.
  bool slowRow(std::string_view line, std::int64_t now)
  {
    // Blank lines and comments are no rows.
    const std::size_t word = line.find_first_not_of(" \t");
    if (word == std::string_view::npos || line[word] == '#')
      return true;
    if (m_clock)
      return count(now) && levels(line.data(), line.data() + line.size(), 0, now);
    const auto fields = csvFields(line, m_layout.separator);
    if (fields.size() != m_layout.columns.size())
      return wrongCount(fields.size());
    CsvTime time;
    const std::string& field = fields[m_timeColumn];
    if (!readCsvTime(field, m_layout.decimal, m_layout.unitPower, time))
      return fault(say("'{}' is no time", field), say("check which column is the time"));
    if (m_rows == 0) {
      m_ownUnits = field.find_first_not_of("0123456789+-eE.,") != std::string::npos;
      if (time.picoseconds < 0 || time.picoseconds > kLatest / 2)
        m_origin = time.picoseconds;
    }
    const WidePicoseconds since = time.picoseconds - m_origin;
    if (since > kLatest)
      return fault(say("it is longer than the 53 days that a capture can have"), say("check the unit of the times"));
    now = static_cast<std::int64_t>(std::max<WidePicoseconds>(since, -1));
    m_finest = std::min(m_finest, time.finest);
    if (!timed(now))
      return false;
    m_before.clear();
    for (std::size_t i = 0; i < fields.size(); ++i) {
      if (!level(i, fields[i], now))
        return false;
    }
    return true;
  }

  bool wrongCount(std::size_t fields)
  {
    return fault(say("there are {} fields, and {} above", fields, m_layout.columns.size()),
                 say("remove the line, or check the separator"));
  }

  bool count(std::int64_t now)
  {
    ++m_rows;
    m_last = now;
    return true;
  }

  bool timed(std::int64_t now)
  {
    if (m_rows == 0) {
      m_first = now;
    } else {
      const std::int64_t step = now - m_last;
      if (step < 0)
        return fault(say("the time goes back"), say("sort the rows by their time"));
      if (m_rows == 1)
        m_step = step;
      // As far as the last digit may be rounded.
      m_even = m_even && step > 0 &&
               std::abs(step - m_step) <= kTens[static_cast<std::size_t>(std::clamp(m_finest, 0, 12))] &&
               10 * std::abs(step - m_step) <= m_step;
    }
    return count(now);
  }

  bool level(std::size_t column, std::string_view field, std::int64_t now)
  {
    const int wire = m_wire[column];
    if (wire < 0)
      return true;
    const int value = csvLevel(field);
    if (value == 2)
      return fault(say("'{}' in column {} is no level", field, column + 1),
                   say("levels are 0 and 1, low and high; x, z, - and nothing keep the last one"));
    auto& last = m_levels[static_cast<std::size_t>(wire)];
    if (value >= 0 && value != last) {
      last = static_cast<signed char>(value);
      // Before the first known level a wire has that one.
      m_builders[static_cast<std::size_t>(wire)].set(now, value == 1);
    }
    return true;
  }

  bool levels(const char* at, const char* end, std::size_t column, std::int64_t now)
  {
    const std::string_view rest(at, static_cast<std::size_t>(end - at));
    if (!rest.empty() && rest.size() == m_before.size()) {
      const Alike alike = compare(at, column, now);
      if (alike == Alike::Same)
        ++m_same;
      if (alike != Alike::Other)
        return true;
    }
    const char separator = m_layout.separator;
    const std::size_t first = column;
    bool single = true;
    for (; column < m_wire.size(); ++column) {
      // Mostly a single character.
      if (at + 1 < end && at[1] == separator && (*at == '0' || *at == '1')) {
        if (!level(column, {at, 1}, now))
          return false;
        at += 2;
        continue;
      }
      if (at < end && (*at == '"' || *at == ' ' || separator == ' '))
        return quoted({at, static_cast<std::size_t>(end - at)}, column, now);
      const auto* next = static_cast<const char*>(std::memchr(at, separator, static_cast<std::size_t>(end - at)));
      const bool last = column + 1 == m_wire.size();
      if ((next == nullptr) != last)
        return wrongCount(csvFields(rest, separator).size() + (m_timeFirst && !m_clock ? 1 : 0));
      const char* stop = next == nullptr ? end : next;
      const char* const fieldEnd = stop;
      while (stop > at && (stop[-1] == ' ' || stop[-1] == '\t'))
        --stop;
      if (!level(column, {at, static_cast<std::size_t>(stop - at)}, now))
        return false;
      single = single && fieldEnd == at + 1 && (*at == '0' || *at == '1');
      at = fieldEnd + 1;
    }
    if (at <= end)
      return wrongCount(csvFields(rest, separator).size() + (m_timeFirst && !m_clock ? 1 : 0));
    m_before.assign(rest);
    m_single = single && rest.size() == 2 * (m_wire.size() - first) - 1;
    return true;
  }

  enum class Alike : std::uint8_t { Same, Applied, Other };

  /// Against the row before, of the same length: where only a 0 became a 1 or the other way round, that is what
  /// changes.
  Alike compare(const char* at, std::size_t column, std::int64_t now)
  {
    const std::size_t size = m_before.size();
    char* const before = m_before.data();
    Alike alike = Alike::Same;
    for (std::size_t i = 0; i < size;) {
      constexpr std::size_t kWord = sizeof(std::uint64_t);
      if (i + kWord <= size && std::memcmp(at + i, before + i, kWord) == 0) {
        i += kWord;
        continue;
      }
      if (at[i] != before[i]) {
        // With a field a character, every second one is a field.
        const bool isLevel = m_single && i % 2 == 0 && (at[i] == '0' || at[i] == '1');
        if (!isLevel)
          return Alike::Other;
        before[i] = at[i];
        const int wire = m_wire[column + i / 2];
        if (wire >= 0) {
          m_levels[static_cast<std::size_t>(wire)] = at[i] == '1' ? 1 : 0;
          m_builders[static_cast<std::size_t>(wire)].set(now, at[i] == '1');
        }
        alike = Alike::Applied;
      }
      ++i;
    }
    return alike;
  }

  /// The rest of a row with quotes or blanks in it, from `column` on.
  bool quoted(std::string_view rest, std::size_t column, std::int64_t now)
  {
    m_before.clear();
    const auto fields = csvFields(rest, m_layout.separator);
    if (fields.size() + column != m_wire.size())
      return wrongCount(fields.size() + column);
    for (std::size_t i = 0; i < fields.size(); ++i) {
      if (!level(column + i, fields[i], now))
        return false;
    }
    return true;
  }

  /// name[7], name[6] ... are the bits of name[7:0].
  static void groupNumbers(Capture& capture)
  {
    const auto bitOf = [](const std::string& path) -> std::optional<std::pair<std::string, std::int64_t>> {
      const std::size_t open = path.rfind('[');
      if (open == std::string::npos || open == 0 || path.back() != ']')
        return std::nullopt;
      const auto index = parseInteger(std::string_view(path).substr(open + 1, path.size() - open - 2));
      return index ? std::optional(std::pair(path.substr(0, open), *index)) : std::nullopt;
    };
    for (std::size_t i = 0; i < capture.channels.size();) {
      const auto first = bitOf(capture.channels[i].path);
      std::size_t width = 1;
      while (first && i + width < capture.channels.size() &&
             bitOf(capture.channels[i + width].path) ==
                 std::pair(first->first, first->second - static_cast<std::int64_t>(width)))
        ++width;
      if (width > 1)
        capture.vectors.push_back({fmt::format("{}[{}:{}]", first->first, first->second,
                                               first->second - static_cast<std::int64_t>(width) + 1),
                                   {},
                                   i,
                                   width});
      i += width;
    }
  }

  std::string m_source;
  CsvLayout m_layout;
  std::vector<int> m_wire;  ///< of each column; -1: none
  std::vector<EdgeTrackBuilder> m_builders;
  std::vector<signed char> m_levels;  ///< -1: not known yet
  std::size_t m_timeColumn = kNone;
  bool m_timeFirst = false;
  std::optional<SampleClock> m_clock;  ///< a row is a sample
  const char* m_textEnd = nullptr;
  std::string m_before;   ///< the text of the levels of the row before; empty: compare nothing
  bool m_single = false;  ///< it has a 0 or a 1 a column, and a separator between
  std::int64_t m_rows = 0;
  std::size_t m_line = 0;
  WidePicoseconds m_origin = 0;  ///< of the times, in ps
  std::int64_t m_first = 0;
  std::int64_t m_last = 0;
  std::int64_t m_step = 0;
  bool m_even = true;       ///< rows are equally far apart
  std::int64_t m_same = 0;  ///< rows that say what the one before said
  bool m_ownUnits = false;
  int m_finest = 12;
  std::vector<std::string> m_notes;
  Error m_error;
};

Result<CsvLayout> layoutOf(const CsvBegin& begin, const std::string& source, const ReadHints& hints)
{
  auto layout = hints.layout ? Result<CsvLayout>(*hints.layout) : guessCsvLayout(begin.text, begin.whole, hints.rate);
  if (!layout)
    return fail(layout.error().code, layout.error().message, source, layout.error().mend);
  if (const std::string problem = layout->problem(); !problem.empty())
    return fail(ErrorCode::BadArgument, problem, source,
                layout->isUntimed() ? say("give the rate with --raw-rate HZ")
                                    : say("rows need a time and levels, all with as many fields, like 0.0015,0,1"));
  if (layout->rate != 0 && !(layout->rate >= SampleClock::lowestRate() && layout->rate <= SampleClock::highestRate()))
    return fail(ErrorCode::BadArgument, say("{} samples a second are no rate", layout->rate), source,
                say("it can be 0.001 to 1e12"));
  return layout;
}

std::string_view withoutMark(std::string_view text)
{
  return text.starts_with("\xef\xbb\xbf") ? text.substr(3) : text;
}

}  // namespace

Result<CsvBegin> readCsvBegin(const std::string& path)
{
  auto file = InputFile::open(path);
  if (!file)
    return tl::unexpected(file.error());
  CsvBegin begin{std::string(kCsvLook, '\0'), false};
  const auto got = file->read(begin.text);
  if (!got)
    return tl::unexpected(got.error());
  begin.whole = *got < kCsvLook;
  begin.text.resize(*got);
  return begin;
}

Result<Capture> parseCsv(std::string_view text, const std::string& source, const ReadHints& hints)
{
  const auto layout = layoutOf({std::string(text.substr(0, kCsvLook)), text.size() <= kCsvLook}, source, hints);
  if (!layout)
    return tl::unexpected(layout.error());
  CsvParser parser(source, *layout);
  text = withoutMark(text);
  const std::size_t lastEnd = text.rfind('\n');
  const std::size_t whole = lastEnd == std::string_view::npos ? 0 : lastEnd + 1;
  if (auto taken = parser.take(text.substr(0, whole)); !taken)
    return tl::unexpected(taken.error());
  if (auto taken = parser.takeLast(text.substr(whole)); !taken)
    return tl::unexpected(taken.error());
  return parser.capture();
}

Result<Capture> readCsv(const std::string& path, const ReadHints& hints, const std::stop_token& stop,
                        Progress& progress)
{
  const std::string source = std::filesystem::path(path).filename().string();
  const auto begin = readCsvBegin(path);
  if (!begin)
    return tl::unexpected(begin.error());
  const auto layout = layoutOf(*begin, source, hints);
  if (!layout)
    return tl::unexpected(layout.error());
  auto file = InputFile::open(path);
  if (!file)
    return tl::unexpected(file.error());
  CsvParser parser(source, *layout);
  std::string room(kPiece + kLongestLine, '\0');
  std::size_t kept = 0;  // the begin of a line that is not whole yet
  bool first = true;
  for (bool end = false; !end;) {
    if (stop.stop_requested())
      return fail(ErrorCode::Cancelled, "cancelled");
    const auto got = file->read(std::span(room).subspan(kept, kPiece));
    if (!got)
      return tl::unexpected(got.error());
    end = *got < kPiece;
    std::string_view text(room.data(), kept + *got);
    if (std::exchange(first, false))
      text = withoutMark(text);
    const std::size_t lastEnd = text.rfind('\n');
    const std::size_t whole = lastEnd == std::string_view::npos ? 0 : lastEnd + 1;
    if (auto taken = parser.take(text.substr(0, whole)); !taken)
      return tl::unexpected(taken.error());
    const std::string_view rest = text.substr(whole);
    if (rest.size() > kLongestLine)
      return fail(ErrorCode::Malformed, say("a line has more than half a million characters"), source,
                  say("the file may be damaged, or holds no rows of text"));
    if (end) {
      if (auto taken = parser.takeLast(rest); !taken)
        return tl::unexpected(taken.error());
    }
    kept = rest.size();
    std::memmove(room.data(), rest.data(), kept);
    progress.report(file->fraction());
  }
  for (std::string& note : file->notes())
    parser.note(std::move(note));
  return parser.capture();
}

}  // namespace bexto
