#include "core/session/capture_advice.h"

#include "core/decode/bus_spec.h"
#include "core/store/plan_json.h"

using namespace bexto;
using namespace std::chrono_literals;

namespace {

using Gravity = CaptureAdvice::Gravity;
using Mend = CaptureAdvice::Mend;

CaptureLimits instrument()
{
  CaptureLimits limits;
  limits.slowest = 1e3;
  limits.fastest = 500e6;
  limits.fastestStream = 100e6;
  limits.memory = 1U << 26U;
  limits.inputs = 16;
  limits.disk = 100'000'000'000;
  return limits;
}

CapturePlan planAt(double rate)
{
  CapturePlan plan;
  plan.source = "scpi://there";
  plan.rate = rate;
  return plan;
}

PlannedBus planned(const char* spec, double measured = 0)
{
  return {*parseBusSpec(spec), measured};
}

}  // namespace

TEST(CaptureAdvice, TenSamplesABitAreWellFourAreTheFloor)
{
  const auto at = [](double rate) {
    return adviceFor(planAt(rate), instrument(), {planned("a=uart,rx=A,baud=1000000")}).at(0);
  };
  EXPECT_EQ(at(10e6).gravity, Gravity::Good);
  EXPECT_EQ(at(9.9e6).gravity, Gravity::Warn);
  EXPECT_EQ(at(4e6).gravity, Gravity::Warn);
  EXPECT_EQ(at(3.9e6).gravity, Gravity::Fail);
  EXPECT_EQ(at(3.9e6).mend, Mend::Rate);
  EXPECT_EQ(at(3.9e6).better.rate, 10e6);
  EXPECT_EQ(at(3.9e6).better.source, "scpi://there") << "and all else as it was";
  EXPECT_EQ(at(10e6).mend, Mend::None);
}

TEST(CaptureAdvice, LooksAtTheFasterPartOfAFrameAndAtMeasuredClocks)
{
  const auto all =
      adviceFor(planAt(10e6), instrument(),
                {planned("drives=can,rx=A,bitrate=500000,fd_bitrate=2000000"), planned("s=i2c,scl=A,sda=B", 400e3),
                 planned("t=i2c,scl=A,sda=B"), planned("log=spi,clk=A,mosi=B,cs=C", 8e6)});
  EXPECT_EQ(all[0].gravity, Gravity::Warn) << "five samples a bit of the data phase";
  EXPECT_EQ(all[1].gravity, Gravity::Good);
  EXPECT_EQ(all[2].gravity, Gravity::Warn) << "nobody knows how fast it is";
  EXPECT_EQ(all[3].gravity, Gravity::Fail);
  EXPECT_EQ(all[0].better.rate, 100e6) << "one click for all";
  EXPECT_EQ(all[3].better.rate, 100e6);
  EXPECT_NE(all[3].text.find("clocks will be missed"), std::string::npos);
}

TEST(CaptureAdvice, AnInstrumentThatCannotIsNotOffered)
{
  CaptureLimits slow = instrument();
  slow.fastest = slow.fastestStream = 24e6;
  const auto spi = adviceFor(planAt(24e6), slow, {planned("log=spi,clk=A,mosi=B,cs=C", 8e6)}).at(0);
  EXPECT_EQ(spi.gravity, Gravity::Fail);
  EXPECT_EQ(spi.mend, Mend::None);
  EXPECT_NE(spi.text.find("no higher rate"), std::string::npos);
  const auto rate = adviceFor(planAt(50e6), slow, {}).at(0);
  EXPECT_EQ(rate.gravity, Gravity::Fail);
  EXPECT_EQ(rate.better.rate, 24e6);
}

TEST(CaptureAdvice, SaysHowLongFitsInTheInstrument)
{
  // 64 MiB of two bytes at 500 MS/s: 67 ms.
  CapturePlan plan = planAt(500e6);
  plan.runs = false;
  plan.length = 1s;
  CaptureAdvice memory = adviceFor(plan, instrument(), {}).at(0);
  EXPECT_EQ(memory.gravity, Gravity::Fail);
  EXPECT_EQ(memory.mend, Mend::Length);
  EXPECT_GT(memory.better.length, Picoseconds(55ms));
  EXPECT_LT(memory.better.length, Picoseconds(67ms));
  EXPECT_EQ(adviceFor(memory.better, instrument(), {}).at(0).gravity, Gravity::Good);
  // As runs it is room for 16 M transitions.
  CaptureLimits seen = instrument();
  seen.transitions = 100e3;
  memory = adviceFor(plan, seen, {}).at(0);
  EXPECT_EQ(memory.mend, Mend::Runs);
  EXPECT_EQ(adviceFor(memory.better, seen, {}).at(0).gravity, Gravity::Good);
  // What is kept around a start shrinks on both sides.
  plan.start = *parseWireCondition("A=falling");
  plan.before = 100ms;
  plan.after = 300ms;
  memory = adviceFor(plan, instrument(), {}).at(0);
  EXPECT_EQ(memory.mend, Mend::Length);
  EXPECT_NEAR(toSeconds(memory.better.after) / toSeconds(memory.better.before), 3.0, 0.01);
}

