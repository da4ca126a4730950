// Tested by tests/core/chunk_blob_test.cpp.
#include "core/store/chunk_blob.h"

#include <array>
#include <bit>
#include <cstring>
#include <limits>
#include <memory>

#include "core/signal/edge_track.h"
#include "core/store/packed_frame.h"

namespace bexto {

namespace {

static_assert(std::endian::native == std::endian::little, "session files are little-endian: turn the numbers round");

constexpr std::size_t kSummaryBytes = 11;  ///< a block: first, power, width, pauses
constexpr int kMostPower = 18;

std::size_t blocksOf(const ChunkFacts& facts)
{
  return (facts.count + kBlockEdges - 1) / kBlockEdges;
}

std::size_t countOf(const ChunkFacts& facts, std::size_t block)
{
  return std::min(kBlockEdges, facts.count - block * kBlockEdges);
}

std::size_t bytesOf(const BlockLayout& layout, std::size_t count)
{
  return std::size_t{9} * layout.pauses + count * layout.width;
}

template <typename Word>
bool isSoundRow(const BlockLayout& layout, const std::uint8_t* bytes, std::int64_t first, std::size_t count,
                std::int64_t last)
{
  std::array<Word, kBlockEdges> row;
  row.fill(1);
  std::memcpy(row.data(), bytes + layout.row(), count * sizeof(Word));
  // Of a fixed length, and without a branch: the compiler makes vector code of it.
  std::uint64_t sum = 0;
  std::uint32_t zeros = 0;
  for (const Word step : row) {
    sum += step;
    zeros += step == 0 ? 1U : 0U;
  }
  sum -= kBlockEdges - count;
  // Zero are the first one and those that a pause leads to; so all others rise.
  if (row[0] != 0 || zeros != layout.pauses + 1U)
    return false;
  std::int64_t left = (last - first) / tenToThe(layout.power);
  std::size_t before = 0;
  for (std::size_t p = 0; p < layout.pauses; ++p) {
    const BlockPause pause = pauseOf(layout, bytes, p);
    if (pause.index <= before || pause.index >= count || row[pause.index] != 0 || pause.ticks <= 0 ||
        pause.ticks > left)
      return false;
    left -= pause.ticks;
    before = pause.index;
  }
  return left >= 0 && sum <= static_cast<std::uint64_t>(left);
}

/// Whether the times of a block rise and stay in [first, last], without an overflow on the way.
bool isSound(const BlockLayout& layout, const std::uint8_t* bytes, std::int64_t first, std::size_t count,
             std::int64_t last)
{
  return layout.width == 2 ? isSoundRow<std::uint16_t>(layout, bytes, first, count, last)
                           : isSoundRow<std::uint32_t>(layout, bytes, first, count, last);
}

template <typename Number>
void append(std::vector<std::uint8_t>& to, Number value)
{
  std::array<std::uint8_t, sizeof(Number)> bytes;
  std::memcpy(bytes.data(), &value, sizeof(Number));
  to.insert(to.end(), bytes.begin(), bytes.end());
}

}  // namespace

ChunkBlobs packChunk(const EdgeChunk& chunk)
{
  const ChunkSummary& summary = chunk.summary();
  const std::size_t blocks = chunk.blocks();
  // Column by column, and times as distances: so they compress.
  std::vector<std::uint8_t> plain;
  plain.reserve(blocks * kSummaryBytes);
  std::int64_t before = chunk.facts().first;
  for (const std::int64_t first : summary.firsts) {
    append(plain, first - before);
    before = first;
  }
  for (const BlockLayout& layout : summary.layouts)
    plain.push_back(layout.power);
  for (const BlockLayout& layout : summary.layouts)
    plain.push_back(layout.width);
  for (const BlockLayout& layout : summary.layouts)
    plain.push_back(layout.pauses);
  const ChunkBytes bytes = chunk.bytes();
  const BlockLayout& last = summary.layouts.back();
  const std::size_t size = last.offset + bytesOf(last, chunk.blockCount(blocks - 1));
  return {packFrame(plain), packFrame({bytes.data(), size})};
}

std::optional<ChunkSummary> unpackSummary(std::span<const std::uint8_t> blob, const ChunkFacts& facts)
{
  const std::size_t blocks = blocksOf(facts);
  if (blocks == 0 || blocks > kChunkBlocks)
    return std::nullopt;
  const auto plain = unpackFrame(blob, blocks * kSummaryBytes);
  if (!plain)
    return std::nullopt;
  ChunkSummary summary;
  summary.firsts.reserve(blocks);
  summary.layouts.reserve(blocks);
  std::int64_t first = facts.first;
  std::size_t offset = 0;
  for (std::size_t b = 0; b < blocks; ++b) {
    std::int64_t step = 0;
    std::memcpy(&step, plain->data() + 8 * b, sizeof(step));
    BlockLayout layout;
    layout.offset = static_cast<std::uint32_t>(offset);
    layout.power = (*plain)[8 * blocks + b];
    layout.width = (*plain)[9 * blocks + b];
    layout.pauses = (*plain)[10 * blocks + b];
    const bool rises = b == 0 ? step == 0 : step > 0 && step <= facts.last - first;
    if (!rises || layout.power > kMostPower || (layout.width != 2 && layout.width != 4) || layout.pauses >= kBlockEdges)
      return std::nullopt;
    first += step;
    offset += bytesOf(layout, countOf(facts, b));
    summary.firsts.push_back(first);
    summary.layouts.push_back(layout);
  }
  return summary;
}

std::optional<PackedBytes> unpackDeltas(std::span<const std::uint8_t> blob, const ChunkFacts& facts,
                                        const ChunkSummary& summary)
{
  const std::size_t blocks = blocksOf(facts);
  if (summary.layouts.size() != blocks)
    return std::nullopt;
  const BlockLayout& end = summary.layouts.back();
  auto bytes = unpackFrame(blob, end.offset + bytesOf(end, countOf(facts, blocks - 1)));
  if (!bytes)
    return std::nullopt;
  for (std::size_t b = 0; b < blocks; ++b) {
    const std::int64_t last = b + 1 < blocks ? summary.firsts[b + 1] - 1 : facts.last;
    if (!isSound(summary.layouts[b], bytes->data(), summary.firsts[b], countOf(facts, b), last))
      return std::nullopt;
  }
  return bytes;
}

}  // namespace bexto
