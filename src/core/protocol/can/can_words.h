#pragma once

#include "core/decode/sentence.h"

namespace bexto {

// How CAN is put in words: what Protocol asks for, by the same names.

Sentence canSentence(const Bus& bus, const Frame& frame, std::size_t most);
std::uint64_t canDetailCount(const Frame& frame);
Detail canDetail(const Bus& bus, const Frame& frame, std::uint64_t index);
std::string canFaultText(const Frame& frame);

}  // namespace bexto