TEST(CaptureAdvice, SaysHowLongTheDiskLasts)
{
  CaptureLimits limits = instrument();
  limits.transitions = 10e6;
  limits.disk = 1'300'000'000;  // 100 s of it
  CapturePlan plan = planAt(50e6);
  plan.length = 60s;
  EXPECT_EQ(adviceFor(plan, limits, {}).at(0).gravity, Gravity::Good);
  plan.length = 600s;
  const CaptureAdvice room = adviceFor(plan, limits, {}).at(0);
  EXPECT_EQ(room.gravity, Gravity::Fail);
  EXPECT_LE(room.better.length, Picoseconds(100s));
  EXPECT_GE(room.better.length, Picoseconds(80s));
}

TEST(CaptureAdvice, ABusEventNeedsAStream)
{
  CapturePlan plan = planAt(200e6);
  plan.start.kind = StartCondition::Kind::Event;
  plan.start.query = "nack";
  const auto all = adviceFor(plan, instrument(), {});
  ASSERT_EQ(all.size(), 1U);
  EXPECT_EQ(all[0].gravity, Gravity::Fail);
  EXPECT_EQ(all[0].better.rate, 100e6);
}

TEST(CaptureAdvice, RatesAreRoundOnes)
{
  EXPECT_EQ(roundRateUp(1), 1);
  EXPECT_EQ(roundRateUp(1152000), 2e6);
  EXPECT_EQ(roundRateUp(20e6), 20e6);
  EXPECT_EQ(roundRateUp(20.1e6), 50e6);
  EXPECT_EQ(roundRateUp(51e6), 100e6);
}

TEST(CapturePlan, AFileKeepsItWhole)
{
  CapturePlan plan = planAt(24e6);
  plan.channels = {{3, "SCL"}, {11, "with \"quotes\""}};
  plan.length = 10s;
  plan.before = 3us;
  plan.after = 7ms;
  plan.repeat = CapturePlan::Repeat::Collect;
  plan.runs = false;
  for (const char* const wires : {"SCL=either", "A=low,B=high", "TX=low:1us..2ms"}) {
    plan.start = *parseWireCondition(wires);
    EXPECT_EQ(planOfText(planText(plan)), plan);
  }
  plan.start = {};
  plan.start.kind = StartCondition::Kind::Event;
  plan.start.query = "text:\"a b\"";
  EXPECT_EQ(planOfText(planText(plan)), plan);
  plan.start = {};
  EXPECT_EQ(planOfText(planText(plan)), plan);
  for (const char* const wrong : {"", "{", "[]", "{\"rate\":\"fast\"}", "{\"channels\":3}", "{\"wires\":\"nonsense\"}"})
    EXPECT_EQ(planOfText(wrong).start, StartCondition()) << wrong;
}

TEST(CaptureAdvice, OfFramesNobodySamplesAnything)
{
  CaptureLimits limits;
  limits.frames = true;
  limits.disk = 5'000'000'000;
  CapturePlan plan;
  PlannedBus slow{*parseBusSpec("log=uart,rx=rx,baud=9600"), 9600};
  auto advice = adviceFor(plan, limits, {slow});
  ASSERT_EQ(advice.size(), 1U);
  EXPECT_EQ(advice[0].gravity, CaptureAdvice::Gravity::Good);
  EXPECT_NE(advice[0].text.find("5 GB"), std::string::npos) << advice[0].text;
  plan.start = *parseWireCondition("rx=falling");
  advice = adviceFor(plan, limits, {slow});
  ASSERT_EQ(advice.size(), 2U);
  EXPECT_EQ(advice[0].gravity, CaptureAdvice::Gravity::Fail);
  EXPECT_EQ(advice[0].mend, CaptureAdvice::Mend::None);
}
