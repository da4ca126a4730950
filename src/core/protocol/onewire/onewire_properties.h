#pragma once

#include <vector>

#include "core/decode/property.h"

namespace bexto {

/// What 1-Wire transactions say of themselves, in the order of files.
std::vector<Property> oneWireProperties();

}  // namespace bexto
