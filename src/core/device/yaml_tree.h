#pragma once

#include <memory>
#include <string>
#include <string_view>
#include <vector>

#include "core/base/result.h"

namespace bexto {

/// Something that a person wrote and that cannot be, and where: what an editor underlines.
struct SheetProblem {
  int line = 0;         ///< from 1; 0: of the whole file
  int column = 0;       ///< from 1
  std::string message;  ///< one sentence, no full stop
  std::string mend;     ///< may be empty
  /// "line 12: message; mend".
  std::string text() const;
  bool operator==(const SheetProblem&) const = default;
};

struct YamlEntry;

/// A part of a YAML document (YAML 1.2.2, chapter 3.2.1) with its place in the text. A plain value. Aliases are written
/// out; what is no tree is refused.
struct YamlPart {
  enum class Kind { Nothing, Scalar, List, Map };
  Kind kind = Kind::Nothing;
  int line = 0;  ///< from 1
  int column = 0;
  std::string text;                ///< of a Scalar
  bool quoted = false;             ///< a Scalar that is a text whatever it looks like
  std::vector<YamlPart> items;     ///< of a List
  std::vector<YamlEntry> entries;  ///< of a Map; keys are Scalars, each once

  /// nullptr when there is none.
  const YamlPart* find(std::string_view key) const;
};

/// A key of a map and what stands behind it.
struct YamlEntry {
  YamlPart key;
  YamlPart value;
};

/// Errors: what cannot be read, first come; `parts` and depth have limits, so that no document takes the program down.
tl::expected<YamlPart, SheetProblem> parseYaml(const std::string& text);

/// The same as JSON (RFC 8259): scalars by the core schema of YAML 1.2.2, chapter 10.3.2, but texts that are quoted.
std::string jsonOf(const YamlPart& part);

}  // namespace bexto
