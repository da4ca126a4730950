#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "core/base/result.h"
#include "core/decode/bus.h"
#include "core/session/capture_plan.h"

namespace bexto {

/// What a source can, as far as advice needs it; 0: not known.
struct CaptureLimits {
  double slowest = 0;  ///< samples/s
  double fastest = 0;
  double fastestStream = 0;
  std::uint64_t memory = 0;  ///< of the instrument, bytes
  std::uint64_t disk = 0;    ///< free where sessions are kept, bytes
  std::size_t inputs = 0;    ///< of the instrument: what a sample's size depends on
  bool frames = false;       ///< it hands over frames, and nobody samples anything
  double transitions = 0;    ///< a second, of all channels together, as was seen last
};

/// A bus that is to be captured, and how fast it is.
struct PlannedBus {
  Bus bus;
  double measured = 0;  ///< bit/s or clocks/s, as its last decode found; 0: not known
};

/// What can be said about a plan before it is carried out.
struct CaptureAdvice {
  enum class Gravity : std::uint8_t {
    Good,
    Warn,  ///< it may do
    Fail   ///< it will not
  };
  /// What one click changes.
  enum class Mend : std::uint8_t { None, Rate, Length, Runs };

  Gravity gravity = Gravity::Good;
  std::string about;  ///< the bus, or what else; for people
  std::string text;   ///< a sentence
  Mend mend = Mend::None;
  std::string mendText = {};  ///< of the button: "Use 20 MHz"
  CapturePlan better = {};    ///< the plan with it
};

/// Samples that a bit or a clock should have, by the rule of the trade, and must have to be read at all.
inline constexpr double kEnoughSamples = 10;
inline constexpr double kFewestSamples = 4;

/// One line for each bus, then for what it takes.
std::vector<CaptureAdvice> adviceFor(const CapturePlan& plan, const CaptureLimits& limits,
                                     const std::vector<PlannedBus>& buses);

/// The next of 1, 2, 5, 10, 20 … that is not below `rate`.
double roundRateUp(double rate);

}  // namespace bexto
