#pragma once

#include <string>

#include "core/base/result.h"
#include "core/format/read_hints.h"
#include "core/signal/capture.h"

namespace bexto {

/// Writes a capture as rows of text (RFC 4180), whole or not at all: "time [s]" and a column for each channel, a row
/// for the begin, one for each moment at which something changes, and one for the end. Times count from the trigger
/// where there is one. Reading it back gives the same transitions, end and trigger. A name that ends in .gz is packed.
/// Errors: Unwritable.
Result<void> writeCsv(const Capture& capture, const std::string& path, const WriteHints& hints);

/// The same as a text.
std::string csvText(const Capture& capture);

}  // namespace bexto
