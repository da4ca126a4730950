#pragma once

#include <cstdint>
#include <memory>
#include <string>
#include <vector>

#include "core/decode/decoder.h"
#include "core/decode/tally.h"

namespace bexto {

/// Something that a protocol measures. A bus's tallies are a list in the order of Protocol::Facts::measures.
struct MeasureSpec {
  std::string symbol;  ///< as the standard has it, "tSU;DAT"; its name in rulebooks and files
  MeasureUnit unit = MeasureUnit::Time;
  std::string meaning = {};  ///< for people, what is measured: "data set-up: last edge of SDA to the rise of SCL"
  bool between = false;      ///< its intervals lie between frames
  std::string role = {};     ///< whose wire the interval is drawn on; empty: the stream's line
};

/// Measures one stream by its frames, in one pass over their edges. Thread-compatible.
class Meter {
 public:
  Meter() = default;
  Meter(const Meter&) = delete;
  Meter& operator=(const Meter&) = delete;
  virtual ~Meter() = default;

  /// Measures the frames of `range`, and what lies between each of them and the next one. Ranges follow one another.
  /// `input` and `frames` may have grown since. Requires: range.end <= frames.size(), and tallies for each measure.
  virtual void measure(const StreamInput& input, const FrameIndex& frames, FrameRange range,
                       std::vector<Tally>& tallies) = 0;
  /// One more that measures from frame `number` on as if it had measured those before, so that the parts of a stream
  /// can be measured side by side. nullptr: the parts hang together there. Asked before measure().
  virtual std::unique_ptr<Meter> goingOnFrom(const StreamInput& /*input*/, const FrameIndex& /*frames*/,
                                             std::uint64_t /*number*/)
  {
    return nullptr;
  }
  /// What is special about the values of a group: "2A, driven by the target". Empty: nothing.
  virtual std::string groupName(std::uint32_t /*group*/) const { return {}; }
};

}  // namespace bexto
