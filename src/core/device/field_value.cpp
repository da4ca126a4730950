// Tested by tests/core/field_value_test.cpp.
#include "core/device/field_value.h"

#include <fmt/core.h>

#include <algorithm>
#include <bit>
#include <cmath>

#include "core/base/number_text.h"
#include "core/base/say.h"
#include "core/decode/sentence.h"

namespace bexto {

namespace {

/// The bytes of a place; empty when there are too few.
std::span<const std::uint8_t> bytesAt(const BitPlace& place, std::span<const std::uint8_t> bytes)
{
  const auto size = static_cast<std::int64_t>(bytes.size());
  const std::int64_t from = place.byte < 0 ? size + place.byte : place.byte;
  if (from < 0 || from > size)
    return {};
  const std::int64_t count = place.bytes == 0 ? size - from : std::int64_t{place.bytes};
  if (from + count > size)
    return {};
  return bytes.subspan(static_cast<std::size_t>(from), static_cast<std::size_t>(count));
}

bool isAmong(const std::vector<ValueName>& ranges, std::int64_t value)
{
  return std::any_of(ranges.begin(), ranges.end(),
                     [&](const ValueName& r) { return value >= r.low && value <= r.high; });
}

/// Digits of four bits; `wrong` when one is above 9.
std::int64_t decimalOf(std::uint64_t bits, unsigned width, bool& wrong)
{
  std::int64_t value = 0;
  for (unsigned at = width; at >= 4; at -= 4) {
    const auto digit = static_cast<std::int64_t>(bits >> (at - 4) & 15U);
    wrong = wrong || digit > 9;
    value = value * 10 + digit;
  }
  return value;
}

std::string printable(std::span<const std::uint8_t> bytes)
{
  std::string text;
  for (const std::uint8_t b : bytes)
    text += b >= 0x20 && b < 0x7f ? std::string(1, static_cast<char>(b)) : fmt::format("\\x{:02X}", b);
  return text;
}

}  // namespace

std::optional<std::uint64_t> bitsAt(const BitPlace& place, std::span<const std::uint8_t> bytes)
{
  const std::span<const std::uint8_t> own = bytesAt(place, bytes);
  if (own.empty() || own.size() > 9)
    return std::nullopt;
  std::uint64_t value = 0;
  if (place.big) {
    // Of nine bytes the last shift leaves no more than 64 bits that count.
    const std::size_t whole = std::min<std::size_t>(own.size(), 8);
    for (std::size_t i = 0; i < whole; ++i)
      value = value << 8U | own[i];
    if (own.size() == 9) {
      const std::uint64_t high = own[0];
      value = 0;
      for (std::size_t i = 1; i < 9; ++i)
        value = value << 8U | own[i];
      value = place.shift == 0 ? value : value >> place.shift | high << (64U - place.shift);
    } else {
      value >>= place.shift;
    }
  } else {
    const std::size_t whole = std::min<std::size_t>(own.size(), 8);
    for (std::size_t i = whole; i-- > 0;)
      value = value << 8U | own[i];
    value >>= place.shift;
    if (own.size() == 9 && place.shift != 0)
      value |= std::uint64_t{own[8]} << (64U - place.shift);
  }
  return place.bits >= 64 ? value : value & ((std::uint64_t{1} << place.bits) - 1);
}

const std::string* SheetField::wordOf(std::int64_t raw) const
{
  const auto after = std::upper_bound(words.begin(), words.end(), raw,
                                      [](std::int64_t value, const ValueName& word) { return value < word.low; });
  if (after == words.begin() || raw > (after - 1)->high)
    return nullptr;
  return &(after - 1)->name;
}

std::optional<std::int64_t> rawOf(const SheetField& field, const FieldBytes& bytes)
{
  if (field.form == FieldForm::Text || field.form == FieldForm::Bytes)
    return std::nullopt;
  const auto bits = bitsAt(field.place, bytes.of(field.place));
  if (!bits)
    return std::nullopt;
  const unsigned width = field.place.bits;
  if (field.form == FieldForm::Signed && width < 64 && (*bits >> (width - 1) & 1U) != 0)
    return static_cast<std::int64_t>(*bits | ~std::uint64_t{0} << width);
  if (field.form == FieldForm::Bcd) {
    bool wrong = false;
    return decimalOf(*bits, width, wrong);
  }
  return static_cast<std::int64_t>(*bits);
}

double scaledOf(const SheetField& field, std::int64_t raw)
{
  double number = static_cast<double>(raw);
  if (field.form == FieldForm::Float)
    number = field.place.bits == 32 ? static_cast<double>(std::bit_cast<float>(static_cast<std::uint32_t>(raw)))
                                    : std::bit_cast<double>(raw);
  else if (raw < 0 && field.form != FieldForm::Signed)
    number = static_cast<double>(static_cast<std::uint64_t>(raw));
  return number * field.scale + field.offset;
}

std::optional<double> numberOf(const SheetField& field, const FieldBytes& bytes)
{
  const auto raw = rawOf(field, bytes);
  if (!raw)
    return std::nullopt;
  return scaledOf(field, *raw);
}

bool isWrong(const SheetField& field, const FieldBytes& bytes, std::int64_t raw)
{
  if (field.form == FieldForm::Bcd) {
    bool wrong = false;
    decimalOf(bitsAt(field.place, bytes.of(field.place)).value_or(0), field.place.bits, wrong);
    if (wrong)
      return true;
  }
  if (isAmong(field.reserved, raw))
    return true;
  const double number = scaledOf(field, raw);
  return number < field.least || number > field.most;
}

std::string wrongOf(const SheetField& field, const FieldBytes& bytes, std::int64_t raw)
{
  if (!isWrong(field, bytes, raw))
    return "";
  if (isAmong(field.reserved, raw))
    return say("reserved");
  const double number = scaledOf(field, raw);
  if (number < field.least)
    return say("below its least, {}", fmt::format("{:g}", field.least));
  if (number > field.most)
    return say("above its most, {}", fmt::format("{:g}", field.most));
  return say("no decimal digits");
}

bool isThere(const std::vector<SheetField>& fields, const SheetField& field, const FieldBytes& bytes)
{
  if (!field.onlyWith)
    return true;
  const SheetField& other = fields[*field.onlyWith];
  const auto raw = rawOf(other, bytes);
  return raw && isAmong(field.onlyWhen, *raw) && isThere(fields, other, bytes);
}

std::optional<ToldValue> valueOf(const SheetField& field, const FieldBytes& bytes)
{
  ToldValue value;
  value.name = field.name;
  value.unit = field.unit;
  value.inward = field.place.inward;
  const std::span<const std::uint8_t> all = bytes.of(field.place);
  const std::span<const std::uint8_t> own = bytesAt(field.place, all);
  if (own.empty())
    return std::nullopt;
  value.firstByte = static_cast<std::uint32_t>(own.data() - all.data());
  if (field.form == FieldForm::Text || field.form == FieldForm::Bytes) {
    constexpr std::size_t kMost = 32;
    if (field.form == FieldForm::Text) {
      std::span<const std::uint8_t> text = own;
      while (!text.empty() && text.back() == 0)
        text = text.first(text.size() - 1);
      value.text = "“" + printable(text) + "”";
    } else {
      value.text = rowOfBytes(own, ValueFormat::Hex, kMost);
    }
    return value;
  }
  const auto raw = rawOf(field, bytes);
  if (!raw)
    return std::nullopt;
  value.raw = *raw;
  value.number = scaledOf(field, *raw);
  value.isFlag = field.form == FieldForm::Flag;
  value.wrong = wrongOf(field, bytes, *raw);
  if (const std::string* const word = field.wordOf(*raw)) {
    value.text = *word;
    value.unit.clear();
  } else if (value.isFlag) {
    value.text = *raw != 0 ? say("yes") : say("no");
  } else if (field.hex || !value.wrong.empty()) {
    value.text = fmt::format("0x{:0{}X}", bitsAt(field.place, all).value_or(0), (field.place.bits + 3) / 4);
    value.unit.clear();
  } else if (field.digits < 0) {
    value.text = fmt::format("{:.7g}", *value.number);
  } else {
    value.text = fmt::format("{:.{}f}", *value.number, field.digits);
  }
  return value;
}

std::vector<ToldValue> valuesOf(const std::vector<SheetField>& fields, const FieldBytes& bytes)
{
  std::vector<ToldValue> values;
  for (const SheetField& field : fields) {
    if (!isThere(fields, field, bytes))
      continue;
    if (auto value = valueOf(field, bytes))
      values.push_back(std::move(*value));
  }
  return values;
}

std::string filledIn(const std::string& text, const std::vector<ToldValue>& values)
{
  std::string out;
  for (std::size_t i = 0; i < text.size(); ++i) {
    const bool twice = i + 1 < text.size() && text[i] == text[i + 1] && (text[i] == '{' || text[i] == '}');
    if (twice || text[i] != '{') {
      out += text[i];
      i += twice ? 1U : 0U;
      continue;
    }
    const std::size_t end = text.find('}', i);
    if (end == std::string::npos)
      break;
    const std::string name = text.substr(i + 1, end - i - 1);
    const auto found = std::find_if(values.begin(), values.end(), [&](const ToldValue& v) { return v.name == name; });
    out += found == values.end() ? std::string("?") : found->textWithUnit();
    i = end;
  }
  return out;
}

std::string sentenceOf(const std::vector<ToldValue>& values)
{
  std::string text;
  bool flags = false;
  std::string set;
  const auto add = [](std::string& row, const std::string& more) { row += (row.empty() ? "" : ", ") + more; };
  for (const ToldValue& v : values) {
    if (v.isFlag && (v.text == say("yes") || v.text == say("no"))) {
      flags = true;
      if (v.raw.value_or(0) != 0)
        add(set, shownName(v.name));
      continue;
    }
    add(text, shownName(v.name) + " = " + v.textWithUnit());
  }
  if (flags)
    add(text, set.empty() ? say("no flag") : set);
  return text;
}

bool matchLine(const std::string& pattern, std::string_view line, const std::vector<SheetField>& fields,
               std::vector<ToldValue>* values)
{
  // What stands between the names is looked for from left to right; a name takes as little as possible, and at least
  // one character.
  std::size_t at = 0;
  std::size_t field = 0;
  for (std::size_t i = 0; i < pattern.size();) {
    const bool name = pattern[i] == '{' && !(i + 1 < pattern.size() && pattern[i + 1] == '{');
    if (!name) {
      if (at >= line.size() || line[at] != pattern[i])
        return false;
      i += pattern[i] == '{' ? 2U : 1U;
      ++at;
      continue;
    }
    i = pattern.find('}', i) + 1;
    std::string literal;
    for (std::size_t k = i; k < pattern.size(); ++k) {
      if (pattern[k] == '{' && !(k + 1 < pattern.size() && pattern[k + 1] == '{'))
        break;
      literal += pattern[k];
      k += pattern[k] == '{' ? 1U : 0U;
    }
    std::size_t end = line.size();
    if (!literal.empty()) {
      const bool last = pattern.find('{', i) == std::string::npos;
      end = last ? (line.size() >= literal.size() ? line.size() - literal.size() : 0) : line.find(literal, at + 1);
    }
    if (end == std::string_view::npos || end <= at || field >= fields.size())
      return false;
    const SheetField& f = fields[field++];
    const std::string_view text = line.substr(at, end - at);
    ToldValue value;
    value.name = f.name;
    value.firstByte = static_cast<std::uint32_t>(at);
    value.text = text;
    if (f.form == FieldForm::Float) {
      const std::size_t blank = text.find_first_not_of(' ');
      const auto number = parseNumber(text.substr(blank == std::string_view::npos ? 0 : blank));
      if (!number)
        return false;
      value.number = number;
      value.text = text.substr(blank == std::string_view::npos ? 0 : blank);
      value.unit = f.unit;
      if (*number < f.least || *number > f.most)
        value.wrong = say("out of its range");
    }
    if (values != nullptr)
      values->push_back(std::move(value));
    at = end;
  }
  return at == line.size();
}

}  // namespace bexto
