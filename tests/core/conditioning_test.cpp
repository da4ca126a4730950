// Glitch filter and inversion of a channel, as every reader sees them.
#include "core/signal/conditioning.h"

#include "core/decode/bus_spec.h"
#include "core/signal/edge_stream.h"
#include "core/view/wire_shape.h"
#include "support/waves.h"

using namespace bexto;
using namespace bexto::test;
using namespace std::chrono_literals;

namespace {

/// Times and levels that a reader gets, as "low 10 high 20 low".
std::string storyOf(const ConditionedTrack& track, Picoseconds from = {})
{
  std::string story;
  EdgeStream edges(track, from, kNever - Picoseconds{1}, true);
  for (;;) {
    story += edges.level() ? "high" : "low";
    if (edges.next() == kNever.count())
      return story;
    story += " " + std::to_string(edges.next()) + " ";
    edges.advance();
  }
}

}  // namespace

TEST(Conditioning, InvertsLevelsAndKeepsTimes)
{
  const EdgeTrack track = trackOf(false, {10, 20, 35});
  EXPECT_EQ(storyOf(track), "low 10 high 20 low 35 high");
  EXPECT_EQ(storyOf({track, {Picoseconds{0}, true}}), "high 10 low 20 high 35 low");
  EXPECT_EQ(storyOf({track, {Picoseconds{0}, true}}, Picoseconds{15}), "low 20 high 35 low");
}

TEST(Conditioning, LeavesShortPulsesOutOfBothLevels)
{
  const EdgeTrack track = trackOf(false, {100, 103, 200, 300, 304, 400});
  EXPECT_EQ(storyOf({track, {Picoseconds{5}, false}}), "low 200 high 400 low");
  EXPECT_EQ(storyOf({track, {Picoseconds{5}, true}}), "high 200 low 400 high");
  EXPECT_EQ(storyOf({track, {Picoseconds{3}, false}}), storyOf(track)) << "a pulse of just that length counts";
}

TEST(Conditioning, TheLevelAtAMomentIsThatOfTheStream)
{
  std::mt19937_64 random(3);
  std::vector<std::int64_t> times;
  std::int64_t now = 0;
  for (int i = 0; i < 400; ++i)
    times.push_back(now += 1 + static_cast<std::int64_t>(random() % 40));
  for (const Conditioning how :
       {Conditioning{Picoseconds{0}, false}, {Picoseconds{0}, true}, {Picoseconds{9}, false}, {Picoseconds{9}, true}}) {
    const ConditionedTrack track{trackOf(true, times), how};
    EdgeStream edges(track, Picoseconds{0}, kNever - Picoseconds{1}, true);
    for (std::int64_t t = 0; t <= now + 5; ++t) {
      while (edges.next() <= t)
        edges.advance();
      ASSERT_EQ(track.levelAt(Picoseconds{t}), edges.level()) << t;
    }
  }
}

TEST(Conditioning, AUartFrameSurvivesAGlitchOnlyWithTheFilter)
{
  // 1 Mbit/s, 0x00 with a high pulse of 300 ns over the middle of its fourth data bit.
  LineWriter line(true);
  line.hold(true, 5e6);
  line.hold(false, 4.35e6);
  line.hold(true, 0.3e6);
  line.hold(false, 4.35e6);
  line.hold(true, 30e6);
  const Bus bus = *parseBusSpec("u=uart,rx=r,baud=1000000");
  const FrameIndex dirty = decodeAll(bus, {{line.track()}, line.now(), true});
  const FrameIndex clean = decodeAll(bus, {{{line.track(), {400ns, false}}}, line.now(), true});
  ASSERT_EQ(clean.size(), 1U);
  EXPECT_EQ(clean.frame(0).key, 0U);
  ASSERT_GE(dirty.size(), 1U);
  EXPECT_NE(dirty.frame(0).key, 0U);
}

TEST(Conditioning, TheWireIsDrawnAsItIsRead)
{
  const EdgeTrack track = trackOf(false, {100000, 101000, 300000});
  const TimeAxis axis({0ns, 400ns}, 400);
  using State = WireState;
  const std::vector<WireRun> plain = wireShape(track, axis, 400ns);
  ASSERT_EQ(plain.size(), 4U) << "low, the glitch, low, high";
  const std::vector<WireRun> inverted = wireShape({track, {Picoseconds{0}, true}}, axis, 400ns);
  ASSERT_EQ(inverted.size(), plain.size());
  EXPECT_EQ(inverted.front().state, State::High);
  EXPECT_EQ(inverted.back().state, State::Low);
  const std::vector<WireRun> filtered = wireShape({track, {5ns, false}}, axis, 400ns);
  EXPECT_EQ(filtered, (std::vector<WireRun>{{0, 300, State::Low, 0}, {300, 400, State::High, 0}}));
  const std::vector<WireRun> both = wireShape({track, {5ns, true}}, axis, 400ns);
  EXPECT_EQ(both, (std::vector<WireRun>{{0, 300, State::High, 0}, {300, 400, State::Low, 0}}));
}

TEST(Conditioning, AFilteredWireLooksLikeAPlainOneWhereNothingIsShort)
{
  std::mt19937_64 random(8);
  std::vector<std::int64_t> times;
  std::int64_t now = 0;
  for (int i = 0; i < 3000; ++i)
    times.push_back(now += 50 + static_cast<std::int64_t>(random() % 2000));
  const EdgeTrack track = trackOf(false, times);
  for (const std::int64_t span : {2000, 50000, 900000, 3000000}) {
    const TimeAxis axis({Picoseconds{70000}, Picoseconds{70000 + span}}, 500);
    EXPECT_EQ(wireShape({track, {Picoseconds{20}, false}}, axis, Picoseconds{now}),
              wireShape(track, axis, Picoseconds{now}))
        << span;
  }
}
