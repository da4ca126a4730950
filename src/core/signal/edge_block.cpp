// A block is a row of deltas, two bytes each as long as the bus is busy at its own pace. A pause is rare (one in a
// burst) and must not widen its 63 neighbours, so a delta that does not fit stands beside the row, and the row has 0
// for it: it can then be summed up without a look at any of its deltas, and the pauses are added to what comes after.
//
// A capture written with a 1 ps clock whose edges all lie on whole nanoseconds would waste four bytes an edge. The
// packer therefore tries whole powers of ten above the tick, but only when two bytes do not do.
//
// Tested by tests/core/edge_track_test.cpp.
#include "core/signal/edge_block.h"

#include <cassert>
#include <cstring>
#include <limits>

#include "core/signal/unpack_blocks.h"

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

/// By one of the powers of ten that the packer tries: each a constant, so no division takes place.
std::int64_t divideBy(std::int64_t delta, std::int64_t divisor)
{
  switch (divisor) {
    case 10:
      return delta / 10;
    case 100:
      return delta / 100;
    case 1000:
      return delta / 1000;
    case 1000000:
      return delta / 1000000;
    default:
      return delta;
  }
}

template <typename Word>
void append(std::span<const Word> words, std::vector<std::uint8_t>& bytes)
{
  const auto* const from = reinterpret_cast<const std::uint8_t*>(words.data());
  bytes.insert(bytes.end(), from, from + words.size_bytes());
}

/// Those that do not fit go to `bytes` as pauses, and then the row. Returns how many.
template <typename Word>
std::uint8_t packDeltas(std::span<const std::int64_t> ticks, std::int64_t divisor, bool pauses,
                        std::vector<std::uint8_t>& bytes)
{
  std::array<Word, kBlockEdges> row;
  row[0] = 0;
  std::uint8_t found = 0;
  if (!pauses && divisor == 1) {
    // Nearly always; the compiler makes vector code of it.
    for (std::size_t i = 1; i < ticks.size(); ++i)
      row[i] = static_cast<Word>(ticks[i] - ticks[i - 1]);
  } else {
    for (std::size_t i = 1; i < ticks.size(); ++i) {
      // A compiler that sees "if (divisor != 1) delta /= divisor" divides always, which costs more than all the rest.
      const std::int64_t delta = divideBy(ticks[i] - ticks[i - 1], divisor);
      const bool fits = delta <= static_cast<std::int64_t>(std::numeric_limits<Word>::max());
      row[i] = fits ? static_cast<Word>(delta) : Word{0};
      if (fits)
        continue;
      ++found;
      bytes.push_back(static_cast<std::uint8_t>(i));
      append(std::span<const std::int64_t>(&delta, 1), bytes);
    }
  }
  append(std::span<const Word>(row.data(), ticks.size()), bytes);
  return found;
}

std::size_t tooWide(std::span<const std::int64_t> ticks, std::int64_t limit)
{
  std::size_t n = 0;
  for (std::size_t i = 1; i < ticks.size(); ++i)
    n += ticks[i] - ticks[i - 1] > limit ? 1U : 0U;
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

template <typename Word>
void sumUp(const std::uint8_t* row, std::int64_t unit, std::int64_t time, std::size_t count, std::int64_t* out)
{
  for (std::size_t i = 0; i < count; ++i) {
    Word delta;
    std::memcpy(&delta, row + i * sizeof(Word), sizeof(Word));
    time += delta * unit;
    out[i] = time;
  }
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
  // Nine more bytes a pause against two more bytes a delta.
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
    layout.pauses = packDeltas<std::uint32_t>(ticks, divisor, true, bytes);
  } else {
    layout.pauses = packDeltas<std::uint16_t>(ticks, divisor, wide > 0, bytes);
  }
  return layout;
}

void unpackBlock(const BlockLayout& layout, const std::uint8_t* bytes, std::int64_t first, std::size_t count,
                 std::int64_t* out)
{
  if (count == kBlockEdges)
    unpackWholeBlocks(&layout, &first, 1, bytes, out);
  else
    unpackOneByOne(layout, bytes, first, count, out);
}

void unpackOneByOne(const BlockLayout& layout, const std::uint8_t* bytes, std::int64_t first, std::size_t count,
                    std::int64_t* out)
{
  const std::int64_t unit = tenToThe(layout.power);
  const std::uint8_t* const row = bytes + layout.row();
  if (layout.width == 2)
    sumUp<std::uint16_t>(row, unit, first, count, out);
  else
    sumUp<std::uint32_t>(row, unit, first, count, out);
  for (std::size_t p = 0; p < layout.pauses; ++p) {
    const BlockPause pause = pauseOf(layout, bytes, p);
    for (std::size_t i = pause.index; i < count; ++i)
      out[i] += pause.ticks * unit;
  }
}

}  // namespace bexto
