#pragma once

#include <vector>

#include "core/decode/property.h"

namespace bexto {

/// What frames say of themselves, as far as they were read, in the order of files.
std::vector<Property> linProperties();

}  // namespace bexto
