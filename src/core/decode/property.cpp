#include "core/decode/property.h"

#include <fmt/core.h>
#include <fmt/ranges.h>

namespace bexto {

namespace {

int bitsOf(const Property& property, const FrameContext& frame)
{
  return property.bits == nullptr ? 8 : property.bits(frame);
}

/// "0D1" would be read as decimal 1, because 0d says so; then 0x says that it is not.
std::string hexTerm(std::uint32_t value, int bits)
{
  const std::string text = valueText(value, bits, ValueFormat::Hex);
  const bool misread = text.size() > 2 && text[0] == '0' && (text[1] == 'B' || text[1] == 'D');
  return misread ? "0x" + text : text;
}

}  // namespace

std::string hexOf(std::span<const std::uint8_t> bytes)
{
  static constexpr char kDigits[] = "0123456789abcdef";
  std::string hex;
  hex.reserve(bytes.size() * 2);
  for (const std::uint8_t b : bytes) {
    hex += kDigits[b >> 4U];
    hex += kDigits[b & 15U];
  }
  return hex;
}

std::string fileText(const PropertyValue& value)
{
  if (const auto* number = std::get_if<std::int64_t>(&value))
    return fmt::format_int(*number).str();
  if (const auto* flag = std::get_if<bool>(&value))
    return *flag ? "true" : "false";
  if (const auto* text = std::get_if<std::string>(&value))
    return *text;
  if (const auto* bytes = std::get_if<std::span<const std::uint8_t>>(&value))
    return hexOf(*bytes);
  return {};
}

std::string listText(const Property& property, const FrameContext& frame)
{
  const PropertyValue value = property.of(frame);
  if (const auto* number = std::get_if<std::int64_t>(&value); number != nullptr && property.sort == Property::Sort::Hex)
    return addressText(static_cast<std::uint32_t>(*number), bitsOf(property, frame), frame.bus.format);
  if (const auto* flag = std::get_if<bool>(&value))
    return *flag ? "yes" : "no";
  if (const auto* bytes = std::get_if<std::span<const std::uint8_t>>(&value))
    return fmt::format("{:02X}", fmt::join(*bytes, " "));
  return fileText(value);
}

std::string termText(const Property& property, const FrameContext& frame)
{
  const PropertyValue value = property.of(frame);
  if (const auto* number = std::get_if<std::int64_t>(&value); number != nullptr && property.sort == Property::Sort::Hex)
    return hexTerm(static_cast<std::uint32_t>(*number), bitsOf(property, frame));
  if (const auto* flag = std::get_if<bool>(&value))
    return *flag ? "yes" : "no";
  if (std::holds_alternative<std::span<const std::uint8_t>>(value))
    return {};
  return fileText(value);
}

}  // namespace bexto
