// What the window shows of wires that nobody has described yet.
#include "core/view/wire_activity.h"

#include "core/view/time_axis.h"
#include "support/waves.h"

using namespace bexto;
using namespace bexto::test;
using namespace std::chrono_literals;

namespace {

/// `count` transitions from `begin` on, every `step`.
std::vector<std::int64_t> burst(Picoseconds begin, Picoseconds step, int count)
{
  std::vector<std::int64_t> times;
  for (int i = 0; i < count; ++i)
    times.push_back((begin + i * step).count());
  return times;
}

Channel channel(std::vector<std::int64_t> times)
{
  return {"w", "w", trackOf(false, times)};
}

template <typename... More>
std::vector<std::int64_t> joined(std::vector<std::int64_t> first, const More&... more)
{
  (first.insert(first.end(), more.begin(), more.end()), ...);
  return first;
}

constexpr int kPixels = 1000;

TimeRange firstOf(const std::vector<Channel>& channels, Picoseconds end)
{
  return firstActiveStretch(channels, {Picoseconds{0}, end}, kPixels);
}

/// Pixels between neighbours that are `step` apart.
double pixelsApart(TimeRange span, Picoseconds step)
{
  return static_cast<double>(step.count()) / TimeAxis(span, kPixels).picosecondsPerPixel();
}

}  // namespace

TEST(FirstActiveStretch, IsWhereTrafficBeginsHoweverLate)
{
  const TimeRange span = firstOf({channel(burst(600s, 5us, 400)), channel({})}, 3600s);
  EXPECT_LT(span.begin, 600s);
  EXPECT_GT(span.begin, 600s - 100us);
  EXPECT_GE(span.length(), 64 * 4us);
  EXPECT_GE(pixelsApart(span, 5us), 3.5);
}

TEST(FirstActiveStretch, OfAShortCaptureFillsTheView)
{
  const TimeRange span = firstOf({channel(burst(100us, 100us, 28))}, 3ms);
  EXPECT_LT(span.begin, 100us);
  EXPECT_GT(span.end, 2700us);
  EXPECT_GE(span.begin, Picoseconds{0}) << "never more than the capture";
  EXPECT_LE(span.end, 3ms);
}

TEST(FirstActiveStretch, PassesOverAResetBeforeALongRest)
{
  const TimeRange span = firstOf({channel(joined({1000000}, burst(600s, 5us, 100)))}, 3600s);
  EXPECT_GT(span.begin, 599s);
}

TEST(FirstActiveStretch, ALampThatBlinksIsNoActivityBesideABus)
{
  const std::vector<std::int64_t> lamp = burst(500ms, 500ms, 7000);
  EXPECT_GT(firstOf({channel(lamp), channel(burst(600s, 5us, 100))}, 3600s).begin, 599s);
  const TimeRange alone = firstOf({channel(lamp)}, 3600s);
  EXPECT_LT(alone.begin, 500ms) << "alone it is";
  EXPECT_GE(pixelsApart(alone, 500ms), 3.5);
}

TEST(FirstActiveStretch, IsAsNarrowAsTheQuickestWireAsks)
{
  const std::vector<Channel> wires{channel(burst(1ms, 100us, 64)), channel(burst(1ms, 1us, 8000))};
  EXPECT_GE(pixelsApart(firstOf(wires, 1s), 1us), 3.5);
}

TEST(FirstActiveStretch, EndsBeforeALongRest)
{
  for (const int count : {8, 20}) {
    const TimeRange span = firstOf({channel(joined(burst(1ms, 10us, count), burst(500ms, 10us, count)))}, 1s);
    EXPECT_LT(span.end, 2ms) << count;
    EXPECT_GE(span.end, 1ms + (count - 1) * 10us) << count;
  }
}

TEST(FirstActiveStretch, OfAFewEdgesIsAllOfThemAndOfNoneTheWhole)
{
  const TimeRange few = firstOf({channel({5000000000, 8000000000}), channel({6000000000})}, 3600s);
  EXPECT_LT(few.begin, 5ms);
  EXPECT_GT(few.end, 8ms);
  EXPECT_LT(few.length(), 4ms);
  const TimeRange whole{Picoseconds{0}, 3600s};
  EXPECT_EQ(firstOf({channel({})}, 3600s), whole);
  EXPECT_EQ(firstOf({}, 3600s), whole);
  EXPECT_EQ(firstOf({channel({5000000000})}, 3600s), whole) << "one edge: where it is in the capture";
}

TEST(WireDensity, GrowsWithTransitionsByDoubling)
{
  const EdgeTrack track = trackOf(false, joined(burst(100ms, 1ms, 1), burst(250ms, 1ms, 3), burst(300ms, 1ms, 15)));
  const TimeRange whole{Picoseconds{0}, 1s};
  EXPECT_EQ(mostTransitions(track, whole, 10), 15U);
  const auto density = wireDensity(track, whole, 10, 15);
  EXPECT_EQ(density[0], 0);
  EXPECT_NEAR(density[1], 1 + 254 / 4, 1);
  EXPECT_NEAR(density[2], 1 + 254 / 2, 1);
  EXPECT_EQ(density[3], 255);
  EXPECT_EQ(density[4], 0);
}

TEST(BusiestWires, AreTheOnesThatMoveMostInTheirOrder)
{
  std::vector<Channel> channels;
  for (const int count : {5, 0, 50, 2, 70})
    channels.push_back(channel(burst(1us, 1us, count)));
  channels.push_back(channels[4]);
  EXPECT_EQ(busiestWires(channels, 9), (std::vector<std::size_t>{0, 2, 3, 4})) << "one wire counts once";
  EXPECT_EQ(busiestWires(channels, 2), (std::vector<std::size_t>{2, 4}));
}
