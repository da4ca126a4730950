#include <algorithm>

#include "core/base/time_text.h"
#include "core/decode/bus_spec.h"
#include "core/view/bus_lane.h"
#include "core/view/overview.h"
#include "core/view/time_axis.h"
#include "core/view/wire_shape.h"
#include "support/lock_cycle.h"
#include "support/waves.h"

using namespace bexto;
using namespace bexto::test;
using namespace std::chrono_literals;

namespace {

const TimeRange kWhole{Picoseconds{0}, 1s};

/// A column at a time, asking the track itself.
std::vector<WireRun> plainShape(const EdgeTrack& track, const TimeAxis& axis, Picoseconds until)
{
  std::vector<WireRun> columns;
  for (int x = 0; x < axis.width(); ++x) {
    const Picoseconds begin = axis.timeAt(x);
    const Picoseconds end = axis.timeAt(x + 1);
    if (end <= Picoseconds{0} || begin > until)
      continue;
    const std::uint64_t n = track.countIn({begin, end});
    const WireState level = track.levelBefore(track.countBefore(end)) ? WireState::High : WireState::Low;
    columns.push_back({x, x + 1, n >= 2 ? WireState::Busy : level, 0});
  }
  return columns;
}

std::vector<WireRun> asColumns(const std::vector<WireRun>& runs)
{
  std::vector<WireRun> columns;
  for (const WireRun& run : runs) {
    for (int x = run.x0; x < run.x1; ++x)
      columns.push_back({x, x + 1, run.state, 0});
  }
  return columns;
}

}  // namespace

TEST(TimeAxis, MapsBothWaysToTheNearestPicosecond)
{
  const TimeAxis axis({1ms, 2ms}, 1000);
  EXPECT_DOUBLE_EQ(axis.xOf(1500us), 500.0);
  EXPECT_EQ(axis.timeAt(500.0), Picoseconds(1500us));
  EXPECT_EQ(axis.span(), (TimeRange{1ms, 2ms}));
}

TEST(TimeAxis, ZoomKeepsTheMomentUnderThePointer)
{
  TimeAxis axis({400ms, 500ms}, 1000);
  for (int i = 0; i < 30; ++i)
    axis = axis.zoomed(1.3, 300.0, kWhole);
  EXPECT_LE(std::chrono::abs(axis.timeAt(300.0) - Picoseconds(430ms)), Picoseconds{20});
  for (int i = 0; i < 100; ++i)
    axis = axis.zoomed(1.0 / 1.3, 300.0, kWhole);
  EXPECT_GE(axis.picosecondsPerPixel(), 1e9) << "the whole capture is the widest view";
  EXPECT_LE(axis.picosecondsPerPixel(), 1.07e9);
}

TEST(TimeAxis, PanningStopsAtTheCapturesEnds)
{
  TimeAxis axis({400ms, 500ms}, 1000);
  for (int i = 0; i < 100; ++i)
    axis = axis.panned(500.0, kWhole);
  EXPECT_LE(axis.span().end, Picoseconds(1004ms));
  EXPECT_GE(axis.span().end, Picoseconds(1s));
  for (int i = 0; i < 100; ++i)
    axis = axis.panned(-500.0, kWhole);
  EXPECT_GE(axis.span().begin, Picoseconds(-4ms));
}

TEST(TimeAxis, ManySmallPansDoNotCreep)
{
  TimeAxis axis({400ms, 400ms + Picoseconds{777}}, 1000);
  const Picoseconds before = axis.timeAt(500.0);
  for (int i = 0; i < 1000; ++i)
    axis = axis.panned(0.3, kWhole);
  for (int i = 0; i < 1000; ++i)
    axis = axis.panned(-0.3, kWhole);
  EXPECT_LE(std::chrono::abs(axis.timeAt(500.0) - before), Picoseconds{1});
}

