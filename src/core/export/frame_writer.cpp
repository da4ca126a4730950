#include "core/export/frame_writer.h"

#include <fmt/core.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <array>
#include <cmath>
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

/// "device", "register" or "message", "values", "text", "faults": what the sheet of the device makes of it.
std::string jsonTold(const Told& told)
{
  std::string record = ",\"device\":" + jsonText(told.device);
  if (!told.subject.empty())
    record += (told.isRegister ? ",\"register\":" : ",\"message\":") + jsonText(told.subject);
  record += ",\"values\":{";
  bool first = true;
  for (const ToldValue& value : told.values) {
    record += fmt::format("{}\"{}\":{{", first ? "" : ",", value.name);
    first = false;
    if (value.number)
      // Values that are no number of JSON (a float can be one) are left to the text.
      record += std::isfinite(*value.number) ? fmt::format("\"value\":{:.12g},", *value.number) : "\"value\":null,";
    if (!value.unit.empty())
      record += "\"unit\":" + jsonText(value.unit) + ",";
    record += "\"text\":" + jsonText(value.text) + "}";
  }
  record += "},\"text\":" + jsonText(told.text);
  if (!told.faults.empty()) {
    record += ",\"faults\":[";
    for (std::size_t i = 0; i < told.faults.size(); ++i)
      record += (i == 0 ? "" : ",") + jsonText(told.faults[i]);
    record += "]";
  }
  return record;
}

constexpr std::array<const char*, 4> kToldColumns{"device", "subject", "says", "faults"};

void addTold(const Told& told, const std::vector<std::string>& columns, std::vector<std::string>& fields)
{
  const auto put = [&](const char* column, std::string text) {
    const auto found = std::find(columns.begin(), columns.end(), column);
    if (found != columns.end())
      fields[static_cast<std::size_t>(found - columns.begin())] = std::move(text);
  };
  put("device", told.device);
  put("subject", told.subject);
  put("says", told.text);
  put("faults", fmt::format("{}", fmt::join(told.faults, ", ")));
}

std::string textTold(const Told& told)
{
  if (told.text.empty() && told.faults.empty())
    return "";
  const std::string faults = told.faults.empty() ? "" : fmt::format("  ! {}", fmt::join(told.faults, ", "));
  return fmt::format("  | {} {}{}", told.device, told.text, faults);
}

std::string jsonRecord(const Frame& frame, const FrameOrigin& origin, const Told* told)
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
  if (told != nullptr)
    record += jsonTold(*told);
  return record + "}\n";
}

std::string csvRecordOf(const Frame& frame, const FrameOrigin& origin, const std::vector<std::string>& columns,
                        const Told* told)
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
  if (told != nullptr)
    addTold(*told, columns, fields);
  return csvRecord(fields);
}

/// For people: time, bus, and the rest as words.
std::string textRecord(const Frame& frame, const FrameOrigin& origin, const Told* told)
{
  const Common c = commonOf(frame, origin);
  std::string rest = c.kind;
  for (const Property& p : origin.bus->protocol().facts().properties) {
    const std::string said = p.said == nullptr ? std::string() : p.said({*origin.bus, frame, origin.line});
    if (!said.empty())
      rest += "  " + said;
  }
  const std::string errors = c.errors.empty() ? "" : fmt::format("  ! {}", fmt::join(c.errors, ", "));
  return fmt::format("{:>22} s  {:>10}  {:<10}  {}{}{}\n", momentText(c.time.begin, 12), lengthText(c.time.length()),
                     c.bus, rest, errors, told == nullptr ? std::string() : textTold(*told));
}

}  // namespace

FrameWriter::FrameWriter(FrameFormat format, const std::vector<const Protocol*>& decoded, bool told) : m_format(format)
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
  if (told)
    m_columns.insert(m_columns.end(), kToldColumns.begin(), kToldColumns.end());
}

std::string FrameWriter::header() const
{
  return m_format == FrameFormat::Csv ? csvRecord(m_columns) : std::string();
}

std::string FrameWriter::record(const Frame& frame, const FrameOrigin& origin, const Told* told) const
{
  switch (m_format) {
    case FrameFormat::Jsonl:
      return jsonRecord(frame, origin, told);
    case FrameFormat::Csv:
      return csvRecordOf(frame, origin, m_columns, told);
    case FrameFormat::Text:
      break;
  }
  return textRecord(frame, origin, told);
}

std::string FrameWriter::message(const Told& told, const FrameOrigin& origin, TimeRange time, FrameErrors errors,
                                 std::span<const std::uint8_t> bytes) const
{
  const Protocol& protocol = origin.bus->protocol();
  const std::vector<std::string_view> words = protocol.errorWords(errors);
  switch (m_format) {
    case FrameFormat::Jsonl: {
      std::string record =
          fmt::format(R"({{"bus":{},"protocol":{},"kind":"message","start_ps":{},"end_ps":{},"errors":)",
                      jsonText(origin.bus->name), jsonText(protocol.name()), time.begin.count(), time.end.count());
      record += words.empty() ? "[]" : fmt::format("[\"{}\"]", fmt::join(words, "\",\""));
      if (!origin.line.empty())
        record += ",\"line\":" + jsonText(origin.line);
      return record + ",\"data\":\"" + hexOf(bytes) + "\"" + jsonTold(told) + "}\n";
    }
    case FrameFormat::Csv: {
      std::vector<std::string> fields(m_columns.size());
      std::size_t next = 0;
      for (std::string text :
           {origin.bus->name, protocol.name(), std::string("message"), std::to_string(time.begin.count()),
            std::to_string(time.end.count()), fmt::format("{}", fmt::join(words, " "))})
        fields.at(next++) = std::move(text);
      const auto put = [&](const char* key, const std::string& text) {
        const auto column = std::find(m_columns.begin(), m_columns.end(), key);
        if (column != m_columns.end())
          fields[static_cast<std::size_t>(column - m_columns.begin())] = text;
      };
      put("line", origin.line);
      put("data", hexOf(bytes));
      addTold(told, m_columns, fields);
      return csvRecord(fields);
    }
    case FrameFormat::Text:
      break;
  }
  const std::string wrong = words.empty() ? "" : fmt::format("  ! {}", fmt::join(words, ", "));
  return fmt::format("{:>22} s  {:>10}  {:<10}  message {}{}{}\n", momentText(time.begin, 12),
                     lengthText(time.length()), origin.bus->name, origin.line, wrong, textTold(told));
}

}  // namespace bexto
