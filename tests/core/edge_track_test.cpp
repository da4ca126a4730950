#include "core/signal/edge_track.h"

#include <algorithm>
#include <random>
#include <span>
#include <thread>

#include "core/signal/edge_track_builder.h"
#include "core/signal/unpack_blocks.h"
#include "support/each_processor.h"
#include "support/waves.h"

using namespace bexto;
using namespace bexto::test;

namespace {

/// Bursts and pauses, at a resolution of 10^power ps.
std::vector<std::int64_t> dirtyTicks(std::size_t count, std::uint64_t seed)
{
  std::mt19937_64 random(seed);
  std::vector<std::int64_t> ticks;
  std::int64_t t = 0;
  for (std::size_t i = 0; i < count; ++i) {
    const std::uint64_t kind = random() % 100;
    t += 1 + static_cast<std::int64_t>(kind == 0 ? random() % 5000000000 : kind < 20 ? random() % 3 : random() % 2000);
    ticks.push_back(t);
  }
  return ticks;
}

EdgeTrack build(const std::vector<std::int64_t>& ticks, int power)
{
  EdgeTrackBuilder builder(power);
  builder.set(0, true);
  for (const std::int64_t t : ticks)
    builder.toggle(t);
  return builder.snapshot();
}

}  // namespace

TEST(EdgeTrack, AnEmptyTrackHasOneLevelForEver)
{
  const EdgeTrack track = wave("####", Picoseconds{10});
  EXPECT_EQ(track.size(), 0U);
  EXPECT_TRUE(track.levelAt(Picoseconds{0}));
  EXPECT_TRUE(track.levelAt(kNever));
  EXPECT_EQ(track.nextAfter(Picoseconds{5}), kNever);
  EXPECT_EQ(track.previousBefore(Picoseconds{5}), Picoseconds{-1});
  EXPECT_EQ(track.nearestTo(Picoseconds{5}), kNever);
}

TEST(EdgeTrack, LooksUpLevelsAndNeighbours)
{
  const EdgeTrack track = wave("__##_#", Picoseconds{10});
  EXPECT_EQ(timesOf(track), (std::vector<std::int64_t>{20, 40, 50}));
  EXPECT_FALSE(track.levelAt(Picoseconds{19}));
  EXPECT_TRUE(track.levelAt(Picoseconds{20}));
  EXPECT_FALSE(track.levelAt(Picoseconds{40}));
  EXPECT_EQ(track.nextAfter(Picoseconds{20}), Picoseconds{40});
  EXPECT_EQ(track.previousBefore(Picoseconds{20}), Picoseconds{-1});
  EXPECT_EQ(track.previousBefore(Picoseconds{21}), Picoseconds{20});
  EXPECT_EQ(track.nearestTo(Picoseconds{30}), Picoseconds{20});
  EXPECT_EQ(track.nearestTo(Picoseconds{31}), Picoseconds{40});
  EXPECT_EQ(track.countIn({Picoseconds{20}, Picoseconds{50}}), 2U);
  EXPECT_EQ(track.countIn({Picoseconds{50}, Picoseconds{20}}), 0U);
}

TEST(EdgeTrack, AnswersLikeAPlainListOverManyChunksAtEveryResolution)
{
  for (const int power : {0, 1, 3, 6}) {
    const std::vector<std::int64_t> ticks = dirtyTicks(200000, 7 + static_cast<std::uint64_t>(power));
    const EdgeTrack track = build(ticks, power);
    std::vector<std::int64_t> plain;
    for (const std::int64_t t : ticks)
      plain.push_back(t * tenToThe(power));
    ASSERT_EQ(track.size(), plain.size());
    ASSERT_GT(track.chunkCount(), 2U);
    std::mt19937_64 random(3);
    for (int i = 0; i < 20000; ++i) {
      const std::uint64_t index = random() % plain.size();
      ASSERT_EQ(track.at(index).count(), plain[index]) << "power " << power << " index " << index;
      const std::int64_t t = plain[index] + static_cast<std::int64_t>(random() % 3) - 1;
      const auto before = std::lower_bound(plain.begin(), plain.end(), t) - plain.begin();
      ASSERT_EQ(track.countBefore(Picoseconds{t}), static_cast<std::uint64_t>(before)) << "at " << t;
      const auto upTo = std::upper_bound(plain.begin(), plain.end(), t) - plain.begin();
      ASSERT_EQ(track.levelAt(Picoseconds{t}), upTo % 2 == 0);
    }
  }
}

