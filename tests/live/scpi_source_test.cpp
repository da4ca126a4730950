// Over a socket, with the simulated instrument at the other end: in good days and bad ones.
#include "live/scpi_source.h"

#include <sys/resource.h>

#include <QThread>

#include "core/decode/bus_spec.h"
#include "live/capture_run.h"
#include "support/instrument_bench.h"

using namespace bexto;
using namespace bexto::live;
using namespace bexto::test;
using namespace std::chrono_literals;

namespace {

class ScpiCollected final : public CaptureListener {
 public:
  void began(const Segment& segment) override { segments.push_back(segment); }
  void grew(const std::shared_ptr<const Capture>& capture) override { segments.back().capture = capture; }
  void ended() override { segments.back().whole = true; }
  void stands(const CaptureStatus& status) override { last = status; }

  std::vector<Segment> segments;
  CaptureStatus last;
};

/// Bytes that the process had at most.
std::size_t peakMemory()
{
  rusage usage{};
  getrusage(RUSAGE_SELF, &usage);
  return static_cast<std::size_t>(usage.ru_maxrss) * 1024;
}

/// In a thread that Qt started, as sockets want it.
template <typename Function>
void inThread(const Function& function)
{
  const std::unique_ptr<QThread> thread(QThread::create(function));
  thread->start();
  thread->wait();
}

Result<void> capture(const std::string& url, const CapturePlan& plan, ScpiCollected& collected)
{
  Result<void> outcome;
  inThread([&] {
    auto source = makeSource(url);
    ASSERT_TRUE(source);
    outcome = runCapture(**source, plan, {}, {}, collected);
  });
  return outcome;
}

}  // namespace

TEST(ScpiSource, SaysWhatItIs)
{
  const InstrumentBench bench(0);
  inThread([&] {
    ScpiSource source("127.0.0.1", bench.port());
    const auto facts = source.open({});
    ASSERT_TRUE(facts) << facts.error().text();
    EXPECT_EQ(facts->name, "RIG-16");
    ASSERT_EQ(facts->inputs.size(), 16U);
    EXPECT_EQ(facts->inputs[10], "CAN_RX");
    EXPECT_EQ(facts->fastest, 500e6);
    EXPECT_EQ(facts->fastestStream, 100e6);
    EXPECT_TRUE(facts->runs);
  });
}

TEST(ScpiSource, StreamedAndAcquiredAndAsRunsItIsTheSameRecording)
{
  std::vector<std::uint64_t> edges;
  for (const double rate : {50e6, 200e6}) {  // the second one does not stream
    for (const bool runs : {false, true}) {
      const InstrumentBench bench(0);
      CapturePlan plan;
      plan.rate = rate;
      plan.length = 50ms;
      plan.runs = runs;
      ScpiCollected collected;
      const auto outcome = capture(bench.url(), plan, collected);
      ASSERT_TRUE(outcome) << outcome.error().text();
      ASSERT_EQ(collected.segments.size(), 1U);
      const Capture& got = *collected.segments[0].capture;
      EXPECT_TRUE(collected.segments[0].whole);
      EXPECT_EQ(got.end, Picoseconds(50ms) - Picoseconds{static_cast<std::int64_t>(1e12 / rate)});
      EXPECT_TRUE(got.gaps.empty());
      edges.push_back(got.channels[0].track.size() * 1000 + got.channels[1].track.size());
    }
  }
  EXPECT_GT(edges[0], 1'000'000U);
  for (const std::uint64_t other : edges)
    EXPECT_EQ(other, edges[0]);
}

