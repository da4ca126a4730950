// Tested by tests/core/sheet_test.cpp.
#include "core/device/sheet_parts.h"

#include <algorithm>

#include "core/base/say.h"
#include "core/device/field_reader.h"
#include "core/device/yaml_scalar.h"

namespace bexto {

std::vector<std::uint8_t> bytesOf(const YamlPart& part, const std::string& what, Problems& problems)
{
  std::vector<std::uint8_t> bytes;
  if (part.kind == YamlPart::Kind::Scalar && part.quoted)
    return {part.text.begin(), part.text.end()};
  for (const std::int64_t value : wholesOf(part, 0, 255, what, problems))
    bytes.push_back(static_cast<std::uint8_t>(value));
  if (bytes.empty() && part.kind == YamlPart::Kind::List && part.items.empty())
    problems.add(part, say("'{}' is an empty list", what), say("write bytes like [0x0D, 0x0A]"));
  return bytes;
}

bool isMapOfNames(const YamlPart& part, const std::string& key, Problems& problems)
{
  if (part.kind == YamlPart::Kind::Map)
    return true;
  problems.add(part, say("'{}' has to be a map of names", key), say("write each as name: {…}"));
  return false;
}

std::string nameOf(const YamlPart& key, Problems& problems)
{
  if (!isFieldName(key.text))
    problems.add(key, say("'{}' is no name", key.text),
                 say("names are lower case letters, digits and _, and begin with a letter"));
  return key.text;
}

void checkTemplate(const std::string& text, const std::vector<SheetField>& fields, const YamlPart& at,
                   Problems& problems)
{
  const YamlPart* const part = at.find("text");
  if (part == nullptr || text.empty())
    return;
  const auto names = namesInTemplate(text);
  if (!names) {
    problems.add(*part, say("a brace is not closed"), say("write {name}, and {{ for a brace itself"));
    return;
  }
  std::vector<std::string> known;
  known.reserve(fields.size());
  for (const SheetField& f : fields)
    known.push_back(f.name);
  for (const std::string& name : *names) {
    if (std::find(known.begin(), known.end(), name) != known.end())
      continue;
    const std::string near = nearest(name, known);
    problems.add(*part, say("there is no value '{}' to put into the text", name),
                 near.empty() ? std::string() : say("did you mean {}", near));
  }
}

YamlPart partAt(int line)
{
  YamlPart part;
  part.line = line;
  part.column = 1;
  return part;
}

}  // namespace bexto
