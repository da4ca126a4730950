#pragma once

#include <vector>

#include "core/decode/property.h"

namespace bexto {

/// What transfers say of themselves, in the order of files.
std::vector<Property> i2cProperties();
/// Words that stand alone in a filter.
std::vector<PropertyWord> i2cPropertyWords();

}  // namespace bexto
