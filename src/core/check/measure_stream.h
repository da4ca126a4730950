#pragma once

#include <cstdint>
#include <functional>
#include <stop_token>
#include <string>
#include <vector>

#include "core/base/result.h"
#include "core/decode/bus.h"
#include "core/decode/decoder.h"
#include "core/decode/tally.h"

namespace bexto {

/// A measurement that is wanted: in what it is, and what it is held against.
struct WantedMeasure {
  MeasureUnit unit = MeasureUnit::Count;
  Limits limits;
};

/// What was measured on one stream of a bus.
struct StreamMeasures {
  std::vector<Tally> tallies;       ///< settled; one for each that was wanted
  std::vector<std::string> groups;  ///< what is special about a tally's group of that number; empty: nothing
};

/// A part of a stream has about so many transitions at least: some milliseconds of work.
constexpr std::uint64_t kTransitionsAPart = 1'000'000;

/// Measures those frames, and what lies between each of them and the next one. `wanted`: one for each of the protocol's
/// measures, in their order. `period`: the time between samples, in ps; 0 when edges are exact. A long stream is
/// measured in parts, side by side by all processors; where it is cut depends on the stream alone, so that every
/// machine comes to the same to the last digit. Cancelled when `stop` asks for it; `progress`, from 0 to 1, is told on
/// the thread that calls. Requires: range.end <= frames.size().
Result<StreamMeasures> measureStream(const Bus& bus, const StreamInput& input, const FrameIndex& frames,
                                     FrameRange range, const std::vector<WantedMeasure>& wanted, double period,
                                     const std::stop_token& stop, const std::function<void(double)>& progress,
                                     std::uint64_t transitionsAPart = kTransitionsAPart);

}  // namespace bexto
