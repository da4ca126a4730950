#pragma once

#include <cstdint>
#include <optional>
#include <string_view>

namespace bexto {

// Scalars of YAML 1.2.2 as its core schema (chapter 10.3.2) reads them.

/// "42", "-7", "0x2A", "0o17".
std::optional<std::int64_t> yamlInteger(std::string_view text);
/// The same, and "0.003012", "1e-3".
std::optional<double> yamlNumber(std::string_view text);

}  // namespace bexto
