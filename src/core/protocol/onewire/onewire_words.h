#pragma once

#include "core/decode/sentence.h"

namespace bexto {

/// "match ROM 4E1F… 44".
Sentence oneWireSentence(const Bus& bus, const Frame& frame, std::size_t mostValues);
/// Presence, the ROM command, the ROM, each byte, and what is left of one.
std::uint64_t oneWireDetailCount(const Frame& frame);
Detail oneWireDetail(const Bus& bus, const Frame& frame, std::uint64_t index);
std::string oneWireFaultText(const Frame& frame);

}  // namespace bexto
