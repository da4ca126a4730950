#include "core/device/yaml_map.h"

#include <fmt/core.h>
#include <fmt/ranges.h>

#include <algorithm>

#include "core/base/say.h"
#include "core/device/yaml_scalar.h"

namespace bexto {

namespace {

std::string kindOf(const YamlPart& part)
{
  switch (part.kind) {
    case YamlPart::Kind::Nothing:
      return say("nothing");
    case YamlPart::Kind::List:
      return say("a list");
    case YamlPart::Kind::Map:
      return say("a map of keys and values");
    case YamlPart::Kind::Scalar:
      break;
  }
  return "'" + part.text + "'";
}

}  // namespace

std::vector<SheetProblem> Problems::takeByLine()
{
  std::stable_sort(m_list.begin(), m_list.end(), [](const SheetProblem& a, const SheetProblem& b) {
    return std::pair(a.line, a.column) < std::pair(b.line, b.column);
  });
  m_list.erase(std::unique(m_list.begin(), m_list.end()), m_list.end());
  return std::move(m_list);
}

YamlMap::YamlMap(const YamlPart& part, std::string what, Problems& problems)
    : m_part(part), m_what(std::move(what)), m_problems(problems)
{
  if (part.kind != YamlPart::Kind::Map)
    m_problems.add(part, say("here is {}, and {} is a map", kindOf(part), m_what),
                   say("write keys and values: key: value"));
}

YamlMap::~YamlMap()
{
  for (const auto& [key, value] : m_part.entries) {
    if (std::find(m_known.begin(), m_known.end(), key.text) != m_known.end())
      continue;
    const std::string near = nearest(key.text, m_known);
    m_problems.add(
        key, say("{} has no key '{}'", m_what, key.text),
        near.empty() ? say("it has {}", fmt::format("{}", fmt::join(m_known, ", "))) : say("did you mean {}", near));
  }
}

const YamlPart* YamlMap::get(const std::string& key)
{
  if (std::find(m_known.begin(), m_known.end(), key) == m_known.end())
    m_known.push_back(key);
  const YamlPart* const part = m_part.find(key);
  return part != nullptr && part->kind == YamlPart::Kind::Nothing ? nullptr : part;
}

const YamlPart* YamlMap::need(const std::string& key, const std::string& example)
{
  const YamlPart* const part = get(key);
  if (part == nullptr && m_part.kind == YamlPart::Kind::Map)
    m_problems.add(m_part, say("{} has to have '{}'", m_what, key), say("write it like {}", example));
  return part;
}

std::string YamlMap::text(const std::string& key, std::string otherwise)
{
  const YamlPart* const part = get(key);
  if (part == nullptr)
    return otherwise;
  if (part->kind == YamlPart::Kind::Scalar)
    return part->text;
  m_problems.add(*part, say("'{}' is {}, and has to be a text", key, kindOf(*part)));
  return otherwise;
}

bool YamlMap::yes(const std::string& key, bool otherwise)
{
  const YamlPart* const part = get(key);
  if (part == nullptr)
    return otherwise;
  if (part->text == "yes" || part->text == "true")
    return true;
  if (part->text == "no" || part->text == "false")
    return false;
  m_problems.add(*part, say("'{}' is {}, and has to be yes or no", key, kindOf(*part)));
  return otherwise;
}

std::int64_t YamlMap::whole(const std::string& key, std::int64_t otherwise, std::int64_t least, std::int64_t most)
{
  const YamlPart* const part = get(key);
  return part == nullptr ? otherwise : wholeOf(*part, least, most, key, m_problems).value_or(otherwise);
}

std::optional<double> YamlMap::number(const std::string& key)
{
  const YamlPart* const part = get(key);
  if (part == nullptr)
    return std::nullopt;
  const auto number = part->kind == YamlPart::Kind::Scalar ? yamlNumber(part->text) : std::nullopt;
  if (!number)
    m_problems.add(*part, say("'{}' is {}, and has to be a number", key, kindOf(*part)));
  return number;
}

std::string YamlMap::choice(const std::string& key, const std::vector<std::string>& choices,
                            const std::string& otherwise)
{
  const YamlPart* const part = get(key);
  if (part == nullptr)
    return otherwise;
  if (std::find(choices.begin(), choices.end(), part->text) != choices.end())
    return part->text;
  const std::string near = nearest(part->text, choices);
  m_problems.add(*part, say("'{}' cannot be {}", key, kindOf(*part)),
                 near.empty() ? say("it is one of {}", fmt::format("{}", fmt::join(choices, ", ")))
                              : say("did you mean {}", near));
  return otherwise;
}

void YamlMap::refuse(const std::string& key, const std::string& why)
{
  if (const YamlPart* const part = get(key))
    m_problems.add(*part, say("'{}' means nothing here", key), why);
}

std::optional<std::int64_t> wholeOf(const YamlPart& part, std::int64_t least, std::int64_t most,
                                    const std::string& what, Problems& problems)
{
  const auto value = part.kind == YamlPart::Kind::Scalar ? yamlInteger(part.text) : std::nullopt;
  if (!value) {
    problems.add(part, say("'{}' is {}, and has to be a whole number", what, kindOf(part)),
                 say("in decimal, or in hex with 0x in front"));
    return std::nullopt;
  }
  if (*value < least || *value > most) {
    const bool hex = least >= 0 && most > 255;
    problems.add(part, say("'{}' cannot be {}", what, part.text),
                 hex ? say("it is from 0x{} to 0x{}", fmt::format("{:X}", least), fmt::format("{:X}", most))
                     : say("it is from {} to {}", least, most));
    return std::nullopt;
  }
  return value;
}

std::vector<std::int64_t> wholesOf(const YamlPart& part, std::int64_t least, std::int64_t most, const std::string& what,
                                   Problems& problems)
{
  std::vector<std::int64_t> all;
  const auto add = [&](const YamlPart& one) {
    if (const auto value = wholeOf(one, least, most, what, problems))
      all.push_back(*value);
  };
  if (part.kind != YamlPart::Kind::List)
    add(part);
  for (const YamlPart& item : part.items)
    add(item);
  return all;
}

std::optional<std::pair<std::int64_t, std::int64_t>> rangeOf(const YamlPart& part, const std::string& what,
                                                             Problems& problems)
{
  const std::size_t dots = part.text.find("..");
  const auto low = yamlInteger(std::string_view(part.text).substr(0, dots));
  const auto high = dots == std::string::npos ? low : yamlInteger(std::string_view(part.text).substr(dots + 2));
  if (part.kind != YamlPart::Kind::Scalar || !low || !high) {
    problems.add(part, say("'{}' is {}, and has to be a number or a range", what, kindOf(part)),
                 say("write it like 7 or 4..7"));
    return std::nullopt;
  }
  return std::pair(*low, *high);
}

}  // namespace bexto
