#pragma once

#include <vector>

#include "core/decode/property.h"

namespace bexto {

/// What transfers and words say of themselves, in the order of files.
std::vector<Property> spiProperties();

}  // namespace bexto
