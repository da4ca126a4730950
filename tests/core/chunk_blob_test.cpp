#include "core/store/chunk_blob.h"

#include <random>

#include "core/signal/unpack_blocks.h"
#include "support/waves.h"

using namespace bexto;
using namespace bexto::test;

namespace {

EdgeTrack dirty(std::size_t edges, std::uint64_t seed, int power = 0)
{
  std::mt19937_64 random(seed);
  EdgeTrackBuilder builder(power);
  builder.set(0, false);
  std::int64_t t = 0;
  for (std::size_t i = 0; i < edges; ++i) {
    const std::uint64_t kind = random() % 100;
    builder.toggle(t += 1 + static_cast<std::int64_t>(kind < 3 ? random() % 10000000000 : random() % 50000));
  }
  return builder.snapshot();
}

std::vector<std::int64_t> unpacked(const ChunkFacts& facts, const ChunkSummary& summary, const PackedBytes& bytes)
{
  std::vector<std::int64_t> times(facts.count);
  for (std::size_t b = 0; b < summary.layouts.size(); ++b) {
    const std::size_t count = std::min(kBlockEdges, facts.count - b * kBlockEdges);
    unpackBlock(summary.layouts[b], bytes.data(), summary.firsts[b], count, times.data() + b * kBlockEdges);
  }
  return times;
}

}  // namespace

TEST(ChunkBlob, BackAndForth)
{
  for (const std::size_t edges : {1U, 2U, 63U, 64U, 65U, 4097U, 65536U}) {
    for (const int power : {0, 3, 5}) {
      const EdgeTrack track = dirty(edges, edges, power);
      const EdgeChunk& chunk = track.chunk(0);
      const ChunkBlobs blobs = packChunk(chunk);
      const auto summary = unpackSummary(blobs.summary, chunk.facts());
      ASSERT_TRUE(summary);
      EXPECT_EQ(summary->firsts, chunk.summary().firsts);
      const auto bytes = unpackDeltas(blobs.deltas, chunk.facts(), *summary);
      ASSERT_TRUE(bytes);
      EXPECT_EQ(unpacked(chunk.facts(), *summary, *bytes), timesOf(track));
    }
  }
}

TEST(ChunkBlob, EveryDamagedByteIsSeen)
{
  const EdgeTrack track = dirty(300, 2);
  const ChunkFacts facts = track.chunk(0).facts();
  const ChunkBlobs good = packChunk(track.chunk(0));
  const auto summary = unpackSummary(good.summary, facts);
  ASSERT_TRUE(summary);
  for (std::size_t at = 0; at < good.summary.size(); ++at) {
    auto bad = good.summary;
    bad[at] ^= 0x10;
    const auto read = unpackSummary(bad, facts);
    // A bit of the frame's header may mean nothing; then what is read is right.
    EXPECT_TRUE(!read || read->firsts == summary->firsts) << at;
  }
  const auto bytes = unpackDeltas(good.deltas, facts, *summary);
  for (std::size_t at = 0; at < good.deltas.size(); ++at) {
    auto bad = good.deltas;
    bad[at] ^= 0x10;
    const auto read = unpackDeltas(bad, facts, *summary);
    EXPECT_TRUE(!read || *read == *bytes) << at;
  }
  for (std::size_t size = 0; size < good.deltas.size(); ++size)
    EXPECT_FALSE(unpackDeltas(std::span(good.deltas).first(size), facts, *summary)) << size;
}

// A good check sum says that a blob is as it was written, not that it makes sense.
TEST(ChunkBlob, NonsenseWithAGoodCheckSumIsSeen)
{
  const EdgeTrack track = dirty(200, 3);
  const ChunkFacts facts = track.chunk(0).facts();
  const ChunkBytes packed = track.chunk(0).bytes();
  const ChunkSummary& right = track.chunk(0).summary();
  const BlockLayout& last = right.layouts.back();
  const PackedBytes bytes(packed.data(), packed.data() + last.row() + 8U * last.width);
  const auto isSeen = [&](const ChunkSummary& summary, PackedBytes content, const ChunkFacts& wanted) {
    const EdgeChunk chunk(wanted, summary, std::move(content));
    const ChunkBlobs blobs = packChunk(chunk);
    const auto read = unpackSummary(blobs.summary, facts);
    return !read || !unpackDeltas(blobs.deltas, facts, *read);
  };
  EXPECT_FALSE(isSeen(right, bytes, facts));
  for (std::size_t at = 0; at < bytes.size(); ++at) {
    // Times that do not rise, pauses out of place, times behind the end: each byte as large as it goes.
    PackedBytes wrong = bytes;
    wrong[at] = 0xFF;
    const EdgeChunk chunk(facts, right, wrong);
    const auto read = unpackDeltas(packChunk(chunk).deltas, facts, right);
    if (!read)
      continue;
    const auto times = unpacked(facts, right, *read);
    EXPECT_TRUE(std::adjacent_find(times.begin(), times.end(), std::greater_equal<>()) == times.end()) << at;
    EXPECT_LE(times.back(), facts.last);
  }
  const auto with = [&](auto change) {
    ChunkSummary summary = right;
    change(summary);
    return isSeen(summary, bytes, facts);
  };
  EXPECT_TRUE(with([](ChunkSummary& s) { s.firsts[1] = s.firsts[0]; }));
  EXPECT_TRUE(with([&](ChunkSummary& s) { s.firsts[2] = facts.last + 1; }));
  EXPECT_TRUE(with([](ChunkSummary& s) { s.layouts[1].power = 19; }));
  EXPECT_TRUE(with([](ChunkSummary& s) { s.layouts[1].power = 12; }));
  EXPECT_TRUE(with([](ChunkSummary& s) { s.layouts[1].width = 3; }));
  EXPECT_TRUE(with([](ChunkSummary& s) { s.layouts[1].pauses = 64; }));
}

TEST(ChunkBlob, TimesThatEndElsewhereAreSeen)
{
  const EdgeTrack track = dirty(200, 4);
  const ChunkFacts facts = track.chunk(0).facts();
  const ChunkBlobs blobs = packChunk(track.chunk(0));
  ChunkFacts shorter = facts;
  shorter.last -= 1;
  const auto summary = unpackSummary(blobs.summary, shorter);
  EXPECT_FALSE(summary && unpackDeltas(blobs.deltas, shorter, *summary));
  ChunkFacts fewer = facts;
  fewer.count -= 1;
  const auto other = unpackSummary(blobs.summary, fewer);
  EXPECT_FALSE(other && unpackDeltas(blobs.deltas, fewer, *other));
}
