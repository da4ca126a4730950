#pragma once

#include <string>
#include <vector>

#include "core/decode/decoder.h"
#include "core/decode/transactions.h"
#include "core/view/time_axis.h"

namespace bexto {

/// A transaction in a bus lane, or several that share a few pixels. All x are pixels of the axis that was asked for.
struct LaneSentence {
  double x0 = 0.0;
  double x1 = 0.0;
  std::uint64_t transaction = 0;  ///< the first of them
  std::uint64_t count = 1;
  bool fault = false;  ///< one of them has one
};

/// A field with room for its value.
struct LaneField {
  double x0 = 0.0;
  double x1 = 0.0;
  Role role = Role::Data;
  std::string text;         ///< in the bus's format
  std::string brief;        ///< where there is no room for `text`; empty: nothing
  std::uint64_t frame = 0;  ///< number of the frame that it is a part of
  bool fault = false;
  std::uint8_t line = 0;  ///< as Field::line
};

/// A sampled bit, where it was sampled.
struct LaneBit {
  double x = 0.0;
  bool level = false;
  Role role = Role::Data;
  bool fault = false;
  std::uint8_t line = 0;
};

/// What one stream of a bus shows on an axis, tier by tier, as room allows.
struct BusLane {
  std::vector<LaneSentence> sentences;
  std::vector<LaneField> fields;
  std::vector<LaneBit> bits;
};

/// Pixels below which things merge or stay away, where text has its usual size.
inline constexpr double kLeastSentence = 4.0;
inline constexpr double kLeastField = 7.0;
inline constexpr double kLeastBit = 9.5;

/// Costs what is visible, whatever the capture's length; only reads, so any thread may call it: at most a sentence a
/// few pixels, and anatomies only of frames with room for them. `faulty` is faultyFrames() of the same frames. `scale`:
/// how many times its usual size text has; what is to be read then needs more room.
BusLane busLane(const Bus& bus, const StreamInput& input, const Transactions& transactions,
                const std::vector<std::uint32_t>& faulty, const TimeAxis& axis, double scale = 1.0);

}  // namespace bexto
