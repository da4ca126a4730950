#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "core/base/result.h"

namespace bexto {

/// A word of a line that says what to send.
struct SendWord {
  std::string text;  ///< without its quotes, escapes replaced
  bool isQuoted = false;
};

/// Splits a line at blanks. Text in quotes is one word; in it \n, \r, \t, \0, \\, \" and \xHH stand for what they do in
/// C. Errors: BadArgument (a quote that does not end, an escape that is none).
Result<std::vector<SendWord>> sendWords(const std::string& line);

/// A hexadecimal number, with 0x in front or without. Errors: BadArgument; `what` says what it was to be.
Result<std::uint64_t> sendHex(const SendWord& word, const std::string& what, std::uint64_t most);

/// A decimal number from 1 to `most`.
Result<std::size_t> sendCount(const SendWord& word, std::size_t most);

/// The bytes that a word stands for: of text in quotes its own, else one for two hexadecimal digits, a lone digit for a
/// byte too. Errors: BadArgument with the mend.
Result<void> appendSendBytes(const SendWord& word, std::vector<std::uint8_t>& bytes);

}  // namespace bexto
