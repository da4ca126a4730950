#include "live/capture_run.h"

#include <deque>
#include <thread>

#include "core/decode/bus_spec.h"
#include "core/decode/decoder.h"
#include "rig/plant.h"

using namespace bexto;
using namespace bexto::live;
using namespace std::chrono_literals;

namespace {

/// Hands over the plant's samples in blocks of its own, as fast as they are taken.
class PlantSource final : public LiveSource {
 public:
  explicit PlantSource(std::size_t blockSamples, std::int64_t most = 1 << 30)
      : m_plant(1187), m_block(blockSamples), m_most(most)
  {
  }

  Result<SourceFacts> open(const std::stop_token& /*stop*/) override
  {
    SourceFacts facts;
    facts.name = "Plant";
    for (const std::string_view name : rig::kProbeNames)
      facts.inputs.emplace_back(name);
    facts.slowest = 1e3;
    facts.fastest = 100e6;
    facts.fastestStream = 20e6;
    return facts;
  }
  Result<void> begin(const CapturePlan& plan, bool streamed, const std::stop_token& /*stop*/) override
  {
    EXPECT_TRUE(streamed);
    m_clock.emplace(plan.rate);
    return {};
  }
  Result<Taken> take(std::chrono::milliseconds /*patience*/, const std::stop_token& /*stop*/) override
  {
    if (m_lostAt >= 0 && m_next >= m_lostAt)
      return fail(ErrorCode::Unreadable, "the connection is lost", "plant");
    if (m_next >= m_most)
      return Taken{Taken::What::End, {}, -1};
    m_bytes.clear();
    const std::int64_t first = m_next;
    for (std::size_t i = 0; i < m_block; ++i, ++m_next) {
      while (m_plant.next() <= m_clock->timeOf(m_next))
        m_plant.advance();
      m_bytes.push_back(static_cast<std::uint8_t>(m_plant.levels() & 0xffU));
      m_bytes.push_back(static_cast<std::uint8_t>(m_plant.levels() >> 8U));
    }
    // Slow enough for what is asked of it a few times a second.
    if (++m_taken % 50 == 0)
      std::this_thread::sleep_for(1ms);
    return Taken{Taken::What::Block, {first, static_cast<std::int64_t>(m_block), false, m_bytes}, -1};
  }
  void end() override { m_ended = true; }

  bool ended() const { return m_ended; }
  void loseConnectionAt(std::int64_t sample) { m_lostAt = sample; }

 private:
  rig::Plant m_plant;
  std::size_t m_block;
  std::int64_t m_most;
  std::optional<SampleClock> m_clock;
  std::vector<std::uint8_t> m_bytes;
  std::int64_t m_next = 0;
  std::int64_t m_lostAt = -1;
  std::uint64_t m_taken = 0;
  bool m_ended = false;
};

class Collected final : public CaptureListener {
 public:
  void began(const Segment& segment) override
  {
    EXPECT_TRUE(segments.empty() || segments.back().whole) << "one at a time";
    segments.push_back(segment);
  }
  void grew(const std::shared_ptr<const Capture>& capture) override
  {
    EXPECT_GE(capture->end, segments.back().capture->end);
    segments.back().capture = capture;
  }
  void ended() override { segments.back().whole = true; }
  void stands(const CaptureStatus& status) override
  {
    if (stopAfter > Picoseconds{0} && status.seen >= stopAfter)
      stop.request_stop();
    last = status;
  }

  std::vector<Segment> segments;
  CaptureStatus last;
  Picoseconds stopAfter{0};
  std::stop_source stop;
};

std::vector<Bus> lockBuses()
{
  std::vector<Bus> buses;
  for (const std::string& spec : rig::lockCycleBuses())
    buses.push_back(*parseBusSpec(spec));
  return buses;
}

CapturePlan planFor(double rate)
{
  CapturePlan plan;
  plan.source = "test";
  plan.rate = rate;
  return plan;
}

const Channel& channelOf(const Segment& segment, const std::string& name)
{
  return segment.capture->channels.at(*segment.capture->find(name));
}

}  // namespace

