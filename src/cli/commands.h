#pragma once

#include "cli/command_line.h"

namespace bexto::cli {

/// Each carries out its command. Errors: BadArgument, Unreadable, Malformed, Unwritable.
Result<void> runInfo(const Request& request, FrameFormat format);
Result<void> runDecode(const Request& request, FrameFormat format);

/// Measures and judges. True: no rule failed.
Result<bool> runCheck(const Request& request, FrameFormat format);

/// Writes the capture, or the whole session, in the format of the output's suffix.
Result<void> runConvert(const Request& request);

/// Takes a capture from a source and writes it as a session while it comes. What was recorded before something went
/// wrong, or before SIGINT or SIGTERM, is in the session.
Result<void> runCapture(const Request& request);

}  // namespace bexto::cli
