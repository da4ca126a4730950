#include "core/signal/edge_chunk.h"

#include <atomic>
#include <random>
#include <thread>

#include "core/signal/chunk_cache.h"
#include "core/signal/edge_stream.h"
#include "core/view/wire_shape.h"
#include "support/waves.h"

using namespace bexto;
using namespace bexto::test;

namespace {

/// Keeps the chunks of a track, and gives them out as a file would.
class Shelf final : public ChunkSource {
 public:
  explicit Shelf(EdgeTrack track) : m_track(std::move(track)) {}

  std::optional<ChunkSummary> readSummary(std::int64_t key, const ChunkFacts& /*facts*/) const override
  {
    ++summaries;
    return loseSummaries ? std::nullopt : std::optional(m_track.chunk(static_cast<std::size_t>(key)).summary());
  }
  std::optional<PackedBytes> readBytes(std::int64_t key, const ChunkFacts& facts,
                                       const ChunkSummary& summary) const override
  {
    ++reads;
    if (loseBytes)
      return std::nullopt;
    const EdgeChunk& chunk = m_track.chunk(static_cast<std::size_t>(key));
    const BlockLayout& last = summary.layouts.back();
    const std::size_t size = last.row() + chunk.blockCount((facts.count - 1) / kBlockEdges) * last.width;
    return PackedBytes(chunk.bytes().data(), chunk.bytes().data() + size);
  }

  /// The same track, whose chunks are here.
  static EdgeTrack put(const std::shared_ptr<Shelf>& shelf)
  {
    std::vector<std::shared_ptr<const EdgeChunk>> chunks;
    for (std::size_t i = 0; i < shelf->m_track.chunkCount(); ++i) {
      const ChunkFacts facts = shelf->m_track.chunk(i).facts();
      chunks.push_back(std::make_shared<const EdgeChunk>(facts, shelf, static_cast<std::int64_t>(i)));
    }
    return EdgeTrack(shelf->m_track.startLevel(), std::move(chunks));
  }

  mutable std::atomic<int> summaries{0};
  mutable std::atomic<int> reads{0};
  bool loseSummaries = false;
  bool loseBytes = false;

 private:
  EdgeTrack m_track;
};

/// Bursts and pauses.
EdgeTrack traffic(std::size_t edges, std::uint64_t seed)
{
  std::mt19937_64 random(seed);
  EdgeTrackBuilder builder;
  builder.set(0, false);
  std::int64_t t = 0;
  for (std::size_t i = 0; i < edges; ++i)
    builder.toggle(t += 1 + static_cast<std::int64_t>(random() % 500 == 0 ? random() % 1000000000 : random() % 3000));
  return builder.snapshot();
}

std::vector<std::int64_t> walked(const EdgeTrack& track)
{
  std::vector<std::int64_t> times;
  for (EdgeStream edges(track, Picoseconds{0}, kNever - Picoseconds{1}, true); edges.next() != kNever.count();
       edges.advance())
    times.push_back(edges.next());
  return times;
}

/// Puts the limit back.
struct LimitOf {
  explicit LimitOf(std::size_t bytes) { ChunkCache::shared().setLimit(bytes); }
  ~LimitOf() { ChunkCache::shared().setLimit(ChunkCache::kUsualLimit); }
  LimitOf(const LimitOf&) = delete;
  LimitOf& operator=(const LimitOf&) = delete;
};

}  // namespace

TEST(EdgeChunk, ATrackDoesNotKnowWhereItsChunksAre)
{
  const EdgeTrack here = traffic(200000, 1);
  const auto shelf = std::make_shared<Shelf>(here);
  const EdgeTrack there = Shelf::put(shelf);
  EXPECT_EQ(there.size(), here.size());
  EXPECT_EQ(shelf->summaries + shelf->reads, 0) << "nothing is read before somebody looks";
  EXPECT_EQ(walked(there), walked(here));
  std::mt19937_64 random(7);
  const auto end = static_cast<std::uint64_t>(here.at(here.size() - 1).count());
  for (int i = 0; i < 2000; ++i) {
    const Picoseconds t{static_cast<std::int64_t>(random() % (end + 10))};
    ASSERT_EQ(there.countBefore(t), here.countBefore(t));
    const std::uint64_t index = random() % here.size();
    ASSERT_EQ(there.at(index), here.at(index));
  }
  for (const double share : {1.0, 0.01, 0.0001}) {
    const TimeAxis axis({Picoseconds{0}, Picoseconds{static_cast<std::int64_t>(static_cast<double>(end) * share)}},
                        700);
    EXPECT_EQ(wireShape(there, axis, Picoseconds{static_cast<std::int64_t>(end)}),
              wireShape(here, axis, Picoseconds{static_cast<std::int64_t>(end)}));
  }
}

