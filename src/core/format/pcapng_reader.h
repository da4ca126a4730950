#pragma once

#include <stop_token>
#include <string>
#include <string_view>

#include "core/base/progress.h"
#include "core/base/result.h"
#include "core/format/read_hints.h"
#include "core/signal/capture.h"

namespace bexto {

/// Whether a file that begins so is one of blocks: a section header.
bool looksLikePcapng(std::string_view begin);

/// Reads a file of packets after the IETF draft "PCAP Now Generic (pcapng) Capture File Format"
/// (draft-ietf-opsawg-pcapng), plain or packed by gzip: sections of either byte order, interfaces with their names,
/// resolutions and offsets, enhanced, simple and old packet blocks, and what the recorder says of its begin, its end
/// and its losses. Blocks of other types are passed over. A channel for each interface whose link type a protocol
/// reads. A file that breaks off, or goes on with nothing but zeros, is read up to there, with a note.
/// Errors: Unreadable, Malformed with the byte (also for more than 256 interfaces), Cancelled.
Result<Capture> readPcapng(const std::string& path, const ReadHints& hints, const std::stop_token& stop,
                           Progress& progress);

}  // namespace bexto
