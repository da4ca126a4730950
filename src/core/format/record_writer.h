#pragma once

#include <string>

#include "core/base/result.h"
#include "core/format/read_hints.h"
#include "core/signal/capture.h"

namespace bexto {

// Frames as packets. A channel of records gives them as they are; wires give the frames that the buses of the hints
// decode from them, as records of their protocol: each at its begin, to the nanosecond. What the capture's end cut is
// left out. Times are those of the capture, from when it began where that is known, else from 1970.

/// A file of blocks (draft-ietf-opsawg-pcapng) with an interface for each, by name, and when the capture began and
/// ended. A name that ends in .gz is packed.
/// Errors: BadArgument when no frames can be had (no bus, or one whose protocol has no records), Unwritable.
Result<void> writePcapng(const Capture& capture, const std::string& path, const WriteHints& hints);

/// The older form, by libpcap, which has room for one interface. Errors: as above, and for several.
Result<void> writePcap(const Capture& capture, const std::string& path, const WriteHints& hints);

}  // namespace bexto
