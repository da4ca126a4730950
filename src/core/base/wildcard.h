#pragma once

#include <string_view>

namespace bexto {

/// Whether case counts.
enum class Letters { AsTheyAre, Alike };

/// Whether `text` is what `pattern` says: * is any number of characters, ? is one. Letters that are alike: of ASCII.
/// Linear in the text, but for patterns with several *.
bool matchesPattern(std::string_view pattern, std::string_view text, Letters letters = Letters::AsTheyAre);

}  // namespace bexto
