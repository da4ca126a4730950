#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>

#include "core/query/syntax.h"
#include "core/query/term.h"

namespace bexto {

/// How the numbers of a key are written where nothing else is said: hex, decimal, or times with a unit.
enum class NumberForm : std::uint8_t { Hex, Decimal, Time };

/// What is wrong in a filter, and where.
tl::unexpected<QueryError> wrong(std::string message, std::string mend, TextSpan at);

/// A number as its key reads it: `base` unless 0x, 0b or 0d says otherwise.
std::optional<std::int64_t> numberOf(std::string_view text, int base);

/// Adds another that would do as well.
void addAlternative(std::string& shown, const std::string& other);

/// The numbers and ranges of a term's values, with the comparison that stands before them, and how they are shown.
QueryResult<void> readNumbers(NumberForm form, const SyntaxNode& node, Term& term);

}  // namespace bexto