TEST(ScpiSource, TheInstrumentWaitsForWhatWiresDo)
{
  for (const char* const start :
       {"LOG_CS=falling", "LOG_CS=low", "LOG_CS=low,CONSOLE_TX=high", "SPI_CLK=high:50ns..80ns"}) {
    const InstrumentBench bench(0);
    CapturePlan plan;
    plan.rate = 100e6;
    plan.before = 20us;
    plan.after = 100us;
    plan.start = *parseWireCondition(start);
    ScpiCollected collected;
    const auto outcome = capture(bench.url(), plan, collected);
    ASSERT_TRUE(outcome) << start << ": " << outcome.error().text();
    ASSERT_EQ(collected.segments.size(), 1U) << start;
    const Segment& segment = collected.segments[0];
    ASSERT_TRUE(segment.capture->trigger) << start;
    EXPECT_EQ(*segment.capture->trigger, Picoseconds(20us)) << start;
    EXPECT_EQ(segment.startedBy, sentenceOf(plan.start));
    EXPECT_EQ(segment.capture->end, Picoseconds(120us) - Picoseconds(10ns)) << start;
    if (std::string(start) == "LOG_CS=falling") {
      const EdgeTrack& select = segment.capture->channels[8].track;
      EXPECT_EQ(select.nearestTo(20us), Picoseconds(20us));
      EXPECT_FALSE(select.levelAt(20us));
    }
  }
}

TEST(ScpiSource, AnOverrunIsAGapInTheCapture)
{
  const InstrumentBench bench(1);
  bench.misbehave("OVER,3");
  CapturePlan plan;
  plan.rate = 10e6;
  plan.length = 400ms;
  ScpiCollected collected;
  const auto outcome = capture(bench.url(), plan, collected);
  ASSERT_TRUE(outcome) << outcome.error().text();
  ASSERT_EQ(collected.segments.size(), 1U);
  EXPECT_FALSE(collected.segments[0].capture->gaps.empty());
  EXPECT_EQ(collected.segments[0].capture->end, Picoseconds(400ms) - Picoseconds(100ns)) << "time goes on";
}

TEST(ScpiSource, WhateverTheInstrumentDoesItEndsAndKeepsWhatCameBefore)
{
  // Each misbehaviour by itself, then any of them at random; with a deadline, and no memory to speak of.
  const InstrumentBench bench(0);
  const std::size_t before = peakMemory();
  std::vector<std::string> ways{"DEL,3", "CUT,9", "DROP,9", "GARB,9", "OVER,2", "SIL,9", "LIE,9", "HUGE,9", "ENDL,9"};
  const char* const asked = std::getenv("BEXTO_HOSTILE_TIMES");  // more of them than in every test run
  const int rounds = asked != nullptr ? std::atoi(asked) : 60;
  for (int round = 0; round < rounds; ++round)
    ways.push_back("ANY," + std::to_string(1 + round % 40));
  int failures = 0;
  for (const std::string& way : ways) {
    bench.misbehave(way);
    CapturePlan plan;
    plan.rate = 20e6;
    plan.length = 20ms;
    plan.runs = failures % 2 == 0;
    ScpiCollected collected;
    const auto begun = std::chrono::steady_clock::now();
    Result<void> outcome;
    inThread([&] {
      ScpiSource source("127.0.0.1", bench.port(), 250ms);
      outcome = runCapture(source, plan, {}, {}, collected);
    });
    EXPECT_LT(std::chrono::steady_clock::now() - begun, 20s) << way;
    failures += outcome ? 0 : 1;
    EXPECT_TRUE(outcome || !outcome.error().message.empty()) << way;
    for (const Segment& segment : collected.segments) {
      EXPECT_TRUE(segment.whole) << way;
      EXPECT_LT(segment.capture->end, Picoseconds(24h)) << way;
    }
  }
  EXPECT_GT(failures, 5);
  EXPECT_LT(peakMemory() - before, std::size_t{500} << 20U)
      << "of which the instrument's answers are a part, the more the busier the machine is";
}

