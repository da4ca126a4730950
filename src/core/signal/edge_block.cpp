// A block is a row of deltas, two bytes each as long as the bus is busy at its own pace. A pause is rare (one in a
// burst) and must not widen its 63 neighbours, so a delta that does not fit is written as the largest number of its
// width followed by eight bytes of plain ticks.
//
// A capture written with a 1 ps clock whose edges all lie on whole nanoseconds would waste four bytes an edge. The
// packer therefore tries whole powers of ten above the tick, but only when two bytes do not do.
//
// Tested by tests/core/edge_track_test.cpp.
#include "core/signal/edge_block.h"

#include <cassert>
#include <cstring>
#include <limits>

namespace bexto {

namespace {

constexpr std::array<std::int64_t, 19> kPowers = [] {
  std::array<std::int64_t, 19> powers{};
  std::int64_t p = 1;
  for (auto& power : powers) {
    power = p;
    p *= power == 1000000000000000000 ? 1 : 10;
  }
  return powers;
}();

template <typename Word>
void put(std::vector<std::uint8_t>& bytes, Word value)
{
  const std::size_t at = bytes.size();
  bytes.resize(at + sizeof(Word));
  std::memcpy(bytes.data() + at, &value, sizeof(Word));
}

template <typename Word>
void packDeltas(std::span<const std::int64_t> ticks, std::int64_t divisor, std::vector<std::uint8_t>& bytes)
{
  constexpr auto kEscape = std::numeric_limits<Word>::max();
  for (std::size_t i = 1; i < ticks.size(); ++i) {
    std::int64_t delta = ticks[i] - ticks[i - 1];
    if (divisor != 1)
      delta /= divisor;
    if (delta < static_cast<std::int64_t>(kEscape)) {
      put(bytes, static_cast<Word>(delta));
    } else {
      put(bytes, kEscape);
      put(bytes, delta);
    }
  }
}

template <typename Word>
void unpackDeltas(const std::uint8_t* from, std::int64_t unit, std::int64_t first, std::size_t count, std::int64_t* out)
{
  constexpr auto kEscape = std::numeric_limits<Word>::max();
  std::int64_t time = first;
  out[0] = time;
  for (std::size_t i = 1; i < count; ++i) {
    Word word;
    std::memcpy(&word, from, sizeof(Word));
    from += sizeof(Word);
    std::int64_t delta = word;
    if (word == kEscape) [[unlikely]] {
      std::memcpy(&delta, from, sizeof(delta));
      from += sizeof(delta);
    }
    time += delta * unit;
    out[i] = time;
  }
}

std::size_t tooWide(std::span<const std::int64_t> ticks, std::int64_t limit)
{
  std::size_t n = 0;
  for (std::size_t i = 1; i < ticks.size(); ++i)
    n += ticks[i] - ticks[i - 1] >= limit ? 1U : 0U;
  return n;
}

bool allDivisible(std::span<const std::int64_t> ticks, std::int64_t divisor)
{
  for (std::size_t i = 1; i < ticks.size(); ++i) {
    if ((ticks[i] - ticks[i - 1]) % divisor != 0)
      return false;
  }
  return true;
}

}  // namespace

std::int64_t tenToThe(int power)
{
  return kPowers.at(static_cast<std::size_t>(power));
}

BlockLayout packBlock(std::span<const std::int64_t> ticks, int power, std::vector<std::uint8_t>& bytes)
{
  assert(!ticks.empty() && ticks.size() <= kBlockEdges);
  BlockLayout layout{static_cast<std::uint32_t>(bytes.size()), static_cast<std::uint8_t>(power), 2};
  constexpr std::int64_t kNarrow = std::numeric_limits<std::uint16_t>::max();
  std::int64_t divisor = 1;
  std::size_t wide = tooWide(ticks, kNarrow);
  // Eight more bytes an escape against two more bytes a delta: four escapes to a block of 16 and more.
  if (wide * 4 > ticks.size()) {
    for (const int up : {6, 3, 2, 1}) {
      if (allDivisible(ticks, tenToThe(up))) {
        divisor = tenToThe(up);
        layout.power = static_cast<std::uint8_t>(power + up);
        wide = tooWide(ticks, kNarrow * divisor);
        break;
      }
    }
  }
  if (wide * 4 > ticks.size()) {
    layout.width = 4;
    packDeltas<std::uint32_t>(ticks, divisor, bytes);
  } else {
    packDeltas<std::uint16_t>(ticks, divisor, bytes);
  }
  return layout;
}

void unpackBlock(const BlockLayout& layout, const std::uint8_t* bytes, std::int64_t first, std::size_t count,
                 std::int64_t* out)
{
  const std::int64_t unit = tenToThe(layout.power);
  if (layout.width == 2)
    unpackDeltas<std::uint16_t>(bytes + layout.offset, unit, first, count, out);
  else
    unpackDeltas<std::uint32_t>(bytes + layout.offset, unit, first, count, out);
}

}  // namespace bexto
