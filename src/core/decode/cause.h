#pragma once

#include <cstdint>
#include <string>

#include "core/base/time.h"

namespace bexto {

/// Something on the wires that likely is why data is wrong.
struct Cause {
  enum class Kind : std::uint8_t {
    Glitch,     ///< a pulse that nobody sent; without it the frame would be right
    Setup,      ///< data moved too late before the edge that samples it
    Hold,       ///< data moved too early behind it
    Rate,       ///< the sender's rate puts a bit past the place where it is sampled
    Stretch,    ///< a clock that was held longer than the other end waited
    Threshold,  ///< an edge that crossed the threshold more than once
  };
  Kind kind = Kind::Glitch;
  TimeRange time;   ///< where it is on the wires
  std::string why;  ///< one sentence for people
};

/// As files have it: "glitch".
const char* causeWord(Cause::Kind kind);
/// For people, in their language.
std::string causeName(Cause::Kind kind);

}  // namespace bexto
