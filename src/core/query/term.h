#pragma once

#include <cstdint>
#include <limits>
#include <string>
#include <vector>

#include "core/decode/meaning.h"
#include "core/decode/property.h"
#include "core/query/byte_pattern.h"
#include "core/query/query_names.h"
#include "core/query/syntax.h"

namespace bexto {

/// What a term of a query asks about.
enum class TermKey : std::uint8_t {
  Property,  ///< something that rooms declare: asked of frames of protocols that have it
  Byte,
  LastByte,
  Length,
  Time,
  Lasts,
  Pause,
  Answer,      ///< how long an answer took; of a request that was answered as well
  Unanswered,  ///< a request without one
  Bus,
  Protocol,
  Line,
  Data,
  Text,
  Error,
  Kind,
  Word,     ///< a word that stands alone
  Faulty,   ///< anything wrong
  Sent,     ///< from here
  Value,    ///< something that a device's sheet finds
  Device,   ///< whose it is, by its sheet
  Message,  ///< the register, command or message
  Invalid   ///< its sheet says that it cannot be
};

/// From `low` to `high`, both included. Of a time in picoseconds.
struct NumberRange {
  std::int64_t low = std::numeric_limits<std::int64_t>::min();
  std::int64_t high = std::numeric_limits<std::int64_t>::max();
  bool operator==(const NumberRange&) const = default;
};

/// One term, understood. Which members count depends on `key`; it holds when one of the alternatives does. It knows no
/// protocol: what a property, a kind or a word is to a frame, the scan asks the frame's room.
struct Term {
  TermKey key = TermKey::Faulty;
  std::string property = {};                      ///< of Property: its key; of Value: its name
  Property::Sort sort = Property::Sort::Decimal;  ///< of Property
  std::size_t byte = 0;                           ///< of Byte: its number, from 0
  std::vector<NumberRange> ranges = {};           ///< of numbers and times
  std::vector<BytePattern> patterns = {};         ///< of Data, Text, and a property of bytes
  std::vector<std::string> names = {};            ///< of all that are words: as typed
  MeaningQuestion question = {};                  ///< of what sheets say
  std::string shown = {};                         ///< the values as the explanation says them
  bool operator==(const Term&) const = default;

  bool inRanges(std::int64_t number) const
  {
    for (const NumberRange& r : ranges) {
      if (number >= r.low && number <= r.high)
        return true;
    }
    return false;
  }
  bool isNamed(std::string_view name) const;
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
/// What stands in front of a key's values in an explanation, for those who translate it: "identifier".
std::vector<std::string> queryPhrases();

/// Understands a Word, Text or Keyed.
QueryResult<Term> termOf(const SyntaxNode& node, const QueryNames& names);

/// "identifier 1A0 to 1AF", "a fault": fits behind "lines with".
std::string phraseOf(const Term& term);

}  // namespace bexto
