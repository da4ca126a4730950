#pragma once

#include <span>
#include <string>
#include <vector>

#include "core/decode/value_text.h"
#include "core/signal/conditioning.h"
#include "core/view/time_axis.h"

namespace bexto {

/// Pixel columns [x0, x1) in which a number has one value, or changes too often to be told.
struct VectorRun {
  int x0 = 0;
  int x1 = 0;
  bool busy = false;
  std::uint8_t density = 0;  ///< of a busy one, as in a WireRun
  std::vector<bool> bits;    ///< of one that rests: the highest first
  bool operator==(const VectorRun&) const = default;
};

/// What the number that the wires make looks like on the axis; `bits` has the highest first. Costs what their shapes
/// cost one by one.
std::vector<VectorRun> vectorShape(std::span<const ConditionedTrack> bits, const TimeAxis& axis, Picoseconds until);

/// The number in that format, with all digits in hex, octal and binary. More than 64 bits have no decimal, and text
/// needs whole bytes: those are hex.
std::string vectorText(const std::vector<bool>& bits, ValueFormat format);

}  // namespace bexto
