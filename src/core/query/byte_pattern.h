#pragma once

#include <cstdint>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "core/base/result.h"

namespace bexto {

/// Bytes to look for: "A0 ?? 0?" with ? for any hex digit, * for any number of bytes, and | for the data's begin or
/// end: "|A0" begins with, "00|" ends with, "|A0 * 00|" both. Blanks between bytes may be left out. An immutable value;
/// any thread may ask it.
class BytePattern {
 public:
  /// Errors: BadArgument; `where` holds the offset of the wrong character as a decimal number.
  static Result<BytePattern> parse(std::string_view text);
  /// The bytes of `text` as they are; letters match in either case.
  static BytePattern ofText(std::string_view text);

  /// Whether the pattern occurs in `data`. Costs its length times that of the first run of bytes.
  bool matches(std::span<const std::uint8_t> data) const;
  bool atBegin() const { return m_atBegin; }
  bool atEnd() const { return m_atEnd; }
  /// "A0 ?? 0?", in upper case, one blank between bytes, without the anchors.
  std::string text() const;
  bool operator==(const BytePattern&) const = default;

 private:
  /// A byte matches when (byte & mask) == value.
  struct Byte {
    std::uint8_t mask = 0xff;
    std::uint8_t value = 0;
    bool operator==(const Byte&) const = default;
  };
  /// Bytes that follow one another; between two runs stands a *.
  using Run = std::vector<Byte>;
  static bool matchesAt(const Run& run, std::span<const std::uint8_t> data, std::size_t at);

  std::vector<Run> m_runs;
  bool m_atBegin = false;
  bool m_atEnd = false;
};

}  // namespace bexto
