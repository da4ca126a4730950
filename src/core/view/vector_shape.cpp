// Tested by tests/core/vector_shape_test.cpp.
#include "core/view/vector_shape.h"

#include <algorithm>

#include "core/view/wire_shape.h"

namespace bexto {

std::vector<VectorRun> vectorShape(std::span<const ConditionedTrack> bits, const TimeAxis& axis, Picoseconds until)
{
  std::vector<std::vector<WireRun>> shapes;
  shapes.reserve(bits.size());
  std::vector<int> cuts;
  for (const ConditionedTrack& bit : bits) {
    shapes.push_back(wireShape(bit, axis, until));
    for (const WireRun& run : shapes.back()) {
      cuts.push_back(run.x0);
      cuts.push_back(run.x1);
    }
  }
  std::sort(cuts.begin(), cuts.end());
  cuts.erase(std::unique(cuts.begin(), cuts.end()), cuts.end());
  std::vector<VectorRun> runs;
  std::vector<std::size_t> at(bits.size(), 0);
  for (std::size_t i = 0; i + 1 < cuts.size(); ++i) {
    VectorRun run{cuts[i], cuts[i + 1], false, 0, std::vector<bool>(bits.size(), false)};
    for (std::size_t b = 0; b < bits.size(); ++b) {
      while (at[b] < shapes[b].size() && shapes[b][at[b]].x1 <= run.x0)
        ++at[b];
      if (at[b] == shapes[b].size())
        continue;
      const WireRun& wire = shapes[b][at[b]];
      run.busy = run.busy || wire.state == WireState::Busy;
      run.density = std::max(run.density, wire.density);
      run.bits[b] = wire.state == WireState::High;
    }
    if (run.busy)
      run.bits.clear();
    // A wire that ends its run and begins the same again changes nothing.
    if (!runs.empty() && runs.back().x1 == run.x0 && runs.back().busy == run.busy && runs.back().bits == run.bits &&
        runs.back().density == run.density)
      runs.back().x1 = run.x1;
    else
      runs.push_back(std::move(run));
  }
  return runs;
}

namespace {

/// Digits of `step` bits each.
std::string digitsOf(const std::vector<bool>& bits, std::size_t step)
{
  std::string text;
  std::size_t digit = 0;
  for (std::size_t i = 0; i < bits.size(); ++i) {
    digit = digit * 2 + (bits[i] ? 1 : 0);
    if ((bits.size() - 1 - i) % step == 0) {
      text += "0123456789ABCDEF"[digit];
      digit = 0;
    }
  }
  return text;
}

}  // namespace

std::string vectorText(const std::vector<bool>& bits, ValueFormat format)
{
  switch (format) {
    case ValueFormat::Binary:
      return digitsOf(bits, 1);
    case ValueFormat::Octal:
      return digitsOf(bits, 3);
    case ValueFormat::Decimal:
      if (bits.size() <= 64) {
        std::uint64_t value = 0;
        for (const bool bit : bits)
          value = value << 1U | (bit ? 1U : 0U);
        return std::to_string(value);
      }
      break;
    case ValueFormat::Text:
      if (bits.size() % 8 == 0) {
        std::string text;
        for (std::size_t i = 0; i < bits.size(); i += 8) {
          std::uint32_t byte = 0;
          for (std::size_t b = 0; b < 8; ++b)
            byte = byte << 1U | (bits[i + b] ? 1U : 0U);
          text += valueText(byte, 8, ValueFormat::Text);
        }
        return text;
      }
      break;
    case ValueFormat::Hex:
      break;
  }
  return digitsOf(bits, 4);
}

}  // namespace bexto
