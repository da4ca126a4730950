#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "core/base/result.h"

namespace bexto {

/// One `$var` of a value change dump.
struct VcdVariable {
  std::string_view id;    ///< the identifier code that value changes use
  std::string path;       ///< scopes and name, with dots, without the bit range; see readableName()
  std::size_t width = 1;  ///< bits
  int leftIndex = 0;      ///< index of the first written bit
  int step = 0;           ///< +1 or -1 to the next bit's index; 0: a scalar without an index
  bool skipped = false;   ///< a real, a string, an event: no wire
};

/// The declarations of a value change dump (IEEE Std 1364-2005, 18.2.3), also of an extended one (18.4). Views point
/// into the text.
struct VcdHeader {
  int tickPower = 3;  ///< a tick is 10^tickPower ps; negative below a picosecond
  std::vector<VcdVariable> variables;
  std::optional<std::int64_t> triggerTick;  ///< "$comment trigger 1200 $end": what the capture was waiting for
  std::size_t bodyOffset = 0;               ///< where the value changes begin
  std::size_t bodyLine = 0;                 ///< ends of lines before that
  std::vector<std::string> notes;
};

/// `whole`: nothing follows the text. Without that, a text that ends inside its declarations is nullopt: give more.
/// Errors: Malformed, with `source` and the line.
Result<std::optional<VcdHeader>> parseVcdHeader(std::string_view text, bool whole, const std::string& source);

/// The name that a file gives, as it can be shown and typed: bytes that are no printable UTF-8 are written as \xHH, all
/// else stays.
std::string readableName(std::string_view name);

}  // namespace bexto