TEST(EdgeChunk, CountsAtTheEdgesOfChunks)
{
  const EdgeTrack here = traffic(140000, 2);
  const EdgeTrack there = Shelf::put(std::make_shared<Shelf>(here));
  for (const std::uint64_t index : {0U, 65535U, 65536U, 131071U, 131072U, 139999U}) {
    const Picoseconds at = here.at(index);
    EXPECT_EQ(there.countBefore(at), index);
    EXPECT_EQ(there.countBefore(at + Picoseconds{1}), index + 1);
  }
}

TEST(EdgeChunk, SummariesAreReadOnce)
{
  const auto shelf = std::make_shared<Shelf>(traffic(300000, 3));
  const EdgeTrack there = Shelf::put(shelf);
  for (int i = 0; i < 3; ++i)
    walked(there);
  EXPECT_EQ(shelf->summaries, 5);
}

TEST(ChunkCache, HoldsWhatItMayAndForgetsWhatWasUsedLongestAgo)
{
  const auto shelf = std::make_shared<Shelf>(traffic(65536 * 6, 4));
  const EdgeTrack there = Shelf::put(shelf);
  const auto look = [&](std::size_t chunk) { there.at(chunk * 65536 + 1); };
  look(0);
  const std::size_t one = ChunkCache::shared().size();
  ASSERT_GT(one, 100000U);
  const LimitOf limit(one * 3 + one / 2);
  for (const std::size_t chunk : {1U, 2U})
    look(chunk);
  EXPECT_EQ(shelf->reads, 3);
  look(0);  // it was used last again
  EXPECT_EQ(shelf->reads, 3);
  look(3);  // 1 has to go
  look(0);
  look(2);
  EXPECT_EQ(shelf->reads, 4);
  look(1);
  EXPECT_EQ(shelf->reads, 5);
  EXPECT_LE(ChunkCache::shared().size(), ChunkCache::shared().limit());
}

TEST(ChunkCache, AWalkNeedsOneChunkWhateverTheLimit)
{
  const auto shelf = std::make_shared<Shelf>(traffic(65536 * 4, 5));
  const EdgeTrack there = Shelf::put(shelf);
  const LimitOf limit(0);
  EXPECT_EQ(walked(there), walked(traffic(65536 * 4, 5)));
  EXPECT_EQ(shelf->reads, 4) << "each chunk once";
  EXPECT_EQ(ChunkCache::shared().size(), 0U);
}

TEST(ChunkCache, WhatIsGoneIsForgotten)
{
  const std::size_t before = ChunkCache::shared().size();
  {
    const EdgeTrack there = Shelf::put(std::make_shared<Shelf>(traffic(100000, 6)));
    walked(there);
    EXPECT_GT(ChunkCache::shared().size(), before);
  }
  EXPECT_EQ(ChunkCache::shared().size(), before);
}

TEST(ChunkCache, ManyThreadsReadOneTrack)
{
  const EdgeTrack here = traffic(65536 * 3, 8);
  const EdgeTrack there = Shelf::put(std::make_shared<Shelf>(here));
  const LimitOf limit(200000);
  const std::vector<std::int64_t> wanted = walked(here);
  std::atomic<int> right{0};
  std::vector<std::thread> threads;
  for (int i = 0; i < 4; ++i)
    threads.emplace_back([&] { right += walked(there) == wanted ? 1 : 0; });
  for (std::thread& thread : threads)
    thread.join();
  EXPECT_EQ(right, 4);
}

TEST(EdgeChunk, WhatCannotBeReadHasStandInsThatRise)
{
  const EdgeTrack here = traffic(150000, 9);
  for (const bool summariesToo : {false, true}) {
    const auto shelf = std::make_shared<Shelf>(here);
    shelf->loseBytes = true;
    shelf->loseSummaries = summariesToo;
    const EdgeTrack there = Shelf::put(shelf);
    const std::vector<std::int64_t> times = walked(there);
    ASSERT_EQ(times.size(), here.size());
    EXPECT_TRUE(std::adjacent_find(times.begin(), times.end(), std::greater_equal<>()) == times.end());
    EXPECT_EQ(times.front(), here.at(0).count());
    EXPECT_LE(times.back(), here.at(here.size() - 1).count());
    for (const std::size_t chunk : {0U, 1U, 2U})
      EXPECT_EQ(times[chunk * 65536], here.at(chunk * 65536).count()) << "each chunk begins where it does";
  }
}