TEST(CaptureRun, RecordsAsLongAsIsWantedToTheSample)
{
  PlantSource source(777);
  CapturePlan plan = planFor(2e6);
  plan.length = 250ms;
  plan.channels = {{0, "SDA"}, {11, "CAN"}, {1, ""}};
  Collected collected;
  ASSERT_TRUE(runCapture(source, plan, {}, collected.stop.get_token(), collected));
  ASSERT_EQ(collected.segments.size(), 1U);
  const Segment& segment = collected.segments[0];
  EXPECT_TRUE(segment.whole);
  EXPECT_TRUE(source.ended());
  EXPECT_EQ(segment.capture->end, Picoseconds(250ms) - Picoseconds(500ns)) << "500 000 samples";
  EXPECT_EQ(segment.capture->rate, 2e6);
  ASSERT_EQ(segment.capture->channels.size(), 3U);
  EXPECT_EQ(segment.capture->channels[1].name, "CAN");
  EXPECT_EQ(segment.capture->channels[2].name, "SCL") << "what the source calls it";
  EXPECT_GT(segment.capture->channels[1].track.size(), 1000U);
  EXPECT_FALSE(segment.startedAt.empty());
  EXPECT_FALSE(segment.capture->trigger);
}

TEST(CaptureRun, StoppedItKeepsWhatThereIs)
{
  PlantSource source(500);
  Collected collected;
  collected.stopAfter = 100ms;
  ASSERT_TRUE(runCapture(source, planFor(2e6), {}, collected.stop.get_token(), collected));
  ASSERT_EQ(collected.segments.size(), 1U);
  EXPECT_TRUE(collected.segments[0].whole);
  EXPECT_GE(collected.segments[0].capture->end, Picoseconds(99ms));
}

TEST(CaptureRun, ABusEventKeepsWhatIsBeforeAndBehindIt)
{
  const rig::LockCycle first = rig::simulateLockCycle(1187, rig::planOfCycle(1187, 0));
  for (const std::size_t block : {100U, 1'000U, 100'000U}) {
    PlantSource source(block);
    CapturePlan plan = planFor(2e6);
    plan.start.kind = StartCondition::Kind::Event;
    plan.start.query = "unexpected-start";
    plan.before = 10ms;
    plan.after = 50ms;
    Collected collected;
    ASSERT_TRUE(runCapture(source, plan, lockBuses(), collected.stop.get_token(), collected));
    ASSERT_EQ(collected.segments.size(), 1U);
    const Segment& segment = collected.segments[0];
    ASSERT_TRUE(segment.capture->trigger);
    EXPECT_EQ(*segment.capture->trigger, Picoseconds(10ms));
    EXPECT_GT(segment.capture->end, Picoseconds(60ms)) << "behind the transaction, not behind its begin";
    EXPECT_LT(segment.capture->end, Picoseconds(61ms));
    EXPECT_NE(segment.startedBy.find("unexpected-start"), std::string::npos) << segment.startedBy;
    EXPECT_NE(segment.startedBy.find("sensors"), std::string::npos);
    // Around it the clock moves as it does there, edge by edge, give or take a sample at each.
    const EdgeTrack& there = first.capture.channels[0].track;
    const EdgeTrack& here = channelOf(segment, "SCL").track;
    const std::uint64_t start = here.countBefore(10ms - 5us);
    int fits = 0;
    for (std::uint64_t k = there.countBefore(first.faults.stretchedRead);
         there.at(k) < first.faults.stretchedRead + 1ms; ++k) {
      std::size_t equal = 0;
      while (equal < 60 && std::chrono::abs(here.at(start + equal + 1) - here.at(start + equal) -
                                            there.at(k + equal + 1) + there.at(k + equal)) <= Picoseconds(501ns))
        ++equal;
      fits += equal == 60 ? 1 : 0;
    }
    EXPECT_EQ(fits, 1);
    EXPECT_GT(here.size(), 1000U);
  }
}