TEST(ScpiSource, AStreamThatWasEndedLeavesTheConnectionForTheNext)
{
  const InstrumentBench bench(1);
  inThread([&] {
    ScpiSource source("127.0.0.1", bench.port());
    ASSERT_TRUE(source.open({}));
    CapturePlan plan;
    plan.rate = 1e6;
    for (int round = 0; round < 2; ++round) {
      ASSERT_TRUE(source.begin(plan, true, {}));
      const auto next = [&] {
        const auto taken = source.take(20ms, {});
        EXPECT_TRUE(taken) << taken.error().text();
        return taken ? taken->what : Taken::What::End;
      };
      while (next() != Taken::What::Block) {
      }
      source.end();
      EXPECT_EQ(next(), Taken::What::End);
    }
  });
}

TEST(ScpiSource, WhatIsEndedByHandIsKeptUnlessItStillWaited)
{
  const InstrumentBench bench(1);
  inThread([&] {
    ScpiSource source("127.0.0.1", bench.port());
    ASSERT_TRUE(source.open({}));
    for (const bool waits : {false, true}) {
      CapturePlan plan;
      plan.rate = 1e6;
      plan.length = 5s;
      plan.after = 5s;
      if (waits)
        plan.start = *parseWireCondition("SPI_CLK=high:1s..2s");
      const auto begun = source.begin(plan, false, {});
      ASSERT_TRUE(begun) << begun.error().text();
      for (int i = 0; i < 3; ++i) {
        const auto taken = source.take(20ms, {});
        ASSERT_TRUE(taken) << taken.error().text();
        EXPECT_EQ(taken->what, Taken::What::Nothing);
      }
      source.end();
      std::size_t blocks = 0;
      for (auto taken = source.take(20ms, {}); taken && taken->what != Taken::What::End; taken = source.take(20ms, {}))
        blocks += taken->what == Taken::What::Block ? 1 : 0;
      EXPECT_EQ(blocks > 0, !waits);
    }
  });
}

TEST(ScpiSource, NobodyThereIsSaidAtOnce)
{
  std::uint16_t port = 0;
  {
    const InstrumentBench gone(0);
    port = gone.port();
  }
  CapturePlan plan;
  ScpiCollected collected;
  const auto outcome = capture("scpi://127.0.0.1:" + std::to_string(port), plan, collected);
  ASSERT_FALSE(outcome);
  EXPECT_NE(outcome.error().text().find("nobody answers"), std::string::npos) << outcome.error().text();
  EXPECT_FALSE(makeSource("nothing"));
  EXPECT_FALSE(makeSource("http://127.0.0.1/"));
}

TEST(ScpiSource, SendsOnTheWiresThatABusNamesAndOnNoOthers)
{
  const InstrumentBench bench(1);
  // As every source: in the thread that made it.
  const std::unique_ptr<QThread> thread(QThread::create([&bench] {
    ScpiSource source("127.0.0.1", bench.port());
    ASSERT_TRUE(source.open({}));
    CapturePlan plan;
    plan.rate = 1e6;
    plan.channels = {{1, "board.SCL"}, {2, "board.SDA"}};
    ASSERT_TRUE(source.begin(plan, true, {}));
    const auto bus = parseBusSpec("sensors=i2c,scl=SCL,sda=board.SDA");
    ASSERT_TRUE(bus);
    EXPECT_TRUE(source.send(*outgoing(*bus, "2A write 10 read 3"), plan, {}));
    std::vector<SentSamples> sent;
    for (int i = 0; i < 500 && sent.empty(); ++i) {
      const auto taken = source.take(20ms, {});
      ASSERT_TRUE(taken);
      sent = taken->block.sent;
    }
    ASSERT_EQ(sent.size(), 1U);
    EXPECT_EQ(sent[0].inputs, 3U);
    const auto other = parseBusSpec("sensors=i2c,scl=SCL,sda=DA");
    EXPECT_FALSE(source.send(*outgoing(*other, "2A write 10"), plan, {})) << "a part of a name is none";
    const auto frames = parseBusSpec("drives=can,rx=board.SDA,bitrate=500000");
    EXPECT_FALSE(source.send(*outgoing(*frames, "122 01"), plan, {})) << "frames go on no wire";
    source.end();
  }));
  thread->start();
  thread->wait();
}
