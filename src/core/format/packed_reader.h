#pragma once

#include <stop_token>
#include <string>

#include "core/base/progress.h"
#include "core/base/result.h"
#include "core/format/read_hints.h"
#include "core/signal/capture.h"

namespace bexto {

/// Most channels that packed samples may have.
inline constexpr std::size_t kMostPackedChannels = 4096;

/// Reads packed samples: one behind the other, each ceil(channels / 8) bytes, channel 0 in the lowest bit of the first
/// byte; nothing else is in the file, so the hints have to say its rate and channels. Channels are called D0, D1 … A
/// part of a sample at the end is passed over with a note. Packed by gzip or plain. Errors: BadArgument (the hints),
/// Unreadable, Malformed (nothing in it, longer than time reaches), Cancelled.
Result<Capture> readPacked(const std::string& path, const ReadHints& hints, const std::stop_token& stop,
                           Progress& progress);

}  // namespace bexto
