#include "core/export/frame_writer.h"

#include <fmt/core.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <array>
#include <nlohmann/json.hpp>

#include "core/base/time_text.h"
#include "core/decode/protocol.h"
#include "core/export/csv.h"

namespace bexto {

namespace {

/// What every frame has, in the order of files.
struct Common {
  const std::string& bus;
  const std::string& protocol;
  std::string kind;
  TimeRange time;
  std::vector<std::string_view> errors;
};

Common commonOf(const Frame& frame, const FrameOrigin& origin)
{
  const Protocol& protocol = origin.bus->protocol();
  const KindSpec* const kind = protocol.kind(frame.kind);
  return {origin.bus->name, protocol.name(), kind == nullptr ? "" : kind->word, frame.time,
          protocol.errorWords(frame.errors)};
}

constexpr std::array<const char*, 6> kCommonKeys{"bus", "protocol", "kind", "start_ps", "end_ps", "errors"};

/// Bus names come from the user and may hold anything; most other texts are our own words.
std::string jsonText(const std::string& value)
{
  const bool plain = std::all_of(value.begin(), value.end(), [](char c) {
    return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9') || c == '-' || c == '_';
  });
  using nlohmann::json;
  return plain ? '"' + value + '"' : json(value).dump(-1, ' ', false, json::error_handler_t::replace);
}

std::string jsonValue(const PropertyValue& value)
{
  const bool bare = std::holds_alternative<std::int64_t>(value) || std::holds_alternative<bool>(value);
  return bare ? fileText(value) : jsonText(fileText(value));
}

std::string jsonRecord(const Frame& frame, const FrameOrigin& origin)
{
  const Common c = commonOf(frame, origin);
  std::string record =
      fmt::format(R"({{"bus":{},"protocol":{},"kind":{},"start_ps":{},"end_ps":{},"errors":)", jsonText(c.bus),
                  jsonText(c.protocol), jsonText(c.kind), c.time.begin.count(), c.time.end.count());
  record += c.errors.empty() ? "[]" : fmt::format("[\"{}\"]", fmt::join(c.errors, "\",\""));
  for (const Property& p : origin.bus->protocol().facts().properties) {
    const PropertyValue value = p.of({*origin.bus, frame, origin.line});
    if (!std::holds_alternative<std::monostate>(value))
      record += ",\"" + p.key + "\":" + jsonValue(value);
  }
  return record + "}\n";
}

std::string csvRecordOf(const Frame& frame, const FrameOrigin& origin, const std::vector<std::string>& columns)
{
  const Common c = commonOf(frame, origin);
  std::vector<std::string> fields(columns.size());
  std::size_t next = 0;
  for (std::string text : {c.bus, c.protocol, c.kind, std::to_string(c.time.begin.count()),
                           std::to_string(c.time.end.count()), fmt::format("{}", fmt::join(c.errors, " "))})
    fields.at(next++) = std::move(text);
  for (const Property& p : origin.bus->protocol().facts().properties) {
    const auto column = std::find(columns.begin(), columns.end(), p.key);
    if (column != columns.end())
      fields[static_cast<std::size_t>(column - columns.begin())] = fileText(p.of({*origin.bus, frame, origin.line}));
  }
  return csvRecord(fields);
}

/// For people: time, bus, and the rest as words.
std::string textRecord(const Frame& frame, const FrameOrigin& origin)
{
  const Common c = commonOf(frame, origin);
  std::string rest = c.kind;
  for (const Property& p : origin.bus->protocol().facts().properties) {
    const std::string said = p.said == nullptr ? std::string() : p.said({*origin.bus, frame, origin.line});
    if (!said.empty())
      rest += "  " + said;
  }
  const std::string errors = c.errors.empty() ? "" : fmt::format("  ! {}", fmt::join(c.errors, ", "));
  return fmt::format("{:>22} s  {:>10}  {:<10}  {}{}\n", momentText(c.time.begin, 12), lengthText(c.time.length()),
                     c.bus, rest, errors);
}

}  // namespace

FrameWriter::FrameWriter(FrameFormat format, const std::vector<const Protocol*>& decoded) : m_format(format)
{
  if (format != FrameFormat::Csv)
    return;
  m_columns.assign(kCommonKeys.begin(), kCommonKeys.end());
  for (const Protocol* protocol : protocols()) {
    const bool isDecoded = std::find(decoded.begin(), decoded.end(), protocol) != decoded.end();
    for (const Property& p : protocol->facts().properties) {
      const bool known = std::find(m_columns.begin(), m_columns.end(), p.key) != m_columns.end();
      if (!known && p.inTables && (isDecoded || protocol->facts().alwaysInTables))
        m_columns.push_back(p.key);
    }
  }
}

std::string FrameWriter::header() const
{
  return m_format == FrameFormat::Csv ? csvRecord(m_columns) : std::string();
}

std::string FrameWriter::record(const Frame& frame, const FrameOrigin& origin) const
{
  switch (m_format) {
    case FrameFormat::Jsonl:
      return jsonRecord(frame, origin);
    case FrameFormat::Csv:
      return csvRecordOf(frame, origin, m_columns);
    case FrameFormat::Text:
      break;
  }
  return textRecord(frame, origin);
}

}  // namespace bexto
