#pragma once

#include <stop_token>
#include <string>
#include <string_view>

#include "core/base/progress.h"
#include "core/base/result.h"
#include "core/signal/capture.h"

namespace bexto {

/// Reads a value change dump (IEEE Std 1364-2005, clause 18; also an extended one, 18.4) as simulators and instruments
/// write them, plain or packed by gzip.
///
/// Scalars become channels, vectors a channel for each bit. Reals, strings and events are passed over with a note. x
/// and z keep the last known level. A file that breaks off in its last line is read up to there, with a note. Looks at
/// the token and reports every megabyte; memory is that of the packed tracks. Errors: Unreadable; Malformed with the
/// line; Cancelled.
Result<Capture> readVcd(const std::string& path, const std::stop_token& stop, Progress& progress);

/// The same for a text in memory. `source` names it in errors.
Result<Capture> parseVcd(std::string_view text, const std::string& source, const std::stop_token& stop,
                         Progress& progress);

}  // namespace bexto
