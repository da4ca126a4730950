#pragma once

#include "cli/command_line.h"

namespace bexto::cli {

/// Each carries out its command. Errors: BadArgument, Unreadable, Malformed, Unwritable.
Result<void> runInfo(const Request& request, FrameFormat format);
Result<void> runDecode(const Request& request, FrameFormat format);

/// Reads the capture with progress on the terminal, and prints its notes on standard error.
Result<Capture> openCapture(const Request& request);

}  // namespace bexto::cli
