#pragma once

#include <string>

#include "core/base/result.h"
#include "core/signal/capture.h"

namespace bexto::rig {

/// Writes the capture to a value change dump as an instrument would that records it: each moment when its time has
/// come, `speed` times as fast as it was. Returns when the capture's end is written.
/// Errors: Unwritable.
Result<void> replay(const Capture& capture, const std::string& path, double speed);

}  // namespace bexto::rig