TEST(EdgeTrack, CoarseEdgesOnAPicosecondClockStayTwoBytesEach)
{
  EdgeTrackBuilder builder(0);
  builder.set(0, false);
  for (std::int64_t i = 1; i <= 500000; ++i)
    builder.toggle(i * 1250000 + (i % 7) * 1000);
  const EdgeTrack track = builder.snapshot();
  EXPECT_LT(static_cast<double>(track.bytes()) / static_cast<double>(track.size()), 2.5);
}

TEST(EdgeTrack, BurstyTrafficStaysUnderTwoAndAHalfBytesATransition)
{
  EdgeTrackBuilder builder(3);
  builder.set(0, false);
  std::int64_t t = 0;
  for (int i = 0; i < 500000; ++i)
    builder.toggle(t += i % 150 == 0 ? 4000000 : 1250 + i % 40);
  const EdgeTrack track = builder.snapshot();
  EXPECT_LT(static_cast<double>(track.bytes()) / static_cast<double>(track.size()), 2.5);
}

TEST(EdgeTrackBuilder, OfSeveralLevelsAtOneTimeTheLastCounts)
{
  EdgeTrackBuilder builder;
  builder.set(0, false);
  builder.set(10, true);
  builder.set(10, false);
  builder.set(20, true);
  EXPECT_EQ(timesOf(builder.snapshot()), (std::vector<std::int64_t>{20}));
}

TEST(EdgeTrackBuilder, TheFirstKnownLevelIsTheStartLevel)
{
  EdgeTrackBuilder builder;
  builder.set(500, true);
  builder.set(600, false);
  const EdgeTrack track = builder.snapshot();
  EXPECT_TRUE(track.startLevel());
  EXPECT_EQ(timesOf(track), (std::vector<std::int64_t>{600}));
}

TEST(EdgeTrackBuilder, ATransitionAtABlocksBorderCanStillBeTakenBack)
{
  for (std::int64_t edges = 62; edges <= 66; ++edges) {
    EdgeTrackBuilder builder;
    builder.set(0, false);
    for (std::int64_t i = 1; i <= edges; ++i)
      builder.toggle(i * 10);
    builder.toggle(edges * 10);
    EXPECT_EQ(builder.snapshot().size(), static_cast<std::uint64_t>(edges - 1)) << edges;
  }
}

TEST(EdgeTrackBuilder, SnapshotsStandWhileOthersReadAndTheTrackGrows)
{
  EdgeTrackBuilder builder;
  builder.set(0, false);
  std::vector<std::jthread> readers;
  for (int round = 1; round <= 8; ++round) {
    for (int i = 0; i < 20000; ++i)
      builder.toggle((static_cast<std::int64_t>(builder.size()) + 1) * 5);
    readers.emplace_back([track = builder.snapshot(), round] {
      ASSERT_EQ(track.size(), static_cast<std::uint64_t>(round) * 20000);
      for (std::uint64_t i = 0; i < track.size(); i += 97)
        ASSERT_EQ(track.at(i).count(), (static_cast<std::int64_t>(i) + 1) * 5);
    });
  }
}

