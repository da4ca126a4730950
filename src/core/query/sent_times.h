#pragma once

#include <memory>
#include <vector>

#include "core/signal/capture.h"

namespace bexto {

/// When something was sent from here on one stream, in the order of time.
using SentTimes = std::vector<TimeRange>;

/// What was sent on any of the channels; nullptr: nothing was.
std::shared_ptr<const SentTimes> sentOn(const Capture& capture, const std::vector<std::size_t>& channels);

/// Whether what begins then was sent. Takes the logarithm of what was. `sent` may be nullptr.
bool isSent(const SentTimes* sent, Picoseconds begin);

}  // namespace bexto
