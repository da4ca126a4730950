#pragma once

#include <string>

#include "core/base/result.h"
#include "core/signal/capture.h"

namespace bexto {

/// Writes a capture as a value change dump (IEEE Std 1364-2005, clause 18), whole or not at all. The unit is the
/// capture's tick; the dots of a path become scopes. Reading it back gives the same transitions and the same end.
/// A name that ends in .gz is packed. Errors: Unwritable.
Result<void> writeVcd(const Capture& capture, const std::string& path);

/// The same as a text.
std::string vcdText(const Capture& capture);

}  // namespace bexto
