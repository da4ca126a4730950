#pragma once

#include <vector>

#include "core/decode/property.h"

namespace bexto {

/// What data and remote frames say of themselves, as far as they were read, in the order of files.
std::vector<Property> canProperties();
/// Words that stand alone in a filter.
std::vector<PropertyWord> canPropertyWords();

}  // namespace bexto
