#pragma once

#include <cstdint>
#include <string>

namespace bexto {

/// How values are written for people; a bus has one, and every part of the window follows it.
enum class ValueFormat : std::uint8_t { Hex, Decimal, Octal, Binary, Text };
inline constexpr int kValueFormats = 5;

/// "hex", "decimal", "octal", "binary", "text": as the window names them. A literal.
const char* formatName(ValueFormat format);

/// One value of `bits` bits in the bus's format. Hex, octal and binary have all their digits; text shows what can be
/// printed as itself, line ends as \r and \n, all else as hex in ‹›. Requires: 1 <= bits <= 32.
std::string valueText(std::uint32_t value, int bits, ValueFormat format);

/// The same where it stands alone: a space shows as ␣.
std::string loneValueText(std::uint32_t value, int bits, ValueFormat format);

/// What stands between two values of a row: nothing between letters, else a space. A literal.
const char* valueSeparator(ValueFormat format);

/// An address, an identifier, a check sum: text makes no sense for it, so that is hex.
std::string addressText(std::uint32_t address, int bits, ValueFormat format);

}  // namespace bexto
