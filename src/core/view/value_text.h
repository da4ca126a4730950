#pragma once

#include <cstdint>
#include <string>

#include "core/decode/bus.h"

namespace bexto {

/// One value of `bits` bits in the bus's format. Hex, octal and binary have all their digits; text shows what can be
/// printed as itself, line ends as \r and \n, all else as hex in ‹›.
std::string valueText(std::uint32_t value, int bits, ValueFormat format);

/// The same where it stands alone: a space shows as ␣.
std::string loneValueText(std::uint32_t value, int bits, ValueFormat format);

/// What stands between two values of a row: nothing between letters, else a space.
const char* valueSeparator(ValueFormat format);

/// An address: text makes no sense for it, so that is hex.
std::string addressText(std::uint32_t address, int bits, ValueFormat format);

}  // namespace bexto
