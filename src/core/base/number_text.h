#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>

namespace bexto {

/// A whole number with a thin gap between thousands: "18 204".
std::string countText(std::uint64_t n);

/// A finite decimal number that fills the whole of `text`; nothing else.
std::optional<double> parseNumber(std::string_view text);

/// A whole decimal number that fills the whole of `text`; nothing else.
std::optional<std::int64_t> parseInteger(std::string_view text);

}  // namespace bexto
