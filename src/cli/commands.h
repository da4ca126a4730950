#pragma once

#include "cli/command_line.h"

namespace bexto::cli {

/// Each carries out its command. Errors: BadArgument, Unreadable, Malformed, Unwritable.
Result<void> runInfo(const Request& request, FrameFormat format);
Result<void> runDecode(const Request& request, FrameFormat format);

/// Writes the capture, or the whole session, in the format of the output's suffix.
Result<void> runConvert(const Request& request);

}  // namespace bexto::cli
