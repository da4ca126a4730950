#pragma once

#include <vector>

#include "core/signal/capture.h"

namespace bexto {

/// Whether what begins then on one of the channels was sent from here. Takes the logarithm of what was sent.
bool wasSent(const Capture& capture, const std::vector<std::size_t>& channels, Picoseconds begin);

}  // namespace bexto
