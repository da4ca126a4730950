#pragma once

#include <fmt/core.h>

#include <algorithm>
#include <cstdint>
#include <string>

namespace bexto::test {

/// A sum of the text, FNV-1a of 32 bits, and how many lines it has: for records of what is too long to keep.
inline std::string sumOf(const std::string& text)
{
  std::uint32_t sum = 2166136261U;
  for (const char c : text)
    sum = (sum ^ static_cast<std::uint8_t>(c)) * 16777619U;
  return fmt::format("{:08x} of {}", sum, std::count(text.begin(), text.end(), '\n'));
}

}  // namespace bexto::test
