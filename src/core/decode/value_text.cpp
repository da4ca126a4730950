#include "core/decode/value_text.h"

#include <fmt/core.h>

#include <array>

namespace bexto {

const char* formatName(ValueFormat format)
{
  static constexpr std::array<const char*, kValueFormats> kNames{"hex", "decimal", "octal", "binary", "text"};
  return kNames.at(static_cast<std::size_t>(format));
}

std::string valueText(std::uint32_t value, int bits, ValueFormat format)
{
  switch (format) {
    case ValueFormat::Hex:
      return fmt::format("{:0{}X}", value, (bits + 3) / 4);
    case ValueFormat::Decimal:
      return fmt::format("{}", value);
    case ValueFormat::Octal:
      return fmt::format("{:0{}o}", value, (bits + 2) / 3);
    case ValueFormat::Binary:
      return fmt::format("{:0{}b}", value, bits);
    case ValueFormat::Text:
      break;
  }
  if (value == '\r')
    return "\\r";
  if (value == '\n')
    return "\\n";
  if (value >= 0x20 && value < 0x7f)
    return std::string(1, static_cast<char>(value));
  return fmt::format("‹{:0{}X}›", value, (bits + 3) / 4);
}

std::string loneValueText(std::uint32_t value, int bits, ValueFormat format)
{
  return format == ValueFormat::Text && value == ' ' ? "␣" : valueText(value, bits, format);
}

const char* valueSeparator(ValueFormat format)
{
  return format == ValueFormat::Text ? "" : " ";
}

std::string addressText(std::uint32_t address, int bits, ValueFormat format)
{
  return valueText(address, bits, format == ValueFormat::Text ? ValueFormat::Hex : format);
}

}  // namespace bexto
