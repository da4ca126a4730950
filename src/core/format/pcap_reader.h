#pragma once

#include <stop_token>
#include <string>
#include <string_view>

#include "core/base/progress.h"
#include "core/base/result.h"
#include "core/format/read_hints.h"
#include "core/signal/capture.h"

namespace bexto {

/// Whether a file that begins so is one of packets in the older form, of either byte order, with times in micro- or
/// nanoseconds.
bool looksLikePcap(std::string_view begin);

/// Reads a file of packets in the older form (draft-ietf-opsawg-pcap), by libpcap; plain or packed by gzip. It has one
/// interface, without a name. A file that breaks off is read up to there, with a note.
/// Errors: Unreadable, Malformed, Cancelled.
Result<Capture> readPcap(const std::string& path, const ReadHints& hints, const std::stop_token& stop,
                         Progress& progress);

}  // namespace bexto
