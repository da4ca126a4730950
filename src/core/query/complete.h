#pragma once

#include <cstdint>
#include <map>
#include <string>
#include <string_view>
#include <vector>

#include "core/decode/transactions.h"
#include "core/query/query_names.h"
#include "core/query/syntax.h"

namespace bexto {

/// What occurs in the traffic, for completion: values of a key and how often, the most frequent first.
struct Occurring {
  struct Value {
    std::string text;
    std::uint64_t count = 0;  ///< 0: it could stand there, whether or not it occurs
    bool operator==(const Value&) const = default;
  };
  std::map<std::string, std::vector<Value>> byKey;  ///< "bus", and properties that stand in the key column
  std::vector<ValueWord> values = {};               ///< of devices; what they can be is in byKey
};

/// Counts what stands in the key column of a stream into `all`: identifiers, addresses, characters. At most 4096
/// different ones are kept.
void countOccurring(const Bus& bus, const Transactions& transactions, Occurring& all);
/// To be called once when all streams were counted: equal values of several become one.
void sortOccurring(Occurring& all);

/// In quotes where the language would not read it as one word.
std::string quotedForQuery(const std::string& text);

/// One thing that could stand at the cursor.
struct Completion {
  std::string insert;  ///< replaces the word at the cursor
  std::string help;    ///< one sentence, or how often it occurs
};

struct Completions {
  TextSpan replaces;  ///< the word at the cursor
  std::vector<Completion> items;
};

/// What fits at `cursor`: keys and words at the begin of a term, values that occur behind a key.
Completions completionsAt(std::string_view text, std::size_t cursor, const Occurring& occurring);

}  // namespace bexto
