#pragma once

#include <cstdint>
#include <optional>

#include "core/signal/capture.h"

namespace bexto {

/// How far apart the samples of a capture are: what one interval is known to.
struct SamplePeriod {
  enum class From : std::uint8_t {
    Given,  ///< somebody said so
    File,   ///< the capture says so of itself
    Found,  ///< from the distances between its transitions
    Exact   ///< those have no raster that is coarser than the file's ticks
  };
  double picoseconds = 0.0;  ///< 0: edges are exact
  From from = From::Exact;
};

/// As files have it: "found".
const char* periodWord(SamplePeriod::From from);

/// `given` in ps. Reads at most some millions of transitions of each wire. Found is the largest period of which all
/// distances between transitions are multiples, each to within one tick of the file; when that is not more than a tick,
/// edges are exact.
SamplePeriod samplePeriodOf(const Capture& capture, std::optional<double> given = {});

}  // namespace bexto
