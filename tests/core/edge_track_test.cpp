#include "core/signal/edge_track.h"

#include <hwy/targets.h>
#include <algorithm>
#include <limits>
#include <random>
#include <thread>

#include "core/signal/edge_track_builder.h"
#include "core/signal/unpack_deltas.h"
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

/// Deltas as edge_block.cpp writes them: what does not fit a word follows an escape.
template <typename Word>
std::vector<std::uint8_t> packedRow(const std::vector<std::int64_t>& deltas)
{
  std::vector<std::uint8_t> bytes;
  const auto append = [&bytes](const auto& value) {
    const auto* const at = reinterpret_cast<const std::uint8_t*>(&value);
    bytes.insert(bytes.end(), at, at + sizeof(value));
  };
  for (const std::int64_t delta : deltas) {
    const bool fits = delta < std::numeric_limits<Word>::max();
    append(fits ? static_cast<Word>(delta) : std::numeric_limits<Word>::max());
    if (!fits)
      append(delta);
  }
  return bytes;
}

/// Asks for each number of times of a row, into memory that ends with them: sanitizers see what is touched behind it.
template <typename Word, typename Unpack>
void expectSameAsOneByOne(const std::vector<std::int64_t>& deltas, std::int64_t unit, const Unpack& unpack)
{
  for (std::size_t count = 1; count <= deltas.size() + 1; ++count) {
    const std::vector<std::uint8_t> row = packedRow<Word>({deltas.begin(), deltas.begin() + (count - 1)});
    std::vector<std::int64_t> quick(count, -1);
    std::vector<std::int64_t> plain(count, -2);
    unpack(row.data(), unit, 12345678901234, count, quick.data());
    unpackDeltasOneByOne<Word>(row.data(), unit, 12345678901234, count, plain.data());
    ASSERT_EQ(quick, plain) << count << " times, unit " << unit;
    std::int64_t last = 12345678901234;
    for (std::size_t i = 0; i + 1 < count; ++i)
      last += deltas[i] * unit;
    ASSERT_EQ(quick.back(), last);
  }
}

}  // namespace

/// On each kind of processor that this one can stand in for.
class UnpackDeltas : public testing::TestWithParam<std::int64_t> {
 protected:
  void SetUp() override { use(GetParam()); }
  void TearDown() override { use(0); }

 private:
  static void use(std::int64_t target)
  {
    hwy::SetSupportedTargetsForTest(target);
    hwy::GetChosenTarget().Update(hwy::SupportedTargets());
  }
};

INSTANTIATE_TEST_SUITE_P(Processors, UnpackDeltas, testing::ValuesIn(hwy::SupportedAndGeneratedTargets()),
                         [](const auto& info) { return hwy::TargetName(info.param); });

TEST_P(UnpackDeltas, VectorsGiveWhatOneDeltaAfterTheOtherGives)
{
  std::mt19937_64 random(41);
  for (const std::int64_t unit :
       {std::int64_t{1}, std::int64_t{1000}, std::int64_t{4000000000}, std::int64_t{10000000000}}) {
    std::vector<std::int64_t> narrow(kBlockEdges - 1);
    std::vector<std::int64_t> wide(kBlockEdges - 1);
    for (std::int64_t& d : narrow)
      d = 1 + static_cast<std::int64_t>(random() % 65534);
    for (std::int64_t& d : wide)
      d = unit > 1000 ? 1 + static_cast<std::int64_t>(random() % 1000)
                      : 1 + static_cast<std::int64_t>(random() % 4294967294U);
    narrow[3] = 65534;
    expectSameAsOneByOne<std::uint16_t>(narrow, unit, unpackPlainDeltas);
    expectSameAsOneByOne<std::uint16_t>(narrow, unit, unpackNarrowDeltas);
    expectSameAsOneByOne<std::uint32_t>(wide, unit, unpackWideDeltas);
    // Pauses anywhere: at the ends, side by side, one in a vector, one in each.
    for (int round = 0; round < 20; ++round) {
      for (std::size_t i = 0; i < narrow.size(); ++i) {
        if (random() % 9 == 0)
          narrow[i] = 65535 + static_cast<std::int64_t>(random() % 100000);
        if (random() % 9 == 0 && unit <= 1000)
          wide[i] = 4294967295 + static_cast<std::int64_t>(random() % 100000);
      }
      expectSameAsOneByOne<std::uint16_t>(narrow, unit, unpackNarrowDeltas);
      expectSameAsOneByOne<std::uint32_t>(wide, unit, unpackWideDeltas);
    }
  }
}
