#pragma once

#include <array>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "core/device/sheet.h"
#include "core/device/yaml_map.h"

namespace bexto {

/// Lower case letters, digits and _, beginning with a letter.
bool isFieldName(std::string_view name);

/// The names in braces, in their order; nothing when a brace is not closed. "{{" is a brace itself.
std::optional<std::vector<std::string>> namesInTemplate(std::string_view text);

/// Reads the values of one register, command or message.
class FieldReader {
 public:
  /// The keys of a value, but those of its place.
  static constexpr std::array<const char*, 13> kKeys{"type",     "scale",   "offset",   "unit", "digits",
                                                     "hex",      "values",  "reserved", "min",  "max",
                                                     "fraction", "counter", "when"};

  /// `base` is where a value is that says nothing else. With `mayPlace` values say their bytes; without, only bits of
  /// `base`.
  FieldReader(BitPlace base, bool big, bool mayPlace, Problems& problems)
      : m_base(base), m_big(big), m_mayPlace(mayPlace), m_problems(problems)
  {
  }

  /// Of a map of names.
  std::vector<SheetField> fieldsOf(const YamlPart& part);
  /// Of one map that has its keys, and mostly others as well.
  SheetField fieldOf(const YamlPart& key, YamlMap& map);
  BitPlace placeOf(YamlMap& map);
  std::vector<ValueName> wordsOf(const YamlPart& part);
  /// Values in a line of text: words, or numbers with a unit.
  std::vector<SheetField> wordsOfLine(const YamlPart& part);

 private:
  void readWhen(const YamlPart& part, SheetField& field);
  std::vector<ValueName> rangesOf(const YamlPart& part, const char* key);

  BitPlace m_base;
  bool m_big;
  bool m_mayPlace;
  Problems& m_problems;
  std::vector<SheetField> m_before;  ///< those of the map so far: what a `when` may name
};

}  // namespace bexto
