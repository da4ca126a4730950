#pragma once

#include <cstdint>
#include <limits>
#include <string>
#include <vector>

#include "core/decode/frame_index.h"
#include "core/query/byte_pattern.h"
#include "core/query/syntax.h"

namespace bexto {

/// What a term of a query asks about.
enum class TermKey : std::uint8_t {
  Id,
  Address,
  Value,
  Byte,
  LastByte,
  Length,
  Dlc,
  Crc,
  Time,
  Lasts,
  Pause,
  Bus,
  Protocol,
  Line,
  Data,
  Mosi,
  Miso,
  Text,
  Errors,
  Kind,
  Is
};

/// A property that a frame has or not, for terms that are one word.
enum class Trait : std::uint8_t {
  Faulty,
  Read,
  Write,
  Acknowledged,
  NotAcknowledged,
  Extended,
  Standard,
  Fd,
  Classic,
  RateSwitched,
  ErrorPassive
};

/// From `low` to `high`, both included. Of a time in picoseconds.
struct NumberRange {
  std::int64_t low = std::numeric_limits<std::int64_t>::min();
  std::int64_t high = std::numeric_limits<std::int64_t>::max();
  bool operator==(const NumberRange&) const = default;
};

/// One term, understood. Which members count depends on `key`; it holds when one of the alternatives does.
struct Term {
  TermKey key = TermKey::Is;
  std::size_t byte = 0;               ///< of Byte: its number, from 0
  std::vector<NumberRange> ranges;    ///< of numbers and times
  std::vector<BytePattern> patterns;  ///< of Data, Mosi, Miso, Text
  std::vector<std::string> names;     ///< of Bus, Protocol, Line, Text: as typed
  std::vector<FrameKind> kinds;       ///< of Kind
  std::uint16_t errors = 0;           ///< of Errors: FrameError bits
  Trait trait = Trait::Faulty;        ///< of Is
  std::string shown;                  ///< the values as the explanation says them
  bool operator==(const Term&) const = default;

  bool inRanges(std::int64_t number) const
  {
    for (const NumberRange& r : ranges) {
      if (number >= r.low && number <= r.high)
        return true;
    }
    return false;
  }
};

/// One key, for help and completion.
struct TermHelp {
  std::string key;      ///< "id"
  std::string example;  ///< "id:1A0..1AF"
  std::string help;     ///< one sentence
};
/// The keys that take a value, in the order of help.
const std::vector<TermHelp>& queryKeys();
/// The words that stand alone, `example` empty.
const std::vector<TermHelp>& queryWords();

/// Understands a Word, Text or Keyed. `buses` are the names that a lone word may mean.
QueryResult<Term> termOf(const SyntaxNode& node, const std::vector<std::string>& buses);

/// "identifier 1A0 to 1AF", "a fault": fits behind "lines with".
std::string phraseOf(const Term& term);

}  // namespace bexto
