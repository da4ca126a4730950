#pragma once

#include <stop_token>
#include <string>
#include <string_view>

#include "core/base/progress.h"
#include "core/base/result.h"
#include "core/format/read_hints.h"
#include "core/signal/capture.h"

namespace bexto {

/// Reads rows of text as a capture, packed by gzip or plain: as the hints' layout says, else as it is recognised (see
/// csv_layout.h).
///
/// With a time column a row says the levels from its time on; times that begin below 0, or so late that no capture
/// reaches there, count from the first row, and what was 0 is the trigger. Without, a row is a sample. Columns called
/// name[7], name[6] … next to each other are a number. A cut last line is passed over with a note. Errors: Unreadable;
/// Malformed with the line and the mend; BadArgument when the layout cannot be read; Cancelled.
Result<Capture> readCsv(const std::string& path, const ReadHints& hints, const std::stop_token& stop,
                        Progress& progress);

/// The same for a text in memory. `source` names it in errors.
Result<Capture> parseCsv(std::string_view text, const std::string& source, const ReadHints& hints);

/// What the begin of the file looks like. Errors: Unreadable, Malformed as guessCsvLayout().
struct CsvBegin {
  std::string text;    ///< kCsvLook bytes at most
  bool whole = false;  ///< that is all
};
Result<CsvBegin> readCsvBegin(const std::string& path);

}  // namespace bexto