namespace {

/// Whole blocks of traffic, with pauses of which each is `pausesOf100` likely.
std::vector<std::int64_t> blocksOfTicks(std::size_t blocks, std::int64_t delta, std::int64_t pause,
                                        std::uint64_t pausesOf100, std::mt19937_64& random)
{
  std::vector<std::int64_t> ticks;
  std::int64_t t = 12345678;
  for (std::size_t i = 0; i < blocks * kBlockEdges; ++i) {
    ticks.push_back(t);
    t += 1 + static_cast<std::int64_t>(random() % static_cast<std::uint64_t>(delta));
    if (random() % 100 < pausesOf100)
      t += pause + static_cast<std::int64_t>(random() % 100000);
  }
  return ticks;
}

/// Packs blocks and unpacks them in both ways, from and into memory that ends with them: sanitizers see what is touched
/// behind it.
void expectBothWaysGiveBack(const std::vector<std::int64_t>& ticks, int power)
{
  const std::size_t blocks = ticks.size() / kBlockEdges;
  std::vector<std::uint8_t> packed;
  std::vector<BlockLayout> layouts;
  std::vector<std::int64_t> firsts;
  std::vector<std::int64_t> expected;
  for (std::size_t b = 0; b < blocks; ++b) {
    layouts.push_back(packBlock(std::span(ticks).subspan(b * kBlockEdges, kBlockEdges), power, packed));
    firsts.push_back(ticks[b * kBlockEdges] * tenToThe(power));
  }
  for (const std::int64_t tick : ticks)
    expected.push_back(tick * tenToThe(power));
  const std::vector<std::uint8_t> bytes(packed.begin(), packed.end());  // exactly as long as it is
  std::vector<std::int64_t> times(ticks.size(), -1);
  unpackWholeBlocks(layouts.data(), firsts.data(), blocks, bytes.data(), times.data());
  ASSERT_EQ(times, expected) << "power " << power;
  for (std::size_t count = 1; count <= kBlockEdges; ++count) {
    std::vector<std::int64_t> part(count, -1);
    unpackBlock(layouts.back(), bytes.data(), firsts.back(), count, part.data());
    const auto from = expected.end() - static_cast<std::ptrdiff_t>(kBlockEdges);
    ASSERT_EQ(part, std::vector<std::int64_t>(from, from + static_cast<std::ptrdiff_t>(count))) << count << " times";
  }
  std::vector<std::int64_t> slowly(kBlockEdges, -1);
  unpackOneByOne(layouts.front(), bytes.data(), firsts.front(), kBlockEdges, slowly.data());
  ASSERT_EQ(slowly, std::vector<std::int64_t>(expected.begin(), expected.begin() + kBlockEdges));
}

}  // namespace

class UnpackBlocks : public test::EachProcessor {};
BEXTO_EACH_PROCESSOR(UnpackBlocks);

TEST_P(UnpackBlocks, GiveBackWhatWasPackedAtEveryWidthUnitAndNumberOfPauses)
{
  std::mt19937_64 random(41);
  // A unit of 10^10 ps has no vector form.
  for (const int power : {0, 3, 9, 10}) {
    for (const std::uint64_t pauses : {0U, 2U, 10U, 24U}) {
      expectBothWaysGiveBack(blocksOfTicks(5, 60000, 65536, pauses, random), power);
      if (power <= 3)
        expectBothWaysGiveBack(blocksOfTicks(5, 4000000000, 4294967296, pauses, random), power);
    }
  }
}

TEST_P(UnpackBlocks, TheLongestDeltaOfARowFitsAndOneMoreIsAPause)
{
  for (const std::int64_t limit : {std::int64_t{65535}, std::int64_t{4294967295}}) {
    const std::int64_t usual = limit / 2 + 1;
    for (const std::size_t where : {1U, 2U, 31U, 32U, 62U, 63U}) {
      std::vector<std::int64_t> ticks;
      std::int64_t t = 0;
      for (std::size_t i = 0; i < kBlockEdges; ++i)
        ticks.push_back(t += i == where ? limit : usual);
      std::vector<std::uint8_t> bytes;
      const BlockLayout fits = packBlock(ticks, 0, bytes);
      EXPECT_EQ(fits.pauses, 0);
      EXPECT_EQ(bytes.size(), kBlockEdges * fits.width);
      expectBothWaysGiveBack(ticks, 0);
      for (std::size_t i = where; i < kBlockEdges; ++i)
        ++ticks[i];
      const BlockLayout paused = packBlock(ticks, 0, bytes);
      EXPECT_EQ(paused.width, fits.width);
      ASSERT_EQ(paused.pauses, 1);
      EXPECT_EQ(pauseOf(paused, bytes.data(), 0).index, where);
      EXPECT_EQ(pauseOf(paused, bytes.data(), 0).ticks, limit + 1);
      expectBothWaysGiveBack(ticks, 0);
    }
  }
}
