// What a wire does and a bus carries in a stretch of time.
#include "core/view/measure.h"

#include "support/lock_cycle_sources.h"

using namespace bexto;
using namespace bexto::test;
using namespace std::chrono_literals;

TEST(WireStatistics, CountWholePeriodsAndLevelsThatEndInside)
{
  // Periods of 4 steps, high for 1; then one of 6 with a long high.
  const EdgeTrack track = wave("__#___#___#___###___#_", 10ns);
  const WireStatistics all = measureWire(track, {0ns, 1us}, 220ns, std::stop_token());
  EXPECT_EQ(all.edges, 10U);
  ASSERT_TRUE(all.hertz && all.duty);
  EXPECT_NEAR(*all.hertz, 4.0 / 180e-9, 1.0);
  EXPECT_NEAR(*all.duty, (10.0 + 10.0 + 10.0 + 30.0) / 180.0, 1e-9);
  EXPECT_EQ(all.shortestHigh, Picoseconds(10ns));
  EXPECT_EQ(all.longestHigh, Picoseconds(30ns));
  EXPECT_EQ(all.shortestLow, Picoseconds(30ns));
  EXPECT_EQ(all.longestLow, Picoseconds(30ns)) << "the level before the first edge has no known begin";
}

TEST(WireStatistics, AStretchSeesOnlyItsOwnEdges)
{
  const EdgeTrack track = wave("__#___#___#___###___#_", 10ns);
  const WireStatistics none = measureWire(track, {35ns, 55ns}, 220ns, std::stop_token());
  EXPECT_EQ(none.edges, 0U);
  EXPECT_FALSE(none.hertz || none.duty || none.shortestHigh || none.shortestLow);
  const WireStatistics one = measureWire(track, {55ns, 75ns}, 220ns, std::stop_token());
  EXPECT_EQ(one.edges, 2U);
  EXPECT_FALSE(one.hertz) << "one rising edge makes no period";
  EXPECT_EQ(one.shortestHigh, Picoseconds(10ns));
}

TEST(WireStatistics, FollowTheChannelsConditioning)
{
  const EdgeTrack track = wave("__#___#___", 10ns);
  const WireStatistics inverted = measureWire({track, {0ns, true}}, {0ns, 100ns}, 100ns, std::stop_token());
  EXPECT_EQ(inverted.longestLow, Picoseconds(10ns));
  EXPECT_EQ(measureWire({track, {20ns, false}}, {0ns, 100ns}, 100ns, std::stop_token()).edges, 0U);
  const EdgeTrack late = trackOf(false, {50'000, 90'000});
  EXPECT_EQ(measureWire({late, {20ns, false}}, {0ns, 1us}, 100ns, std::stop_token()).edges, 2U)
      << "what the capture's end leaves open is an edge";
}

TEST(StreamStatistics, SumUpWhatBeginsInTheStretch)
{
  for (const LedgerSource& source : lockCycleSources()) {
    const FrameIndex& frames = source.transactions.frames();
    const TimeRange stretch{frames.frame(10).time.begin + Picoseconds{1}, frames.frame(60).time.begin};
    StreamStatistics plain;
    double busy = 0.0;
    for (std::uint64_t i = 0; i < frames.size(); ++i) {
      const Frame f = frames.frame(i);
      const Picoseconds inside = std::min(f.time.end, stretch.end) - std::max(f.time.begin, stretch.begin);
      busy += std::max(0.0, toSeconds(inside));
      if (f.time.begin < stretch.begin || f.time.begin >= stretch.end)
        continue;
      ++plain.frames;
      plain.faulty += isFaulty(f.kind, f.errors) ? 1U : 0U;
    }
    const StreamStatistics s = measureStream(source.bus, frames, stretch, std::stop_token());
    EXPECT_EQ(s.frames, plain.frames);
    EXPECT_EQ(s.faulty, plain.faulty);
    EXPECT_NEAR(s.load, busy / toSeconds(stretch.length()), 1e-9) << source.name();
    EXPECT_GT(s.bytes, 0U);
  }
  EXPECT_EQ(measureStream(lockCycleSources()[0].bus, lockCycleSources()[0].transactions.frames(), {1s, 1s}, {}).frames,
            0U);
}

TEST(StreamStatistics, TheFirstFrameCountsWhenTheStretchBeginsWithItAndReachesInWhenLater)
{
  const LedgerSource& source = lockCycleSources()[0];
  const FrameIndex& frames = source.transactions.frames();
  for (const std::uint64_t number : {std::uint64_t{0}, std::uint64_t{7}}) {
    const TimeRange time = frames.frame(number).time;
    const auto in = [&](Picoseconds begin, Picoseconds end) {
      return measureStream(source.bus, frames, {begin, end}, std::stop_token());
    };
    EXPECT_EQ(in(time.begin, time.end).frames, 1U) << number;
    EXPECT_DOUBLE_EQ(in(time.begin, time.end).load, 1.0) << number;
    EXPECT_EQ(in(time.begin + Picoseconds{1}, time.end).frames, 0U) << number;
    EXPECT_DOUBLE_EQ(in(time.begin + Picoseconds{1}, time.end).load, 1.0) << "it goes on in it";
    EXPECT_EQ(in(time.begin - Picoseconds{1}, time.begin).frames, 0U) << number;
  }
}
