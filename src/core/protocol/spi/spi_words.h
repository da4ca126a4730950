#pragma once

#include "core/decode/sentence.h"

namespace bexto {

// How SPI is put in words: what Protocol asks for, by the same names.

Sentence spiSentence(const Bus& bus, const Frame& frame, std::size_t most);
std::uint64_t spiDetailCount(const Bus& bus, const Frame& frame);
Detail spiDetail(const Bus& bus, const Frame& frame, std::uint64_t index);

}  // namespace bexto
