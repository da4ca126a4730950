#pragma once

#include <memory>
#include <vector>

#include "cli/command_line.h"
#include "core/store/session_store.h"

namespace bexto::cli {

/// What a command reads: a capture, and what is known of it when it comes from a session.
struct Input {
  Capture capture;           ///< conditioned as the session says
  std::vector<Bus> buses;    ///< the session's, or those that the capture's records are
  SessionFile session = {};  ///< whole; of a plain capture, one segment
  std::shared_ptr<SessionStore> store = {};

  /// Whether all that was looked at could be read. Errors: Malformed.
  Result<void> checkWhole() const;
};

/// Opens a session or a capture with progress on the terminal, and prints its notes on standard error.
/// Errors: BadArgument (no such segment), Unreadable, Malformed.
Result<Input> openInput(const Request& request);

}  // namespace bexto::cli
