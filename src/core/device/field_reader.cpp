// Tested by tests/core/sheet_test.cpp.
#include "core/device/field_reader.h"

#include <fmt/core.h>

#include <algorithm>
#include <cmath>

#include "core/base/say.h"
#include "core/device/yaml_scalar.h"

namespace bexto {

bool isFieldName(std::string_view name)
{
  const auto letter = [](char c) { return c >= 'a' && c <= 'z'; };
  return !name.empty() && name.size() <= 64 && letter(name.front()) &&
         std::all_of(name.begin(), name.end(), [&](char c) { return letter(c) || (c >= '0' && c <= '9') || c == '_'; });
}

std::optional<std::vector<std::string>> namesInTemplate(std::string_view text)
{
  std::vector<std::string> names;
  for (std::size_t i = 0; i < text.size(); ++i) {
    if (text[i] != '{')
      continue;
    if (text.substr(i).starts_with("{{")) {
      ++i;
      continue;
    }
    const std::size_t end = text.find('}', i);
    if (end == std::string_view::npos)
      return std::nullopt;
    names.emplace_back(text.substr(i + 1, end - i - 1));
    i = end;
  }
  return names;
}

namespace {

/// As many digits as a step needs: 0.25 has two. A step that no few digits say has those of its size: 0.003012 has
/// three.
int digitsOf(double step, double offset)
{
  if (step >= 1.0)
    return offset == std::floor(offset) && step == std::floor(step) ? 0 : 1;
  const int least = std::clamp(static_cast<int>(std::ceil(-std::log10(step) - 1e-9)), 0, 9);
  for (int digits = least; digits <= least + 2; ++digits) {
    const double counts = step * std::pow(10.0, digits);
    if (std::abs(counts - std::round(counts)) < 1e-6)
      return digits;
  }
  return least;
}

}  // namespace

std::vector<SheetField> FieldReader::fieldsOf(const YamlPart& part)
{
  m_before.clear();
  if (part.kind != YamlPart::Kind::Map) {
    m_problems.add(part, say("values have to be a map of names"), say("write each as name: {…}"));
    return {};
  }
  for (const auto& [key, value] : part.entries) {
    if (!isFieldName(key.text))
      m_problems.add(key, say("'{}' is no name of a value", key.text),
                     say("names are lower case letters, digits and _, and begin with a letter"));
    YamlMap map(value, say("a value"), m_problems);
    m_before.push_back(fieldOf(key, map));
  }
  return std::move(m_before);
}

SheetField FieldReader::fieldOf(const YamlPart& key, YamlMap& map)
{
  SheetField f;
  f.name = key.text;
  f.line = key.line;
  if (m_mayPlace || map.has("bits") || !map.has("at"))
    f.place = placeOf(map);
  else
    f.place = m_base;
  const std::string type =
      map.choice("type", {"unsigned", "signed", "bcd", "float", "flag", "text", "bytes"}, "unsigned");
  f.form = type == "signed"  ? FieldForm::Signed
           : type == "bcd"   ? FieldForm::Bcd
           : type == "float" ? FieldForm::Float
           : type == "flag"  ? FieldForm::Flag
           : type == "text"  ? FieldForm::Text
           : type == "bytes" ? FieldForm::Bytes
                             : FieldForm::Unsigned;
  const bool row = f.form == FieldForm::Text || f.form == FieldForm::Bytes;
  const YamlPart& at = map.part();
  const bool wideRow = f.place.bytes == 0 || f.place.bytes > 9 || (f.place.bytes == 9 && f.place.shift == 0);
  if (wideRow && !row) {
    m_problems.add(at, say("'{}' is a number of more than 8 bytes", f.name),
                   say("give it type: text or bytes, or fewer bytes"));
    f.form = FieldForm::Bytes;
  }
  if (f.form == FieldForm::Flag && f.place.bits != 1)
    m_problems.add(at, say("'{}' is a flag and has {} bits", f.name, f.place.bits), say("a flag is one bit: bits: 3"));
  if (f.form == FieldForm::Float && f.place.bits != 32 && f.place.bits != 64)
    m_problems.add(at, say("'{}' is a float of {} bits", f.name, f.place.bits),
                   say("floats (IEEE 754) have 4 or 8 bytes"));
  if (f.form == FieldForm::Bcd && f.place.bits % 4 != 0)
    m_problems.add(at, say("'{}' is BCD of {} bits", f.name, f.place.bits), say("a digit takes 4 bits"));
  // A scale is a number; a fixed point is one as well, written as the bits behind it.
  const auto fraction = map.whole("fraction", 0, 0, 63);
  if (const auto scale = map.number("scale")) {
    f.scale = *scale;
    if (f.scale == 0.0 || !std::isfinite(f.scale))
      m_problems.add(at, say("a scale of {} makes all values the same", f.scale), say("give what one count is worth"));
  }
  f.scale = std::ldexp(f.scale, -static_cast<int>(fraction));
  f.offset = map.number("offset").value_or(0.0);
  f.unit = map.text("unit");
  const double step = std::abs(f.scale);
  const int digits = f.form == FieldForm::Float ? -1 : digitsOf(step, f.offset);
  f.digits = static_cast<int>(map.whole("digits", digits, 0, 12));
  f.hex = map.yes("hex", false);
  if (const YamlPart* const words = map.get("values"))
    f.words = wordsOf(*words);
  if (const YamlPart* const reserved = map.get("reserved"))
    f.reserved = rangesOf(*reserved, "reserved");
  if (const auto least = map.number("min"))
    f.least = *least;
  if (const auto most = map.number("max"))
    f.most = *most;
  if (f.least > f.most)
    m_problems.add(at, say("'{}' has a min above its max", f.name), say("swap them"));
  f.counts = map.yes("counter", false);
  if (row && (f.scale != 1.0 || !f.words.empty() || !f.reserved.empty() || f.counts))
    m_problems.add(at, say("'{}' is no number", f.name), say("leave scale, values, reserved and counter away"));
  if (row)
    f.reserved.clear();
  if (const YamlPart* const when = map.get("when"))
    readWhen(*when, f);
  return f;
}

BitPlace FieldReader::placeOf(YamlMap& map)
{
  BitPlace place = m_base;
  const YamlPart& at = map.part();
  place.big = map.choice("order", {"big", "little"}, (m_mayPlace ? m_big : m_base.big) ? "big" : "little") == "big";
  if (!m_mayPlace) {
    place.big = m_base.big;
    if (map.has("order") && !map.has("at"))
      m_problems.add(at, say("the order of bytes is that of the register"), say("write order: beside at:"));
  }
  const bool byStart = map.has("start") || map.has("length");
  if (byStart && m_mayPlace) {
    // A signal: `start` is its lowest bit where the order is little, its highest where it is big; bit 0 is the lowest
    // of byte 0, bit 8 the lowest of byte 1.
    map.need("start", "start: 12");
    map.need("length", "length: 10");
    for (const char* other : {"byte", "bytes", "bits"})
      map.refuse(other, say("start: and length: say it all"));
    const auto start = static_cast<std::uint32_t>(map.whole("start", 0, 0, 511));
    const auto length = static_cast<std::uint32_t>(map.whole("length", 1, 1, 64));
    place.bits = length;
    place.byte = static_cast<std::int32_t>(start / 8);
    if (place.big) {
      const std::uint32_t inFirst = start % 8 + 1;
      const std::uint32_t behind = length > inFirst ? length - inFirst : 0;
      place.bytes = 1 + (behind + 7) / 8;
      place.shift = length > inFirst ? place.bytes * 8 - 8 - behind : inFirst - length;
    } else {
      place.shift = start % 8;
      place.bytes = (place.shift + length + 7) / 8;
    }
    return place;
  }
  if (m_mayPlace) {
    if (!map.has("byte"))
      m_problems.add(at, say("nothing says where this is"), say("add byte: 0, or start: and length:"));
    place.byte = static_cast<std::int32_t>(map.whole("byte", 0, -65536, 65535));
    const YamlPart* const bytes = map.get("bytes");
    place.bytes = 1;
    if (bytes != nullptr && bytes->text == "rest")
      place.bytes = 0;
    else if (bytes != nullptr)
      place.bytes = static_cast<std::uint32_t>(map.whole("bytes", 1, 1, 4096));
    if (place.byte < 0 && static_cast<std::int64_t>(place.bytes) > -std::int64_t{place.byte})
      m_problems.add(
          at, say("this goes on behind the end"),
          say("the last {} begin at {}", counted(place.bytes, kBytes), -static_cast<std::int64_t>(place.bytes)));
    place.bits = std::min(64U, place.bytes * 8);
    place.shift = 0;
  }
  if (const YamlPart* const bits = map.get("bits")) {
    if (const auto range = rangeOf(*bits, "bits", m_problems)) {
      const auto [a, b] = *range;
      const std::int64_t low = std::min(a, b);
      const std::int64_t high = std::max(a, b);
      const auto most = static_cast<std::int64_t>(std::min(64U, place.bytes * 8));
      if (low < 0 || high >= most)
        m_problems.add(*bits, say("there are no bits {}", bits->text),
                       most == 8 ? say("a byte has the bits 7..0") : say("these bytes have the bits {}..0", most - 1));
      else {
        place.shift = static_cast<std::uint32_t>(low);
        place.bits = static_cast<std::uint32_t>(high - low + 1);
      }
    }
  }
  return place;
}

std::vector<ValueName> FieldReader::wordsOf(const YamlPart& part)
{
  std::vector<ValueName> words;
  if (part.kind != YamlPart::Kind::Map) {
    m_problems.add(part, say("words of values have to be a map"), say("write {0: off, 1: on}"));
    return words;
  }
  for (const auto& [key, value] : part.entries) {
    const auto range = rangeOf(key, "values", m_problems);
    if (!range)
      continue;
    if (value.kind != YamlPart::Kind::Scalar || value.text.empty())
      m_problems.add(key, say("{} has no word", key.text), say("write {}: off", key.text));
    words.push_back({range->first, range->second, value.text});
    if (range->first > range->second)
      m_problems.add(key, say("the range {} ends before it begins", key.text), say("swap its ends"));
  }
  std::sort(words.begin(), words.end(), [](const ValueName& a, const ValueName& b) { return a.low < b.low; });
  for (std::size_t i = 1; i < words.size(); ++i) {
    if (words[i].low <= words[i - 1].high)
      m_problems.add(part, say("{} is both '{}' and '{}'", words[i].low, words[i - 1].name, words[i].name),
                     say("give it one word"));
  }
  return words;
}

std::vector<ValueName> FieldReader::rangesOf(const YamlPart& part, const char* key)
{
  std::vector<ValueName> ranges;
  const auto add = [&](const YamlPart& one) {
    if (const auto range = rangeOf(one, key, m_problems))
      ranges.push_back({std::min(range->first, range->second), std::max(range->first, range->second)});
  };
  if (part.kind != YamlPart::Kind::List)
    add(part);
  for (const YamlPart& item : part.items)
    add(item);
  return ranges;
}

void FieldReader::readWhen(const YamlPart& part, SheetField& field)
{
  if (part.kind != YamlPart::Kind::Map || part.entries.size() != 1) {
    m_problems.add(part, say("'when' names one other value and what it has to be"), say("write when: {kind: 2}"));
    return;
  }
  const YamlPart& name = part.entries.front().key;
  const YamlPart& value = part.entries.front().value;
  const auto other =
      std::find_if(m_before.begin(), m_before.end(), [&](const SheetField& f) { return f.name == name.text; });
  if (other == m_before.end()) {
    m_problems.add(name, say("there is no value '{}' above this one", name.text),
                   say("put the value that decides in front"));
    return;
  }
  if (other->form == FieldForm::Text || other->form == FieldForm::Bytes || other->form == FieldForm::Float) {
    m_problems.add(name, say("'{}' is no whole number", name.text), say("let a whole number decide"));
    return;
  }
  field.onlyWith = static_cast<std::size_t>(other - m_before.begin());
  field.onlyWhen = rangesOf(value, "when");
}

std::vector<SheetField> FieldReader::wordsOfLine(const YamlPart& part)
{
  std::vector<SheetField> fields;
  if (part.kind != YamlPart::Kind::Map) {
    m_problems.add(part, say("values have to be a map of names"), say("write each as name: {…}"));
    return fields;
  }
  for (const auto& [key, value] : part.entries) {
    YamlMap map(value, say("a value in a line"), m_problems);
    SheetField f;
    f.name = key.text;
    f.line = key.line;
    if (!isFieldName(f.name))
      m_problems.add(key, say("'{}' is no name of a value", key.text),
                     say("names are lower case letters, digits and _, and begin with a letter"));
    f.unit = map.text("unit");
    const std::string type = map.choice("type", {"number", "text"}, f.unit.empty() ? "text" : "number");
    f.form = type == "number" ? FieldForm::Float : FieldForm::Text;
    if (const auto least = map.number("min"))
      f.least = *least;
    if (const auto most = map.number("max"))
      f.most = *most;
    fields.push_back(std::move(f));
  }
  return fields;
}

}  // namespace bexto
