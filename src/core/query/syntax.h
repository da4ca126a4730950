#pragma once

#include <cstddef>
#include <string>
#include <string_view>
#include <vector>

#include "core/base/result.h"

namespace bexto {

/// A place in the text of a query: bytes [begin, end).
struct TextSpan {
  std::size_t begin = 0;
  std::size_t end = 0;
  bool operator==(const TextSpan&) const = default;
};

/// Why a query cannot be understood, and where in its text.
struct QueryError {
  std::string message;  ///< one sentence, no full stop
  std::string mend;     ///< what to write instead; may be empty
  TextSpan at;

  /// "column 5: message; mend".
  std::string text() const;
};

template <typename T>
using QueryResult = tl::expected<T, QueryError>;

/// The shape of a query, before it is known what its words mean.
struct SyntaxNode {
  enum class Kind {
    All,   ///< every part holds
    Any,   ///< one part holds
    Not,   ///< its one part does not hold
    From,  ///< holds from the first place where its one part holds
    Word,  ///< a lone word: `read`
    Text,  ///< a lone text in quotes
    Keyed  ///< key, comparison, values
  };
  /// One value, or a range when `isRange`; an open side is empty.
  struct Value {
    std::string low;
    std::string high;
    bool isRange = false;
    bool quoted = false;
    TextSpan at;
  };
  Kind kind = Kind::All;
  std::vector<SyntaxNode> parts;
  std::string typed;       ///< of a Word: as it stands there
  std::string word;        ///< of a Word or Text; of a Keyed the key, lower case
  std::string comparison;  ///< ":", "=", "!=", "<", "<=", ">", ">="
  std::vector<Value> values;
  TextSpan at;
  TextSpan keyAt;
};

/// Terms next to each other both hold; `or`, `not`, `from`, brackets. An empty text gives an All without parts.
QueryResult<SyntaxNode> parseSyntax(std::string_view text);

}  // namespace bexto
