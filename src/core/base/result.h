#pragma once

#include <cstdint>
#include <string>
#include <tl/expected.hpp>
#include <utility>
#include <vector>

namespace bexto {

enum class ErrorCode : std::uint8_t {
  BadArgument,  ///< what the user asked for makes no sense (a setting, a name, a time)
  NotFound,     ///< what was to be found from the wires is not there (a rate): nothing is wrong but that
  Unreadable,   ///< an input cannot be opened or read
  Malformed,    ///< an input is not what its format asks for
  Unwritable,   ///< an output cannot be written
  Cancelled,    ///< the caller's stop token was set; nothing is wrong
};

/// Why something could not be done at all: what, where, and the mend. Never about what the wires did: that is data.
struct Error {
  ErrorCode code = ErrorCode::BadArgument;
  std::string message;     ///< one sentence, no full stop, no newline
  std::string where = {};  ///< file, and line or byte offset; or the setting's name. May be empty
  std::string mend = {};   ///< what the user can do about it. May be empty

  /// "where: message; mend" on one line.
  std::string text() const;
};

/// Either a T or an Error.
template <typename T>
using Result = tl::expected<T, Error>;

inline tl::unexpected<Error> fail(ErrorCode code, std::string message, std::string where = {}, std::string mend = {})
{
  return tl::unexpected<Error>(Error{code, std::move(message), std::move(where), std::move(mend)});
}

/// Of `known`, the one that `typed` most likely meant; empty when none is near.
std::string nearest(const std::string& typed, const std::vector<std::string>& known);

}  // namespace bexto
