#pragma once

#include "core/decode/sentence.h"

namespace bexto {

// How a UART is put in words: what Protocol asks for, by the same names.

Sentence uartSentence(const Bus& bus, const Transactions& transactions, std::uint64_t number, std::size_t most);
Detail uartDetail(const Bus& bus, const Frame& frame);
std::string uartFaultText(const Frame& frame);

}  // namespace bexto
