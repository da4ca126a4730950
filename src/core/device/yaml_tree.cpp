// Tested by tests/core/yaml_tree_test.cpp and, with any bytes at all, by the fuzzer of sheets.
#include "core/device/yaml_tree.h"

#include <yaml-cpp/yaml.h>

#include <fmt/core.h>

#include <charconv>
#include <cmath>
#include <nlohmann/json.hpp>

#include "core/base/number_text.h"
#include "core/base/say.h"
#include "core/device/yaml_scalar.h"

namespace bexto {

namespace {

constexpr int kMostDepth = 24;
constexpr int kMostParts = 50'000;
constexpr std::size_t kLongestSheet = std::size_t{1} << 20U;

class Copier {
 public:
  tl::expected<YamlPart, SheetProblem> copy(const YAML::Node& node, int depth)
  {
    YamlPart part;
    const YAML::Mark mark = node.Mark();
    part.line = mark.line + 1;
    part.column = mark.column + 1;
    if (depth > kMostDepth)
      return tl::unexpected(SheetProblem{part.line, part.column, say("this is nested too deeply"),
                                         say("at most {} levels are read", kMostDepth)});
    if (++m_parts > kMostParts)
      return tl::unexpected(SheetProblem{part.line, part.column, say("this is too much for one sheet"),
                                         say("at most {} entries are read", kMostParts)});
    switch (node.Type()) {
      case YAML::NodeType::Scalar:
        part.kind = YamlPart::Kind::Scalar;
        part.text = node.Scalar();
        part.quoted = node.Tag() == "!";
        break;
      case YAML::NodeType::Sequence:
        part.kind = YamlPart::Kind::List;
        for (const YAML::Node& item : node) {
          auto copied = copy(item, depth + 1);
          if (!copied)
            return copied;
          part.items.push_back(std::move(*copied));
        }
        break;
      case YAML::NodeType::Map:
        part.kind = YamlPart::Kind::Map;
        for (const auto& entry : node) {
          auto key = copy(entry.first, depth + 1);
          if (!key)
            return key;
          if (key->kind != YamlPart::Kind::Scalar)
            return tl::unexpected(SheetProblem{key->line, key->column, say("a key has to be a word or a number"), ""});
          if (part.find(key->text) != nullptr)
            return tl::unexpected(SheetProblem{key->line, key->column, say("'{}' stands here twice", key->text),
                                               say("take one away, or give it another name")});
          auto value = copy(entry.second, depth + 1);
          if (!value)
            return value;
          part.entries.push_back({std::move(*key), std::move(*value)});
        }
        break;
      case YAML::NodeType::Null:
      case YAML::NodeType::Undefined:
        break;
    }
    return part;
  }

 private:
  int m_parts = 0;
};

nlohmann::json jsonValue(const YamlPart& part)
{
  switch (part.kind) {
    case YamlPart::Kind::Nothing:
      return nullptr;
    case YamlPart::Kind::List: {
      nlohmann::json list = nlohmann::json::array();
      for (const YamlPart& item : part.items)
        list.push_back(jsonValue(item));
      return list;
    }
    case YamlPart::Kind::Map: {
      nlohmann::json map = nlohmann::json::object();
      for (const auto& [key, value] : part.entries)
        map[key.text] = jsonValue(value);
      return map;
    }
    case YamlPart::Kind::Scalar:
      break;
  }
  if (part.quoted)
    return part.text;
  if (const auto whole = yamlInteger(part.text))
    return *whole;
  if (const auto number = yamlNumber(part.text))
    return *number;
  if (part.text == "true" || part.text == "false")
    return part.text == "true";
  return part.text;
}

/// What the library does not see, or sees too late: characters that YAML does not have (YAML 1.2.2, chapter 5.1), and
/// a second document, which it would read for ever where it makes no sense.
tl::expected<void, SheetProblem> lookAtLines(const std::string& text)
{
  int line = 1;
  bool begun = false;
  for (std::size_t at = 0; at < text.size(); ++line) {
    const std::size_t end = std::min(text.find('\n', at), text.size());
    const std::string_view row(text.data() + at, end - at);
    for (std::size_t i = 0; i < row.size(); ++i) {
      const auto c = static_cast<unsigned char>(row[i]);
      const bool none = (c < 0x20 && c != '\t' && c != '\r') || c == 0x7f;
      const std::size_t more = c < 0x80 ? 0 : c >= 0xf0 && c < 0xf5 ? 3 : c >= 0xe0 ? 2 : 1;
      bool broken = c >= 0x80 && (c < 0xc2 || c >= 0xf5 || i + more >= row.size());
      for (std::size_t k = 1; k <= more && !broken; ++k)
        broken = (static_cast<unsigned char>(row[i + k]) & 0xc0U) != 0x80U;
      if (none || broken)
        return tl::unexpected(SheetProblem{line, static_cast<int>(i) + 1,
                                           say("this is no text: byte {}", fmt::format("{:02X}", c)),
                                           say("sheets are text in UTF-8")});
      i += more;
    }
    if (begun && (row.starts_with("---") || row.starts_with("...")))
      return tl::unexpected(SheetProblem{line, 1, say("a second document begins here"), say("a file holds one sheet")});
    begun = begun || (!row.empty() && row.front() != '#' && row.front() != '%');
    at = end + 1;
  }
  return {};
}

}  // namespace

std::string SheetProblem::text() const
{
  const std::string what = mend.empty() ? message : message + "; " + mend;
  return line == 0 ? what : say("line {}: {}", line, what);
}

const YamlPart* YamlPart::find(std::string_view key) const
{
  for (const auto& [name, value] : entries) {
    if (name.text == key)
      return &value;
  }
  return nullptr;
}

std::optional<std::int64_t> yamlInteger(std::string_view text)
{
  const bool negative = text.starts_with('-');
  if (negative || text.starts_with('+'))
    text.remove_prefix(1);
  int base = 10;
  if (text.starts_with("0x") || text.starts_with("0o")) {
    base = text[1] == 'x' ? 16 : 8;
    text.remove_prefix(2);
  }
  std::uint64_t value = 0;
  const auto [end, code] = std::from_chars(text.data(), text.data() + text.size(), value, base);
  if (code != std::errc() || end != text.data() + text.size() || value > (std::uint64_t{1} << 62U))
    return std::nullopt;
  const auto whole = static_cast<std::int64_t>(value);
  return negative ? -whole : whole;
}

std::optional<double> yamlNumber(std::string_view text)
{
  if (const auto whole = yamlInteger(text))
    return static_cast<double>(*whole);
  if (text.starts_with('+'))
    text.remove_prefix(1);
  return parseNumber(text);
}

tl::expected<YamlPart, SheetProblem> parseYaml(const std::string& text)
{
  if (text.size() > kLongestSheet)
    return tl::unexpected(SheetProblem{0, 0, say("this is too long for a sheet"), say("at most 1 MiB is read")});
  if (auto looked = lookAtLines(text); !looked)
    return tl::unexpected(looked.error());
  try {
    return Copier().copy(YAML::Load(text), 0);
  } catch (const YAML::Exception& e) {
    const bool placed = !e.mark.is_null();
    return tl::unexpected(SheetProblem{placed ? e.mark.line + 1 : 0, placed ? e.mark.column + 1 : 0,
                                       say("this is no YAML: {}", e.msg), say("look at blanks and colons there")});
  }
}

std::string jsonOf(const YamlPart& part)
{
  return jsonValue(part).dump(-1, ' ', false, nlohmann::json::error_handler_t::replace);
}

}  // namespace bexto
