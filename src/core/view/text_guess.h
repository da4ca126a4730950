#pragma once

#include <vector>

#include "core/decode/bus.h"
#include "core/decode/frame_index.h"

namespace bexto {

/// Whether the begin of a bus's payload is what people write, line ends included: nine tenths of the bytes of the first
/// 400 frames of each stream. False for a protocol whose payload never is, and while there are no bytes.
bool readsLikeText(const Bus& bus, const std::vector<FrameIndex>& streams);

}  // namespace bexto