TEST(TimeAxis, TicksAreRoundAndTheirLabelsCountFromAWholeMoment)
{
  const TimeAxis axis({3204100us, 3204220us}, 600);
  std::vector<std::string> labels;
  for (const AxisTick& tick : axis.ticks(90.0)) {
    if (!tick.label.empty())
      labels.push_back(tick.label);
  }
  EXPECT_EQ(labels, (std::vector<std::string>{"3.204 12 s", "+20.0 µs", "+40.0 µs", "+60.0 µs", "3.204 20 s"}));
}

TEST(TimeAxis, TicksStayApartAtEveryZoom)
{
  for (double length = 100.0; length < 9e13; length *= 1.7) {
    const TimeAxis axis({Picoseconds{0}, Picoseconds{static_cast<std::int64_t>(length)}}, 900);
    double last = -1000.0;
    int majors = 0;
    for (const AxisTick& tick : axis.ticks(100.0)) {
      if (tick.label.empty())
        continue;
      EXPECT_GE(tick.x - last, 99.0) << length;
      last = tick.x;
      ++majors;
    }
    EXPECT_LE(majors, 9);
    if (axis.picosecondsPerPixel() > 1.0) {
      EXPECT_GE(majors, 1) << length;
    }
  }
}

TEST(WireShape, SmallPicture)
{
  const EdgeTrack track = wave("____####____", Picoseconds{100});
  const TimeAxis axis({Picoseconds{0}, Picoseconds{1200}}, 12);
  EXPECT_EQ(wireShape(track, axis, Picoseconds{1200}),
            (std::vector<WireRun>{{0, 4, WireState::Low, 0}, {4, 8, WireState::High, 0}, {8, 12, WireState::Low, 0}}));
}

TEST(WireShape, SaysTheSameAsThePlainWayAtEveryZoom)
{
  std::mt19937_64 random(5);
  std::vector<std::int64_t> times;
  std::int64_t t = 0;
  for (int i = 0; i < 150000; ++i)
    times.push_back(t += 1 + static_cast<std::int64_t>(random() % 300 == 0 ? random() % 3000000 : random() % 900));
  const EdgeTrack track = trackOf(true, times);
  const Picoseconds end{t + 1000};
  const TimeRange whole{Picoseconds{0}, end};
  for (int round = 0; round < 60; ++round) {
    TimeAxis axis(whole, 300);
    const int steps = round % 30;
    const double x = static_cast<double>(random() % 300);
    for (int i = 0; i < steps; ++i)
      axis = axis.zoomed(1.6, x, whole);
    ASSERT_EQ(asColumns(wireShape(track, axis, end)), plainShape(track, axis, end)) << "round " << round;
  }
}

TEST(WireShape, NothingIsDrawnBeyondTheCapturesEnds)
{
  const EdgeTrack track = wave("#_", Picoseconds{500});
  const TimeAxis axis({Picoseconds{-1000}, Picoseconds{2000}}, 30);
  const auto runs = wireShape(track, axis, Picoseconds{1000});
  EXPECT_EQ(runs.front().x0, 10);
  EXPECT_EQ(runs.back().x1, 21);
}

class LockCycleLane : public testing::Test {
 protected:
  void SetUp() override
  {
    m_cycle = lockCycle();
    m_bus = resolveBus(*parseBusSpec("sensors=i2c,scl=SCL,sda=SDA"), m_cycle.capture)->bus;
    m_input = {{m_cycle.capture.channels[0].track, m_cycle.capture.channels[1].track}, m_cycle.capture.end, true};
    m_transactions = Transactions(m_bus, decodeAll(m_bus, m_input));
  }
  BusLane lane(TimeRange span) const
  {
    return busLane(m_bus, m_input, m_transactions, faultyFrames(m_transactions.frames()), TimeAxis(span, 700));
  }

  rig::LockCycle m_cycle;
  Bus m_bus;
  StreamInput m_input;
  Transactions m_transactions;
};