TEST(CaptureRun, CollectsEachEventAsASegmentOfItsOwn)
{
  PlantSource source(10'000);
  CapturePlan plan = planFor(2e6);
  plan.start.kind = StartCondition::Kind::Event;
  plan.start.query = "sensors address:5D read";  // the clock, twice every 240 ms
  plan.before = 2ms;
  plan.after = 5ms;
  plan.repeat = CapturePlan::Repeat::Collect;
  Collected collected;
  collected.stopAfter = 9s;  // of the plant: two cycles, and what is too old was let go several times
  ASSERT_TRUE(runCapture(source, plan, lockBuses(), collected.stop.get_token(), collected));
  EXPECT_GT(collected.segments.size(), 25U);
  EXPECT_LT(collected.segments.size(), 60U);
  for (const Segment& segment : collected.segments) {
    EXPECT_EQ(segment.capture->trigger, Picoseconds(2ms));
    if (&segment != &collected.segments.back()) {
      EXPECT_GT(segment.capture->end, Picoseconds(7ms));
      EXPECT_LT(segment.capture->end, Picoseconds(9ms));
    }
    const auto resolved = resolveBus(lockBuses()[0], *segment.capture);
    const auto frames = decodeStream(resolved->bus, inputOf(*segment.capture, resolved->streams[0]), {});
    const std::uint64_t at = frames->frames.firstFrom(2ms - 1us);
    ASSERT_LT(at, frames->frames.size());
    EXPECT_LT(frames->frames.frame(at).time.begin, Picoseconds(2ms + 200us)) << "the event is where the start is";
  }
}

TEST(CaptureRun, ALostConnectionIsAnErrorAndWhatWasRecordedIsThere)
{
  PlantSource source(1000);
  source.loseConnectionAt(300'000);
  Collected collected;
  const auto outcome = runCapture(source, planFor(2e6), {}, collected.stop.get_token(), collected);
  ASSERT_FALSE(outcome);
  EXPECT_NE(outcome.error().text().find("lost"), std::string::npos);
  ASSERT_EQ(collected.segments.size(), 1U);
  EXPECT_TRUE(collected.segments[0].whole);
  EXPECT_EQ(collected.segments[0].capture->end, Picoseconds(150ms) - Picoseconds(500ns));
}

TEST(CaptureRun, APlanThatDoesNotFitIsRefusedWithTheMend)
{
  const auto refused = [](const CapturePlan& plan, const std::vector<Bus>& buses = {}) {
    PlantSource source(1000, 2000);
    Collected collected;
    const auto outcome = runCapture(source, plan, buses, collected.stop.get_token(), collected);
    EXPECT_TRUE(collected.segments.empty());
    return outcome ? std::string() : outcome.error().text();
  };
  CapturePlan plan = planFor(1e9);
  EXPECT_NE(refused(plan).find("100"), std::string::npos) << refused(plan);
  plan = planFor(2e6);
  plan.channels = {{0, "NOWHERE"}};
  EXPECT_NE(refused(plan).find("NOWHERE"), std::string::npos);
  plan.channels = {{17, "A"}};
  EXPECT_NE(refused(plan).find("17"), std::string::npos);
  plan.channels = {{1, "A"}};
  plan.start = *parseWireCondition("B=falling");
  EXPECT_NE(refused(plan).find("'B'"), std::string::npos);
  plan = planFor(2e6);
  plan.start.kind = StartCondition::Kind::Event;
  plan.start.query = "nack";
  EXPECT_NE(refused(plan), "") << "no bus";
  plan.start.query = "nack and";
  EXPECT_NE(refused(plan, lockBuses()), "");
  plan.start.query = "nack";
  plan.rate = 50e6;
  EXPECT_NE(refused(plan, lockBuses()).find("20"), std::string::npos) << "it streams at 20 MHz at the most";
}

TEST(CaptureRun, RecordingsThatFollowOneAnotherShareNoSample)
{
  // Whether several are in one block, or one is in several.
  for (const std::size_t block : {777U, 70'000U}) {
    PlantSource whole(1000);
    CapturePlan plan = planFor(2e6);
    plan.length = 50ms;
    Collected all;
    ASSERT_TRUE(runCapture(whole, plan, {}, all.stop.get_token(), all));
    PlantSource source(block);
    plan.length = 10ms;
    plan.repeat = CapturePlan::Repeat::Again;
    Collected collected;
    collected.stopAfter = 60ms;
    ASSERT_TRUE(runCapture(source, plan, {}, collected.stop.get_token(), collected));
    ASSERT_GE(collected.segments.size(), 5U);
    std::uint64_t edges = 0;
    for (std::size_t i = 0; i < 5; ++i) {
      const Segment& segment = collected.segments[i];
      EXPECT_EQ(segment.capture->end, Picoseconds(10ms) - Picoseconds(500ns)) << i;
      edges += channelOf(segment, "SCL").track.size();
    }
    // An edge between the last sample of one and the first of the next is in none of them.
    EXPECT_NEAR(static_cast<double>(edges), static_cast<double>(channelOf(all.segments[0], "SCL").track.size()), 4.0);
    EXPECT_GT(edges, 500U);
  }
}
