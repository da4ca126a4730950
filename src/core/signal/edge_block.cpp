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

#include "core/signal/unpack_deltas.h"

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
void packDeltas(std::span<const std::int64_t> ticks, std::int64_t divisor, bool escapes,
                std::vector<std::uint8_t>& bytes)
{
  constexpr auto kEscape = std::numeric_limits<Word>::max();
  const std::size_t count = ticks.size() - 1;
  if (!escapes && divisor == 1) {
    // Nearly always; the compiler makes vector code of it.
    std::array<Word, kBlockEdges> words;
    for (std::size_t i = 0; i < count; ++i)
      words[i] = static_cast<Word>(ticks[i + 1] - ticks[i]);
    const auto* from = reinterpret_cast<const std::uint8_t*>(words.data());
    bytes.insert(bytes.end(), from, from + count * sizeof(Word));
    return;
  }
  std::array<std::uint8_t, kBlockEdges*(sizeof(Word) + sizeof(std::int64_t))> packed;
  std::size_t size = 0;
  for (std::size_t i = 0; i < count; ++i) {
    // A compiler that sees "if (divisor != 1) delta /= divisor" divides always, which costs more than all the rest.
    const std::int64_t delta = divideBy(ticks[i + 1] - ticks[i], divisor);
    const bool fits = delta < static_cast<std::int64_t>(kEscape);
    const Word word = fits ? static_cast<Word>(delta) : kEscape;
    std::memcpy(packed.data() + size, &word, sizeof(word));
    size += sizeof(word);
    if (!fits) {
      std::memcpy(packed.data() + size, &delta, sizeof(delta));
      size += sizeof(delta);
    }
  }
  bytes.insert(bytes.end(), packed.data(), packed.data() + size);
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
    packDeltas<std::uint32_t>(ticks, divisor, true, bytes);
  } else {
    packDeltas<std::uint16_t>(ticks, divisor, wide > 0, bytes);
    layout.plain = wide == 0;
  }
  return layout;
}

void unpackBlock(const BlockLayout& layout, const std::uint8_t* bytes, std::int64_t first, std::size_t count,
                 std::int64_t* out)
{
  const std::int64_t unit = tenToThe(layout.power);
  const std::uint8_t* const from = bytes + layout.offset;
  // One or two are asked for a pixel at a time: choosing the processor's code would take longer than they do.
  constexpr std::size_t kFew = 5;
  if (count <= kFew)
    return layout.width == 2 ? unpackDeltasOneByOne<std::uint16_t>(from, unit, first, count, out)
                             : unpackDeltasOneByOne<std::uint32_t>(from, unit, first, count, out);
  if (layout.plain)
    unpackPlainDeltas(from, unit, first, count, out);
  else if (layout.width == 2)
    unpackNarrowDeltas(from, unit, first, count, out);
  else
    unpackWideDeltas(from, unit, first, count, out);
}

}  // namespace bexto
