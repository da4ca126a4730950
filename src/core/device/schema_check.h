#pragma once

#include <string>
#include <vector>

#include "core/device/yaml_tree.h"

namespace bexto {

/// What in the document does not fit that JSON Schema (draft 7), said as `message`; empty: all fits. The schema is
/// parsed once: `schema` has to live as long as the program.
std::vector<SheetProblem> problemsBySchema(const YamlPart& document, const std::string& schema,
                                           const std::string& message);

}  // namespace bexto
