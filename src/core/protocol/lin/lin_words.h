#pragma once

#include "core/decode/sentence.h"

namespace bexto {

// How LIN is put in words: what Protocol asks for, by the same names.

Sentence linSentence(const Bus& bus, const Frame& frame, std::size_t most);
std::uint64_t linDetailCount(const Frame& frame);
Detail linDetail(const Bus& bus, const Frame& frame, std::uint64_t index);
std::string linFaultText(const Frame& frame);

}  // namespace bexto
