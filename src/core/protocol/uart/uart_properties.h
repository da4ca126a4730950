#pragma once

#include <vector>

#include "core/decode/property.h"

namespace bexto {

/// What characters and breaks say of themselves, in the order of files.
std::vector<Property> uartProperties();

}  // namespace bexto
