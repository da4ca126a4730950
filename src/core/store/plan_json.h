#pragma once

#include <string>

#include "core/session/capture_plan.h"

namespace bexto {

/// What is to be captured, as JSON (docs/session-format.md, "bench").
std::string planText(const CapturePlan& plan);
/// The same back. What is not there, or makes no sense, is as in a new plan.
CapturePlan planOfText(const std::string& text);

}  // namespace bexto
