// Tested by tests/core/instrument_test.cpp.
#include "rig/instrument/scpi.h"

#include <fmt/core.h>

#include <algorithm>
#include <array>
#include <charconv>
#include <cmath>

namespace bexto::rig {

namespace {

std::string upper(std::string_view text)
{
  std::string out(text);
  std::transform(out.begin(), out.end(), out.begin(),
                 [](char c) { return c >= 'a' && c <= 'z' ? static_cast<char>(c - 32) : c; });
  return out;
}

bool isBlank(char c)
{
  return static_cast<unsigned char>(c) <= ' ';
}

std::string_view trimmed(std::string_view text)
{
  while (!text.empty() && isBlank(text.front()))
    text.remove_prefix(1);
  while (!text.empty() && isBlank(text.back()))
    text.remove_suffix(1);
  return text;
}

/// At `separator`, where it stands outside of quotes.
std::vector<std::string_view> split(std::string_view text, char separator)
{
  std::vector<std::string_view> parts;
  char quote = 0;
  std::size_t begin = 0;
  for (std::size_t i = 0; i < text.size(); ++i) {
    if (quote != 0)
      quote = text[i] == quote ? '\0' : quote;
    else if (text[i] == '"' || text[i] == '\'')
      quote = text[i];
    else if (text[i] == separator) {
      parts.push_back(trimmed(text.substr(begin, i - begin)));
      begin = i + 1;
    }
  }
  parts.push_back(trimmed(text.substr(begin)));
  return parts;
}

bool isMnemonic(std::string_view text)
{
  return !text.empty() && std::all_of(text.begin(), text.end(), [](char c) {
    return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9') || c == '_' || c == '*';
  });
}

const char* messageOf(int number)
{
  switch (number) {
    case 0:
      return "No error";
    case scpi::kSyntax:
      return "Syntax error";
    case scpi::kDataType:
      return "Data type error";
    case scpi::kParameterNotAllowed:
      return "Parameter not allowed";
    case scpi::kMissingParameter:
      return "Missing parameter";
    case scpi::kUndefinedHeader:
      return "Undefined header";
    case scpi::kHeaderSuffix:
      return "Header suffix out of range";
    case scpi::kInvalidSuffix:
      return "Invalid suffix";
    case scpi::kInvalidCharacterData:
      return "Invalid character data";
    case scpi::kInvalidStringData:
      return "Invalid string data";
    case scpi::kTriggerIgnored:
      return "Trigger ignored";
    case scpi::kInitIgnored:
      return "Init ignored";
    case scpi::kSettingsConflict:
      return "Settings conflict";
    case scpi::kOutOfRange:
      return "Data out of range";
    case scpi::kIllegalValue:
      return "Illegal parameter value";
    case scpi::kDataStale:
      return "Data corrupt or stale";
    case scpi::kQueueOverflow:
      return "Queue overflow";
    case scpi::kInputOverrun:
      return "Input buffer overrun";
    case scpi::kQueryInterrupted:
      return "Query INTERRUPTED";
    default:
      return "Device-specific error";
  }
}

[[noreturn]] void refuse(int number, std::string detail)
{
  throw ScpiTree::Failure{{number, std::move(detail)}};
}

}  // namespace

std::string ScpiError::text() const
{
  const std::string message = detail.empty() ? messageOf(number) : fmt::format("{};{}", messageOf(number), detail);
  return fmt::format("{},{}", number, scpiQuoted(message));
}

std::optional<std::vector<ScpiUnit>> parseScpi(std::string_view line, ScpiError& error)
{
  std::vector<ScpiUnit> units;
  line = trimmed(line);
  if (line.empty())
    return units;
  for (const std::string_view part : split(line, ';')) {
    ScpiUnit unit;
    const std::size_t end = std::min(part.find_first_of(" \t"), part.size());
    std::string_view header = part.substr(0, end);
    unit.header = header;
    if (header.ends_with('?')) {
      unit.query = true;
      header.remove_suffix(1);
    }
    if (header.starts_with(':')) {
      unit.fromRoot = true;
      header.remove_prefix(1);
    }
    for (const std::string_view node : split(header, ':')) {
      if (!isMnemonic(node)) {
        error = {scpi::kSyntax, std::string(part.substr(0, 40))};
        return std::nullopt;
      }
      unit.nodes.emplace_back(node);
    }
    const std::string_view rest = trimmed(part.substr(end));
    if (!rest.empty()) {
      for (const std::string_view parameter : split(rest, ','))
        unit.parameters.emplace_back(parameter);
    }
    units.push_back(std::move(unit));
  }
  return units;
}

std::string scpiShort(std::string_view word)
{
  std::string out;
  for (const char c : word) {
    if (!(c >= 'a' && c <= 'z'))
      out += c;
  }
  return out;
}

void ScpiTree::add(std::string_view pattern, Form form, Handler handler)
{
  Entry entry;
  entry.form = form;
  entry.handler = std::move(handler);
  while (!pattern.empty()) {
    const std::size_t end = std::min(pattern.find(':'), pattern.size());
    std::string_view part = pattern.substr(0, end);
    pattern.remove_prefix(std::min(end + 1, pattern.size()));
    Node node;
    if (part.starts_with('[')) {
      node.optional = true;
      part = part.substr(1, part.size() - 2);
    }
    if (part.ends_with("<n>")) {
      node.numbered = true;
      part.remove_suffix(3);
    }
    node.shortForm = scpiShort(part);
    node.longForm = upper(part);
    entry.nodes.push_back(std::move(node));
  }
  m_entries.push_back(std::move(entry));
}

bool ScpiTree::matches(const Entry& entry, const std::vector<std::string>& typed, std::size_t node, std::size_t at,
                       std::vector<int>& suffixes)
{
  if (node == entry.nodes.size())
    return at == typed.size();
  const Node& wanted = entry.nodes[node];
  if (at < typed.size()) {
    std::string word = upper(typed[at]);
    int suffix = 1;
    if (wanted.numbered) {
      const std::size_t digits = word.find_last_not_of("0123456789") + 1;
      if (digits < word.size() &&
          std::from_chars(word.data() + digits, word.data() + word.size(), suffix).ec != std::errc())
        suffix = -1;
      word.resize(digits);
    }
    if (word == wanted.shortForm || word == wanted.longForm) {
      if (wanted.numbered)
        suffixes.push_back(suffix);
      if (matches(entry, typed, node + 1, at + 1, suffixes))
        return true;
      if (wanted.numbered)
        suffixes.pop_back();
    }
  }
  return wanted.optional && matches(entry, typed, node + 1, at, suffixes);
}

std::string ScpiTree::execute(const ScpiUnit& unit, std::vector<std::string>& path) const
{
  std::vector<std::string> typed;
  const bool common = unit.nodes.front().starts_with('*');
  if (!unit.fromRoot && !common)
    typed = path;
  typed.insert(typed.end(), unit.nodes.begin(), unit.nodes.end());
  for (const Entry& entry : m_entries) {
    std::vector<int> suffixes;
    if ((unit.query && entry.form == Form::Command) || (!unit.query && entry.form == Form::Query) ||
        !matches(entry, typed, 0, 0, suffixes))
      continue;
    if (!common)  // a common command leaves the path as it is
      path.assign(typed.begin(), typed.end() - 1);
    return entry.handler({suffixes, unit.parameters, unit.query});
  }
  refuse(scpi::kUndefinedHeader, unit.header);
}

double scpiNumber(const std::string& text, std::string_view unit, double least, double most, double usual)
{
  const std::string word = upper(text);
  if (word == "MIN" || word == "MINIMUM")
    return least;
  if (word == "MAX" || word == "MAXIMUM")
    return most;
  if (word == "DEF" || word == "DEFAULT")
    return usual;
  double value = 0.0;
  const char* const begin = word.data() + (word.starts_with('+') ? 1 : 0);
  const auto [end, code] = std::from_chars(begin, word.data() + word.size(), value);
  if (code != std::errc())
    refuse(scpi::kDataType, text);
  std::string_view suffix = trimmed({end, static_cast<std::size_t>(word.data() + word.size() - end)});
  if (!suffix.empty()) {
    if (unit.empty() || !suffix.ends_with(unit))
      refuse(scpi::kInvalidSuffix, text);
    suffix.remove_suffix(unit.size());
    // IEEE 488.2-1992, 7.7.3; with HZ an M is 1e6.
    const std::array<std::pair<std::string_view, double>, 9> multipliers{{{"", 1.0},
                                                                          {"G", 1e9},
                                                                          {"MA", 1e6},
                                                                          {"K", 1e3},
                                                                          {"M", unit == "HZ" ? 1e6 : 1e-3},
                                                                          {"U", 1e-6},
                                                                          {"N", 1e-9},
                                                                          {"P", 1e-12},
                                                                          {"T", 1e12}}};
    const auto found = std::find_if(multipliers.begin(), multipliers.end(),
                                    [&](const auto& multiplier) { return multiplier.first == suffix; });
    if (found == multipliers.end())
      refuse(scpi::kInvalidSuffix, text);
    value *= found->second;
  }
  if (!(value >= least && value <= most))
    refuse(scpi::kOutOfRange, fmt::format("{} to {}", least, most));
  return value;
}

std::size_t scpiWord(const std::string& text, const std::vector<std::string>& words)
{
  const std::string typed = upper(text);
  for (std::size_t i = 0; i < words.size(); ++i) {
    if (typed == scpiShort(words[i]) || typed == upper(words[i]))
      return i;
  }
  refuse(text.empty() || text.front() == '"' ? scpi::kDataType : scpi::kInvalidCharacterData, text);
}

std::string scpiText(const std::string& text)
{
  if (text.size() < 2 || (text.front() != '"' && text.front() != '\'') || text.back() != text.front())
    refuse(text.empty() || (text.front() != '"' && text.front() != '\'') ? scpi::kDataType : scpi::kInvalidStringData,
           text);
  std::string out;
  for (std::size_t i = 1; i + 1 < text.size(); ++i) {
    out += text[i];
    if (text[i] == text.front())
      ++i;  // a quote in a text is written twice
  }
  return out;
}

bool scpiBool(const std::string& text)
{
  const std::string word = upper(text);
  if (word == "ON" || word == "1")
    return true;
  if (word == "OFF" || word == "0")
    return false;
  refuse(scpi::kInvalidCharacterData, text);
}

std::string scpiQuoted(std::string_view text)
{
  std::string out = "\"";
  for (const char c : text) {
    out += c;
    if (c == '"')
      out += c;
  }
  return out + '"';
}

std::string scpiBlock(std::string_view bytes)
{
  const std::string length = std::to_string(bytes.size());
  return fmt::format("#{}{}", length.size(), length) + std::string(bytes);
}

}  // namespace bexto::rig
