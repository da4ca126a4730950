#pragma once

#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "cli/command_line.h"
#include "cli/input.h"
#include "core/decode/decoder.h"
#include "core/query/sent_times.h"

namespace bexto::cli {

/// A stream, decoded.
struct DecodedStream {
  std::size_t bus = 0;  ///< in DecodedBuses::buses
  BusStream stream;
  StreamInput input;
  FrameIndex frames;
  std::shared_ptr<const SentTimes> sent;
};

struct DecodedBuses {
  std::vector<ResolvedBus> buses;
  std::vector<DecodedStream> streams;  ///< in the order of the buses
  /// Why one of the buses is not there: a rate that its wires do not tell. The others are.
  std::optional<Error> missing;
};

/// Reads the capture's channels as the request says, and decodes its buses, else those of the session.
/// Errors: BadArgument (no bus, a channel that is missing).
Result<DecodedBuses> decodeBuses(const Request& request, Input& input);

/// Whether a request without buses can have some: said before a long capture is read for nothing. `command` is said in
/// the mend.
Result<void> checkHasBuses(const Request& request, const char* command);

}  // namespace bexto::cli
