#pragma once

#include <fmt/core.h>

#include <cstdint>
#include <string>
#include <string_view>

#include "core/base/say.h"

namespace bexto {

// Texts for people, in their language. The English text in the source is the key, so without a translation nothing
// changes. What files and the command line print for other programs (keys, words of the filter language) is never
// said this way. What stands in the
// tables of rooms is said where it is shown. `./dev translations` collects the literals inside say(), counted() and
// Noun, and the tables, for translators.

/// Gives the translation of `english`, or an empty text when there is none. `count` is what the text counts, for
/// languages with several plural forms; −1 when it counts nothing. Must be safe to call from any thread.
using Translation = std::string (*)(std::string_view english, int count);

/// Set once, before other threads run; nullptr for English, which it is at first. The program owns what is behind it
/// until it ends.
void setTranslation(Translation translation);

/// What is counted: "{} frame", "{} frames". The second is the key for translators.
struct Noun {
  std::string_view one;
  std::string_view many;
};

std::string say(std::string_view english);

/// Counted everywhere.
inline constexpr Noun kFrames{"{} frame", "{} frames"};
inline constexpr Noun kBytes{"{} byte", "{} bytes"};
inline constexpr Noun kTransactions{"{} transaction", "{} transactions"};

/// "18 204 frames": the form that fits `n`, with a thin gap between thousands.
std::string counted(std::uint64_t n, Noun noun);

namespace saying {
/// `format` filled in; when a translation does not fit its values, `english` is.
std::string fill(std::string_view english, const std::string& format, fmt::format_args values);
}  // namespace saying

/// The text with its values filled in: say("'{}' is no time", text).
template <typename... Values>
requires(sizeof...(Values) > 0) std::string say(fmt::format_string<const Values&...> english, const Values&... values)
{
  const fmt::string_view text = english;
  const std::string_view key(text.data(), text.size());
  return saying::fill(key, say(key), fmt::make_format_args(values...));
}

}  // namespace bexto
