#pragma once

#include "core/query/query_names.h"
#include "core/query/term.h"

namespace bexto {

/// What stands in front of a device's value where the language has a word of the same name: "value.id".
inline constexpr std::string_view kValuePrefix = "value.";

/// Understands a Keyed node whose key is a device's value: "level>98.2", "state:stalled". A number that is asked for
/// with
/// ':' is met by what reads the same with as many digits.
QueryResult<Term> valueTerm(const SyntaxNode& node, const ValueWord& value);

}  // namespace bexto
