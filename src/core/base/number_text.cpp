#include "core/base/number_text.h"

#include <fmt/core.h>

#include <charconv>
#include <cmath>

namespace bexto {

std::string countText(std::uint64_t n)
{
  std::string digits = std::to_string(n);
  for (auto at = static_cast<std::ptrdiff_t>(digits.size()) - 3; at > 0; at -= 3)
    digits.insert(static_cast<std::size_t>(at), 1, ' ');
  return digits;
}

namespace {

template <typename T>
std::optional<T> parseWhole(std::string_view text)
{
  T value{};
  const char* end = text.data() + text.size();
  const auto [stopped, code] = std::from_chars(text.data(), end, value);
  if (code != std::errc{} || stopped != end || text.empty())
    return std::nullopt;
  return value;
}

}  // namespace

std::optional<double> parseNumber(std::string_view text)
{
  const auto value = parseWhole<double>(text);
  return value && std::isfinite(*value) ? value : std::nullopt;
}

std::optional<std::int64_t> parseInteger(std::string_view text)
{
  return parseWhole<std::int64_t>(text);
}

}  // namespace bexto