TEST_F(LockCycleLane, TiersAppearAsRoomAllows)
{
  const TimeRange first = m_transactions.timeOf(0);
  const BusLane close = lane({first.begin, first.begin + 60us});
  EXPECT_EQ(close.sentences.size(), 1U);
  EXPECT_GT(close.fields.size(), 4U);
  EXPECT_GT(close.bits.size(), 15U);
  const BusLane middle = lane(spanAround(first, 0.8));
  EXPECT_GT(middle.fields.size(), 4U);
  EXPECT_TRUE(middle.bits.empty());
  const BusLane far = lane({Picoseconds{0}, m_cycle.capture.end});
  EXPECT_TRUE(far.fields.empty());
  EXPECT_LE(far.sentences.size(), 700U / 4U + 1U);
  std::uint64_t all = 0;
  for (const LaneSentence& s : far.sentences)
    all += s.count;
  EXPECT_EQ(all, m_transactions.size()) << "merging drops nothing";
}

TEST_F(LockCycleLane, SentencesDoNotOverlap)
{
  for (const Picoseconds length : {Picoseconds(300us), Picoseconds(20ms), Picoseconds(900ms)}) {
    const BusLane content = lane({1s, Picoseconds(1s) + length});
    for (std::size_t i = 1; i < content.sentences.size(); ++i)
      EXPECT_LE(content.sentences[i - 1].x1, content.sentences[i].x0 + 0.01);
  }
}

TEST_F(LockCycleLane, TheBrokenTransferIsMarked)
{
  const BusLane content = lane({m_cycle.faults.stretchedRead, m_cycle.faults.stretchedRead + 500us});
  ASSERT_FALSE(content.sentences.empty());
  EXPECT_TRUE(content.sentences[0].fault);
  EXPECT_TRUE(std::any_of(content.fields.begin(), content.fields.end(), [](const LaneField& f) { return f.fault; }));
}

TEST_F(LockCycleLane, TheFirstViewIsTheFirstActiveStretch)
{
  const TimeRange stretch = firstActiveStretch({m_transactions}, {Picoseconds{0}, m_cycle.capture.end});
  EXPECT_LE(stretch.begin, m_transactions.beginOf(0));
  EXPECT_GE(stretch.end, m_transactions.timeOf(0).end);
  EXPECT_LT(stretch.length(), Picoseconds(2ms));
  const TimeRange whole{Picoseconds{0}, 1s};
  EXPECT_EQ(firstActiveStretch({Transactions()}, whole), whole);
}

TEST_F(LockCycleLane, TheOverviewShowsWhereTrafficAndFaultsAre)
{
  const FrameIndex& frames = m_transactions.frames();
  const auto density = trafficDensity(frames, {Picoseconds{0}, m_cycle.capture.end}, 200);
  ASSERT_EQ(density.size(), 200U);
  EXPECT_TRUE(std::all_of(density.begin(), density.end() - 1, [](std::uint8_t d) { return d > 0 && d < 128; }));
  const auto faulty = faultyFrames(frames);
  EXPECT_EQ(faulty.size(), frames.errorCount());
  for (const std::uint32_t f : faulty)
    EXPECT_NE(frames.frame(f).errors, 0);
  const TimeRange whole{Picoseconds{0}, m_cycle.capture.end};
  std::vector<int> plain;
  for (const std::uint32_t f : faulty) {
    const int x = static_cast<int>(TimeAxis(whole, 200).xOf(frames.frame(f).time.begin));
    if (plain.empty() || plain.back() != x)
      plain.push_back(x);
  }
  EXPECT_EQ(faultColumns(frames, faulty, whole, 200), plain);
  EXPECT_EQ(trafficDensity(FrameIndex(), kWhole, 10), std::vector<std::uint8_t>(10, 0));
}

