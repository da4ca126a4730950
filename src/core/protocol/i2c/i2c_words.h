#pragma once

#include "core/decode/sentence.h"

namespace bexto {

// How I2C is put in words: what Protocol asks for, by the same names.

Sentence i2cSentence(const Bus& bus, const Transactions& transactions, FrameRange range, std::size_t most);
std::uint64_t i2cDetailCount(const Frame& frame);
Detail i2cDetail(const Bus& bus, const Frame& frame, std::uint64_t index);
std::string i2cFaultText(const Frame& frame);

}  // namespace bexto
