#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "core/base/result.h"
#include "core/base/time.h"

namespace bexto {

/// What a recording begins with.
struct StartCondition {
  enum class Kind : std::uint8_t {
    Now,      ///< at once
    Edge,     ///< one channel changes
    Level,    ///< one channel is at a level
    Pattern,  ///< several are, at the same time
    Width,    ///< a pulse of one channel ends that was so long
    Event     ///< a bus says something: decoded and asked while it comes
  };
  enum class Slope : std::uint8_t { Rising, Falling, Either };
  struct Level {
    std::string channel;
    bool high = true;
    bool operator==(const Level&) const = default;
  };

  Kind kind = Kind::Now;
  std::string channel;           ///< of Edge, Level and Width
  Slope slope = Slope::Rising;   ///< of Edge
  bool high = true;              ///< of Level and Width
  std::vector<Level> levels;     ///< of Pattern
  Picoseconds shortest{0};       ///< of Width
  Picoseconds longest = kNever;  ///< of Width
  std::string query;             ///< of Event: in the filter language

  bool operator==(const StartCondition&) const = default;
};

/// Reads what starts a recording by wires: "SCL=falling" (rising, either), "CS=low" (high), "CS=low,CLK=high",
/// "TX=low:100us..2ms" (either side may be left out). Errors: BadArgument with the mend.
Result<StartCondition> parseWireCondition(const std::string& text);
/// The same text again; of an event its query; empty for Now.
std::string textOf(const StartCondition& condition);
/// For people: "SCL falls", "a low pulse of TX of 100 us to 2 ms".
std::string sentenceOf(const StartCondition& condition);

/// An input of a source, counted from 1 as its front says, and what hangs on it.
struct PlannedChannel {
  std::uint32_t input = 1;
  std::string name;
  bool operator==(const PlannedChannel&) const = default;
};

/// Samples/s that are taken where nobody says how many.
inline constexpr double kUsualRate = 10e6;

/// What is to be captured, from where, and when. A plain value; where something is left open the source's own choice
/// counts.
struct CapturePlan {
  /// What becomes of what came before.
  enum class Repeat : std::uint8_t {
    Once,     ///< the first start is the only one
    Again,    ///< each start takes the place of the one before, until it is stopped
    Collect,  ///< each start adds a segment, until it is stopped
  };

  std::string source;                    ///< "scpi://127.0.0.1:5187"; empty: none was chosen
  std::vector<PlannedChannel> channels;  ///< none: all inputs, as the source calls them
  double rate = 0;                       ///< samples/s; 0: kUsualRate, or what the source can of it
  Picoseconds length{0};                 ///< of a recording that begins at once; 0: until it is stopped
  StartCondition start;
  Picoseconds before = std::chrono::milliseconds{10};  ///< what is kept of the time before the start,
  Picoseconds after = std::chrono::milliseconds{50};   ///< and behind it; of an event, behind its transaction
  Repeat repeat = Repeat::Once;
  bool runs = true;  ///< run lengths instead of samples, where the source has them

  bool operator==(const CapturePlan&) const = default;
};

}  // namespace bexto