TEST(Overview, FramesWithoutALengthAreShownByTheirNumber)
{
  FrameIndexBuilder builder;
  const auto add = [&builder](Picoseconds at) {
    Frame frame;
    frame.time = {at, at};
    builder.add(frame);
  };
  const TimeRange whole{Picoseconds{0}, 100ms};
  EXPECT_EQ(firstActiveStretch({Transactions::eachFrame(builder.snapshot())}, whole), whole);
  add(15ms);
  EXPECT_EQ(firstActiveStretch({Transactions::eachFrame(builder.snapshot())}, whole), whole) << "one has no distance";
  add(16ms);
  add(18ms);
  add(18ms);
  add(55ms);
  const FrameIndex frames = builder.snapshot();
  EXPECT_EQ(trafficDensity(frames, whole, 10), (std::vector<std::uint8_t>{0, 255, 0, 0, 0, 65, 0, 0, 0, 0}));
  const TimeRange stretch = firstActiveStretch({Transactions::eachFrame(frames)}, whole);
  EXPECT_LT(stretch.begin, 15ms);
  EXPECT_GE(stretch.end, 20ms) << "what is said of the last has room";
  EXPECT_LT(stretch.end, 22ms) << "the next is another story";
}

TEST(TimeAxis, StandsAtTheEndOfAllTimes)
{
  std::mt19937_64 random(12);
  const Picoseconds day = std::chrono::hours{24};
  for (const Picoseconds end : {Picoseconds{1}, 91 * day, 92 * day, 100 * day, 106 * day, kNever - Picoseconds{1}}) {
    const TimeRange whole{Picoseconds{0}, end};
    TimeAxis axis(spanAround(whole, 0.08), 700);
    for (int step = 0; step < 300; ++step) {
      const TimeRange span = axis.span();
      ASSERT_LT(span.begin, span.end) << "step " << step;
      ASSERT_GT(span.length(), Picoseconds{0});
      const std::vector<AxisTick> ticks = axis.ticks(80.0);
      ASSERT_LE(ticks.size(), 60U) << "they come to an end";
      for (const AxisTick& tick : ticks)
        ASSERT_TRUE(tick.x >= -200.0 && tick.x < 700.0) << tick.x;
      const double x = static_cast<double>(random() % 700);
      if (axis.timeAt(x) < end) {
        ASSERT_NEAR(axis.xOf(axis.timeAt(x)), x, 1.0);
      }
      switch (random() % 4) {
        case 0:
          axis = axis.zoomed(0.25, x, whole);
          break;
        case 1:
          axis = axis.zoomed(3.0, x, whole);
          break;
        default:
          axis = axis.panned(static_cast<double>(random() % 3000) - 1000.0, whole);
      }
    }
    axis = TimeAxis(spanAround(whole, 0.08), 700).zoomed(1.0, 0.0, whole);
    EXPECT_LE(axis.xOf(end), 700.001);
    EXPECT_GE(axis.xOf(Picoseconds{0}), 0.0);
  }
}

TEST(Time, SumsAndDifferencesStopAtTheLastMoment)
{
  const Picoseconds last = kNever;
  const Picoseconds first{std::numeric_limits<std::int64_t>::min()};
  EXPECT_EQ(plus(last, Picoseconds{1}), last);
  EXPECT_EQ(plus(first, Picoseconds{-1}), first);
  EXPECT_EQ(minus(first, Picoseconds{1}), first);
  EXPECT_EQ(minus(last, Picoseconds{-1}), last);
  EXPECT_EQ(plus(Picoseconds{2}, Picoseconds{3}), Picoseconds{5});
  EXPECT_EQ(minus(Picoseconds{2}, Picoseconds{3}), Picoseconds{-1});
  EXPECT_EQ((TimeRange{Picoseconds{-5}, last}.length()), last);
  EXPECT_EQ(wholePicoseconds(2.5), Picoseconds{3});
  EXPECT_EQ(wholePicoseconds(-2.5), Picoseconds{-3});
  EXPECT_GT(wholePicoseconds(1e30).count(), 9000000000000000000);
  EXPECT_LT(wholePicoseconds(-1e30).count(), -9000000000000000000);
  EXPECT_DOUBLE_EQ(distance(first, last), 18446744073709551616.0);
}
