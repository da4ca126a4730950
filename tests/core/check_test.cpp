#include "core/check/check.h"

#include <gtest/gtest.h>

#include <set>

#include "support/checks.h"
#include "support/lock_cycle.h"
#include "support/random_traffic.h"

using namespace bexto;
using namespace bexto::test;
using namespace std::chrono_literals;

namespace {

/// All buses of a lock cycle.
std::map<std::string, BusCheck> checkedCycle(const rig::LockCycle& cycle)
{
  std::map<std::string, BusCheck> checks;
  for (const char* const name : {"sensors", "console", "sonar", "log", "adc", "drives", "lamps", "bearing"})
    checks.emplace(name, checked(lockCycleBus(name), cycle.capture));
  return checks;
}

bool isNear(Picoseconds a, Picoseconds b, Picoseconds within)
{
  return a - b <= within && b - a <= within;
}

/// The five faults of the story, each found where it is with its cause, and nothing else.
TEST(LockCycleCheck, FindsTheFiveFaultsWithTheirCausesAndNothingElse)
{
  for (int i = 0; i < cases(20); ++i) {
    const auto seed = static_cast<std::uint64_t>(1181 + i);
    SCOPED_TRACE(seed);
    const rig::CyclePlan plan;
    const rig::LockCycle cycle = rig::simulateLockCycle(seed, plan);
    const rig::LockCycleFaults& faults = cycle.faults;
    const auto checks = checkedCycle(cycle);

    // 1: the transfer that broke off, and the stale level behind it; the clock that was held is why.
    const BusCheck& sensors = checks.at("sensors");
    const auto abort = findingsOf(sensors, "unexpected-start");
    ASSERT_EQ(abort.size(), 1U);
    EXPECT_TRUE(isNear(abort[0]->frameBegin, faults.stretchedRead, 100us));
    ASSERT_TRUE(abort[0]->cause);
    EXPECT_EQ(abort[0]->cause->kind, Cause::Kind::Stretch);
    EXPECT_NEAR(distance(abort[0]->cause->time.begin, abort[0]->cause->time.end), 264e6, 2e6);
    const auto stale = findingsOf(sensors, "the level is fresh");
    ASSERT_EQ(stale.size(), 1U);
    EXPECT_TRUE(isNear(stale[0]->time.begin, faults.staleRead, 100us));
    ASSERT_TRUE(stale[0]->cause);
    EXPECT_EQ(stale[0]->cause->kind, Cause::Kind::Stretch);
    // 5: the time jumps to the end of the minute, and back. Nothing on the wires is to blame.
    const auto jumps = findingsOf(sensors, "the clock goes on");
    ASSERT_EQ(jumps.size(), 2U);
    EXPECT_TRUE(isNear(jumps[0]->time.end, faults.rolloverMinutes, 1ms));
    EXPECT_GT(jumps[0]->measured->value, 50.0);
    EXPECT_LT(jumps[1]->measured->value, -50.0);
    EXPECT_FALSE(jumps[0]->cause);
    EXPECT_FALSE(jumps[1]->cause);
    EXPECT_EQ(sensors.findings.size(), 4U);
    // A memory that is busy does not answer, on purpose: that is a note.
    EXPECT_GT(sensors.remarkCount, 0U);
    EXPECT_EQ(sensors.remarks.size(), sensors.remarkCount);

    // 2: a sender that is too fast, and all that comes of it.
    const BusCheck& sonar = checks.at("sonar");
    EXPECT_FALSE(findingsOf(sonar, "parity").empty());
    for (const Finding& finding : sonar.findings) {
      const RuleResult& rule = sonar.rules[finding.rule];
      if (rule.sort == RuleSort::Measure) {
        EXPECT_TRUE(rule.rule == "bit rate error" || rule.rule == "edge displacement") << rule.rule;
        EXPECT_GT(finding.time.begin, Picoseconds(5s));  // when the head is warm
        continue;
      }
      EXPECT_GE(finding.time.begin, plan.sonarHot) << finding.what;
      ASSERT_TRUE(finding.cause) << finding.what;
      EXPECT_EQ(finding.cause->kind, Cause::Kind::Rate);
    }

    // 3: words that come late, and the one bit that came too late.
    const BusCheck& adc = checks.at("adc");
    const auto flipped = findingsOf(adc, "gate 2 only opens");
    ASSERT_EQ(flipped.size(), 1U);
    ASSERT_TRUE(flipped[0]->cause);
    EXPECT_EQ(flipped[0]->cause->kind, Cause::Kind::Setup);
    // Bit 6 of the last byte: of 24 bits of 500 ns, with pauses between words, the eighteenth.
    const Picoseconds into = flipped[0]->cause->time.begin - faults.flippedBit;
    EXPECT_TRUE(into > 9us && into < 11us) << into.count();
    for (const Finding* const early : findingsOf(adc, "tHD;MISO")) {
      ASSERT_TRUE(early->cause);
      EXPECT_EQ(early->time, flipped[0]->cause->time);
    }
    for (const Finding& finding : adc.findings) {
      const std::string& rule = adc.rules[finding.rule].rule;
      EXPECT_TRUE(rule == "tSU;MISO" || rule == "tHD;MISO" || rule == "gate 2 only opens") << rule;
      EXPECT_GT(finding.time.begin, plan.flip - 500ms) << finding.what;
    }

    // 4: the frame that a glitch broke, and the orders that left late.
    const BusCheck& drives = checks.at("drives");
    const auto broken = findingsOf(drives, "crc");
    ASSERT_EQ(broken.size(), 1U);
    EXPECT_TRUE(isNear(broken[0]->frameBegin, faults.corruptedFrame, 2us));
    ASSERT_TRUE(broken[0]->cause);
    EXPECT_EQ(broken[0]->cause->kind, Cause::Kind::Glitch);
    EXPECT_EQ(broken[0]->cause->time.length(), 90ns);
    for (const Finding& finding : drives.findings) {
      if (&finding == broken[0])
        continue;
      EXPECT_EQ(drives.rules[finding.rule].sort, RuleSort::Talk) << finding.what;
      EXPECT_TRUE(isNear(finding.time.begin, plan.lateCommand, 60ms)) << finding.what;
      EXPECT_FALSE(finding.cause) << finding.what;
    }
    EXPECT_GE(drives.findings.size(), 2U);

    for (const char* const quiet : {"console", "log", "lamps", "bearing"}) {
      for (const Finding& finding : checks.at(quiet).findings)
        ADD_FAILURE() << quiet << ": " << finding.what;
    }
  }
}

TEST(LockCycleCheck, IsCleanWithoutItsFaults)
{
  rig::CyclePlan plan;
  plan.stretch = plan.sonarHot = plan.flip = plan.glitch = plan.lateCommand = plan.rollover = kNever;
  const rig::LockCycle cycle = rig::simulateLockCycle(3, plan);
  for (const auto& [name, check] : checkedCycle(cycle)) {
    for (const Finding& finding : check.findings) {
      // The upper head is warm all the same.
      if (name != "sonar" || check.rules[finding.rule].sort != RuleSort::Measure)
        ADD_FAILURE() << name << ": " << finding.what;
    }
  }
}

/// A character a millisecond; those at `wrong` have a wrong parity.
CheckInput characters(const Bus& bus, const std::set<int>& wrong, int count)
{
  LineWriter line(true);
  const double bit = 1e12 / uartSettings(bus).baud;
  UartSettings other = uartSettings(bus);
  other.parity = UartParity::Odd;
  line.hold(true, 20 * bit);
  for (int i = 0; i < count; ++i) {
    sendCharacter(line, wrong.count(i) != 0 ? other : uartSettings(bus), 0x35, bit);
    line.hold(true, 90 * bit);
  }
  return checkInputOf(bus, captureOf({{"RX", line.track()}}, line.now()));
}

TEST(Checking, EachErrorOfAFrameIsARule)
{
  const Bus bus = *parseBusSpec("b=uart,rx=RX,baud=100000,parity=even");
  const BusCheck check = checked(characters(bus, {3, 7}, 10));
  const RuleResult& parity = ruleNamed(check, "parity");
  EXPECT_EQ(parity.verdict, Verdict::Fail);
  EXPECT_EQ(parity.spread.count, 10U);
  EXPECT_EQ(parity.failed, 2U);
  EXPECT_EQ(parity.limits, (Limits{{}, 0.0}));
  EXPECT_EQ(parity.worst->value, 1.0);
  EXPECT_EQ(ruleNamed(check, "framing").verdict, Verdict::Pass);
  const auto found = findingsOf(check, "parity");
  ASSERT_EQ(found.size(), 2U);
  EXPECT_EQ(found[0]->frame, 3U);
  // The bit that is wrong: the one behind eight data bits.
  EXPECT_EQ(found[0]->time.begin - found[0]->frameBegin, 90us);
  EXPECT_EQ(found[0]->time.length(), 10us);
  EXPECT_FALSE(found[0]->cause);  // the sender meant it
}

TEST(Checking, ARuleHasAtMostAHundredFindingsAndCountsAll)
{
  const Bus bus = *parseBusSpec("b=uart,rx=RX,baud=100000,parity=even");
  std::set<int> wrong;
  for (int i = 0; i < 250; i += 2)
    wrong.insert(i);
  const BusCheck check = checked(characters(bus, wrong, 250));
  EXPECT_EQ(ruleNamed(check, "parity").failed, 125U);
  EXPECT_EQ(findingsOf(check, "parity").size(), 100U);
}

TEST(Checking, WhatTheCapturesEndCutsIsNobodysMistake)
{
  const Bus bus = *parseBusSpec("b=i2c,scl=SCL,sda=SDA");
  // A START, a clock, and the end.
  const Capture capture =
      captureOf({{"SCL", trackOf(true, {2'000'000, 4'000'000, 6'000'000})}, {"SDA", trackOf(true, {1'000'000})}},
                Picoseconds{8'000'000});
  const CheckInput input = checkInputOf(bus, capture);
  ASSERT_EQ(input.streams[0].frames.size(), 1U);
  const BusCheck check = checked(input);
  EXPECT_EQ(ruleNamed(check, "incomplete").verdict, Verdict::NoEvidence);
  EXPECT_TRUE(check.findings.empty());
}

TEST(Checking, NackIsTrafficAndNoRule)
{
  const rig::LockCycle& cycle = lockCycle();
  const BusCheck check = checked(*parseBusSpec("b=i2c,scl=SCL,sda=SDA"), cycle.capture);
  for (const RuleResult& rule : check.rules)
    EXPECT_NE(rule.rule, "nack");
}

TEST(Checking, WithoutABookThereIsNoVerdict)
{
  const rig::LockCycle& cycle = lockCycle();
  const BusCheck check = checked(*parseBusSpec("b=spi,clk=SPI_CLK,miso=SPI_MISO,cs=ADC_CS,mode=1"), cycle.capture);
  EXPECT_TRUE(check.books.empty());
  for (const RuleResult& rule : check.rules) {
    EXPECT_TRUE(rule.verdict == Verdict::Measured || rule.verdict == Verdict::NoEvidence) << rule.rule;
    EXPECT_FALSE(rule.worst) << rule.rule;
  }
  EXPECT_TRUE(check.findings.empty());
}

TEST(Checking, SamplingTooCoarseToTellIsSaidWithTheRateThatWouldDo)
{
  // Lows of 1.32 µs, asked 1.3 µs: samples of 50 ns cannot tell, of 20 ns can.
  const Bus bus = busWith("b=i2c,scl=SCL,sda=SDA", "rulebook: x\nprotocol: i2c\nlimits:\n  tLOW: {min: 1.3 us}\n");
  std::vector<std::int64_t> scl;
  std::int64_t now = 2'000'000;
  for (int i = 0; i < 9; ++i) {
    scl.push_back(now);
    scl.push_back(now += 1'320'000);
    now += 1'000'000;
  }
  scl.push_back(now);
  scl.push_back(now + 1'320'000);
  const Capture capture = captureOf({{"SCL", trackOf(true, scl)}, {"SDA", trackOf(true, {1'000'000, now + 3'000'000})}},
                                    Picoseconds{now + 9'000'000});
  const RuleResult coarse = ruleNamed(checked(bus, capture, 50'000.0), "tLOW");
  EXPECT_EQ(coarse.verdict, Verdict::Undecided);
  EXPECT_EQ(coarse.undecided, coarse.spread.count);
  EXPECT_EQ(coarse.resolution, 50'000.0);
  ASSERT_TRUE(coarse.neededRate);
  EXPECT_NEAR(*coarse.neededRate, 50e6, 1.0);
  EXPECT_EQ(ruleNamed(checked(bus, capture, 20'000.0), "tLOW").verdict, Verdict::Pass);
  EXPECT_TRUE(checked(bus, capture, 50'000.0).findings.empty());
}

TEST(Checking, TheOrderOfBooksIsKeptAndALaterOneOnlyAddsWhatItLimits)
{
  Bus bus = busWith("b=uart,rx=SONAR_RX,baud=57600,parity=even",
                    "rulebook: one\nprotocol: uart\nlimits:\n  pause: {max: 1 s}\n");
  attachBook(bus, {"two.yaml", "rulebook: two\nprotocol: uart\nlimits:\n  pause: {max: 2 ms}\n"});
  attachBook(bus, {"bad.yaml", "rulebook: three\nprotocol: i2c\n"});
  const rig::LockCycle& cycle = lockCycle();
  const BusCheck check = checked(bus, cycle.capture);
  EXPECT_EQ(check.books, (std::vector<std::string>{"one", "two"}));
  ASSERT_EQ(check.notes.size(), 1U);
  std::vector<std::string> names;
  for (const RuleResult& rule : check.rules)
    names.push_back(rule.book + ":" + rule.rule);
  EXPECT_EQ(names, (std::vector<std::string>{"one:bit rate error", "one:edge displacement", "one:pause", "one:parity",
                                             "one:framing", "one:incomplete", "two:pause"}));
  EXPECT_EQ(ruleNamed(check, "pause", "two").verdict, Verdict::Fail);
}

TEST(Checking, StopsWhenAsked)
{
  std::stop_source stop;
  stop.request_stop();
  const rig::LockCycle& cycle = lockCycle();
  const auto check = checkBus(checkInputOf(lockCycleBus("sensors"), cycle.capture), stop.get_token());
  ASSERT_FALSE(check);
  EXPECT_EQ(check.error().code, ErrorCode::Cancelled);
}

TEST(Checking, OneTransactionIsMeasuredByItself)
{
  const rig::LockCycle& cycle = lockCycle();
  const CheckInput input = checkInputOf(lockCycleBus("sensors"), cycle.capture);
  const BusCheck check = checked(input);
  const auto measured = measureFrames(input.bus, input.streams[0], {10, 11}, check, input.period);
  ASSERT_FALSE(measured.empty());
  for (const RuleResult& rule : measured) {
    const RuleResult& whole = ruleNamed(check, rule.rule);
    EXPECT_EQ(rule.limits, whole.limits);
    EXPECT_GE(rule.spread.min, whole.spread.min);
    EXPECT_LE(rule.spread.max, whole.spread.max);
    EXPECT_GE(rule.places.front().time.begin, input.streams[0].frames.frame(10).time.begin);
  }
}

TEST(Checking, ASpanIsCheckedAlone)
{
  const rig::LockCycle& cycle = lockCycle();
  CheckInput input = checkInputOf(lockCycleBus("sensors"), cycle.capture);
  input.span = {Picoseconds(4s), Picoseconds(5s)};
  const BusCheck check = checked(input);
  EXPECT_TRUE(check.findings.empty());
  const BusCheck whole = checked(lockCycleBus("sensors"), cycle.capture);
  EXPECT_LT(ruleNamed(check, "tLOW").spread.count, ruleNamed(whole, "tLOW").spread.count / 5);
  EXPECT_GT(ruleNamed(check, "tLOW").spread.count, 1000U);
}

TEST(Checking, AllThatAFewTransactionsHaveIsMeasured)
{
  const rig::LockCycle& cycle = lockCycle();
  const CheckInput input = checkInputOf(lockCycleBus("sensors"), cycle.capture);
  const BusCheck check = checked(input);
  std::vector<std::string> measured;
  for (const RuleResult& rule : measureFrames(input.bus, input.streams[0], {10, 60}, check, input.period))
    measured.push_back(rule.rule);
  std::vector<std::string> all;
  for (const MeasureSpec& spec : input.bus.protocol().facts().measures) {
    const RuleResult& whole = ruleNamed(check, spec.symbol);
    if (whole.spread.count > 10000)
      all.emplace_back(spec.symbol);
  }
  ASSERT_GT(all.size(), 5U);
  for (const std::string& symbol : all)
    EXPECT_NE(std::find(measured.begin(), measured.end(), symbol), measured.end()) << symbol;
}

}  // namespace
