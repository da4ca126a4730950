#pragma once

#include <string>

#include "core/base/result.h"
#include "core/format/read_hints.h"
#include "core/signal/capture.h"

namespace bexto {

/// The rate at which packed samples show every transition of the capture at its own time: the capture's own, else that
/// of the longest period of which all times are multiples. Reads every transition.
double exactRate(const Capture& capture);

/// Writes a capture as packed samples (see packed_reader.h), whole or not at all: channels in their order, from the
/// capture's begin to its end. Without a rate in the hints it is exactRate(). At a lower one a change shows in the
/// first sample at its time or after it, and pulses between two samples are lost. A name that ends in .gz is packed.
/// Errors: BadArgument when that would take more than 2^30 bytes and nobody said the rate, or more than 2^40;
/// Unwritable.
Result<void> writePacked(const Capture& capture, const std::string& path, const WriteHints& hints);

}  // namespace bexto
