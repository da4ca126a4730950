#pragma once

#include <array>
#include <string>

#include "core/decode/anatomy.h"

namespace bexto::test {

/// What is marked as wrong: "CRC; bits 30 31" is the names of the fields, or their roles, then the numbers of the bits.
inline std::string wrongParts(const Anatomy& anatomy)
{
  static constexpr std::array<const char*, kRoleCount> kNames{
      "start",   "address", "direction", "data",  "acknowledge", "parity", "stop",
      "control", "length",  "check",     "stuff", "delimiter",   "flag"};
  std::string text;
  for (const Field& field : anatomy.fields) {
    if (field.wrong)
      text += (text.empty() ? "" : ", ") +
              std::string(*field.name == '\0' ? kNames.at(static_cast<std::size_t>(field.role)) : field.name);
  }
  std::string bits;
  for (std::size_t i = 0; i < anatomy.bits.size(); ++i) {
    if (anatomy.bits[i].wrong)
      bits += " " + std::to_string(i);
  }
  return text + (bits.empty() ? "" : "; bits" + bits);
}

}  // namespace bexto::test
