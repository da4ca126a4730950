#pragma once

#include <optional>
#include <string>
#include <string_view>

namespace bexto {

/// Picoseconds since 1970, for which 64 bits do not reach.
__extension__ using WidePicoseconds = __int128;

inline constexpr WidePicoseconds kPicosecondsPerSecond = 1000000000000;

/// The begin of a day, "2031-03-17" (ISO 8601); nullopt: it is none.
std::optional<WidePicoseconds> parseDate(std::string_view text);

/// "2031-03-17T06:12:00.250Z" (ISO 8601, UTC), with three, six, nine or twelve decimals or none. Years 1 to 9999.
std::string utcText(WidePicoseconds time);
/// The same back, with any number of decimals up to twelve; nothing else.
std::optional<WidePicoseconds> parseUtc(std::string_view text);

}  // namespace bexto
