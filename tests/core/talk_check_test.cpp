#include "core/check/talk_check.h"

#include <gtest/gtest.h>

#include "core/protocol/uart/uart_settings.h"
#include "rig/can_driver.h"
#include "support/checks.h"
#include "support/device_traffic.h"
#include "support/waves.h"

using namespace bexto;
using namespace bexto::test;
using namespace std::chrono_literals;

namespace {

/// A node listens for eleven bits before it reads: nothing is said in the first microseconds.
constexpr std::int64_t kFirst = 100;

/// Frames of identifier `id`, with one byte, at those moments in µs.
struct CanSaid {
  std::int64_t at;
  std::uint32_t id;
  std::uint8_t byte = 0;
};

CheckInput talked(const std::vector<CanSaid>& said, std::int64_t end, const std::string& sheet = {})
{
  rig::CanDriver wire{rig::CanPace{}};
  for (const CanSaid& one : said) {
    wire.waitUntil(Picoseconds{(one.at + kFirst) * 1'000'000});
    rig::CanMessage message;
    message.id = one.id;
    message.dlc = 1;
    message.data = {one.byte};
    wire.send(message);
  }
  Bus bus = *parseBusSpec("b=can,rx=RX,bitrate=500000");
  if (!sheet.empty())
    attachSheet(bus, {"s.yaml", sheet});
  return checkInputOf(bus, captureOf({{"RX", wire.track()}}, Picoseconds{(end + kFirst) * 1'000'000}));
}

BusCheck judged(CheckInput input, const std::string& rule)
{
  attachBook(input.bus, {"b.yaml", "rulebook: b\nprotocol: can\ntalk:\n  - rule: it\n" + rule});
  BusCheck check = checked(input);
  EXPECT_TRUE(check.notes.empty()) << (check.notes.empty() ? std::string() : check.notes.front());
  return check;
}

TEST(Talk, NeverIsBrokenByEachThatFits)
{
  const BusCheck check = judged(talked({{100, 1}, {1000, 2}, {2000, 1}}, 3000), "    never: id:1\n");
  const RuleResult& rule = ruleNamed(check, "it");
  EXPECT_EQ(rule.verdict, Verdict::Fail);
  EXPECT_EQ(rule.spread.count, 3U);
  EXPECT_EQ(rule.failed, 2U);
  const auto found = findingsOf(check, "it");
  ASSERT_EQ(found.size(), 2U);
  EXPECT_EQ(found[0]->frame, 0U);
  EXPECT_EQ(found[1]->frame, 2U);
  EXPECT_EQ(ruleNamed(judged(talked({{100, 1}}, 3000), "    never: id:7\n"), "it").verdict, Verdict::Pass);
}

TEST(Talk, EveryIsBrokenByTheLateTheEarlyAndTheMissing)
{
  const std::string rule = "    every: 10 ms\n    tolerance: 1 ms\n    of: id:1\n";
  const BusCheck check =
      judged(talked({{100, 1}, {10'100, 1}, {21'100, 1}, {33'000, 1}, {41'900, 1}, {42'000, 2}}, 60'000), rule);
  const RuleResult& it = ruleNamed(check, "it");
  EXPECT_EQ(it.unit, "ps");
  EXPECT_EQ(it.spread.count, 5U);  // four rests, and the end
  const auto found = findingsOf(check, "it");
  ASSERT_EQ(found.size(), 3U);
  EXPECT_NEAR(found[0]->measured->value, 11.9e9, 1e3);
  EXPECT_EQ(*found[0]->limit, 11e9);
  EXPECT_NEAR(found[1]->measured->value, 8.9e9, 1e3);
  EXPECT_EQ(*found[1]->limit, 9e9);
  EXPECT_NE(found[2]->what.find("no more came"), std::string::npos);
  EXPECT_EQ(ruleNamed(judged(talked({{100, 2}}, 3000), rule), "it").verdict, Verdict::NoEvidence);
}

TEST(Talk, AnAnswerComesInTimeLateOrNever)
{
  const std::string rule = "    answer: id:2\n    to: id:1\n    within: 1 ms\n";
  const BusCheck check = judged(
      talked({{0, 1}, {500, 2}, {5000, 1}, {8000, 2}, {10'000, 1}, {15'000, 1}, {15'500, 2}, {19'500, 1}}, 20'000),
      rule);
  const RuleResult& it = ruleNamed(check, "it");
  EXPECT_EQ(it.spread.count, 4U);  // the last may still be answered behind the capture's end
  const auto found = findingsOf(check, "it");
  ASSERT_EQ(found.size(), 2U);
  EXPECT_NE(found[0]->what.find("took"), std::string::npos);
  EXPECT_NE(found[1]->what.find("no answer"), std::string::npos);
  EXPECT_EQ(found[1]->frame, 4U);
}

TEST(Talk, AnAnswerMayBeginAsItsRequestEnds)
{
  // Two lines without a pause.
  Bus bus = busWith("b=uart,rx=RX,baud=1000000",
                    "rulebook: b\nprotocol: uart\ntalk:\n  - rule: it\n"
                    "    answer: value:42\n    to: value:41\n    within: 1 ms\n");
  bus.format = ValueFormat::Text;
  LineWriter line(true);
  line.hold(true, 100e6);
  for (const std::uint32_t value : {0x41U, 0x0aU, 0x42U, 0x0aU})
    sendCharacter(line, bus.settings.as<UartSettings>(), value, 1e6);
  line.hold(true, 5e9);
  const CheckInput input = checkInputOf(bus, {{{line.track(), {}}}, line.now(), true});
  const Transactions& lines = input.talk[0].transactions;
  ASSERT_EQ(lines.size(), 2U);
  ASSERT_EQ(lines.timeOf(0).end, lines.timeOf(1).begin);
  const BusCheck check = checked(input);
  const RuleResult& it = ruleNamed(check, "it");
  EXPECT_EQ(it.verdict, Verdict::Pass);
  EXPECT_EQ(it.spread.count, 1U);
  EXPECT_EQ(it.spread.max, 0.0) << "it took no time at all";
}

TEST(Talk, SomethingComesBeforeSomethingElse)
{
  const std::string rule = "    after: id:1\n    expect: id:2\n    before: id:3\n";
  const BusCheck check =
      judged(talked({{0, 1}, {1000, 2}, {2000, 3}, {3000, 1}, {4000, 3}, {5000, 2}, {6000, 1}}, 9000), rule);
  EXPECT_EQ(ruleNamed(check, "it").spread.count, 2U);
  const auto found = findingsOf(check, "it");
  ASSERT_EQ(found.size(), 1U);
  EXPECT_EQ(found[0]->frame, 4U);
}

constexpr const char* kTalkSheet =
    "sheet: 1\ndevice: V\nbus: can\nmessages:\n  fine:\n    id: 1\n    fields:\n      low: {byte: 0, unit: m}\n"
    "  coarse:\n    id: 2\n    fields:\n      high: {byte: 0}\n";

TEST(Talk, ValuesAndTheirStepsStayInTheirLimits)
{
  const CheckInput input = talked({{0, 1, 10}, {1000, 1, 12}, {2000, 1, 30}, {3000, 1, 8}}, 5000, kTalkSheet);
  const BusCheck within = judged(input, "    value: low\n    min: 9\n    max: 20\n");
  EXPECT_EQ(ruleNamed(within, "it").unit, "m");
  EXPECT_EQ(ruleNamed(within, "it").spread.count, 4U);
  ASSERT_EQ(findingsOf(within, "it").size(), 2U);
  EXPECT_EQ(findingsOf(within, "it")[0]->measured->value, 30.0);
  const BusCheck steps = judged(input, "    value: low\n    step: {min: -5, max: 20}\n");
  EXPECT_EQ(ruleNamed(steps, "it").spread.count, 3U);
  ASSERT_EQ(findingsOf(steps, "it").size(), 1U);
  EXPECT_EQ(findingsOf(steps, "it")[0]->measured->value, -22.0);
}

TEST(Talk, ASumIsTakenWhenItsFirstValueIsSaid)
{
  // 1·256+200, then the coarse part goes on alone, then 2·256+10.
  const CheckInput input =
      talked({{0, 2, 1}, {1000, 1, 200}, {2000, 2, 2}, {3000, 1, 10}, {4000, 1, 9}}, 5000, kTalkSheet);
  const BusCheck check = judged(input, "    value: low + high * 256\n    step: {min: 0}\n");
  EXPECT_EQ(ruleNamed(check, "it").spread.count, 2U);
  ASSERT_EQ(findingsOf(check, "it").size(), 1U);
  EXPECT_EQ(findingsOf(check, "it")[0]->measured->value, -1.0);
}

TEST(Talk, WhatCannotBeAskedIsSaidAndFailsNothing)
{
  CheckInput input = talked({{0, 1}}, 1000);
  attachBook(input.bus, {"b.yaml",
                         "rulebook: b\nprotocol: can\ntalk:\n  - rule: it\n    never: 'colour:red'\n"
                         "  - rule: other\n    value: level\n    max: 3\n"});
  const BusCheck check = checked(input);
  ASSERT_EQ(check.notes.size(), 2U);
  EXPECT_NE(check.notes[0].find("rule 'it' of b cannot be asked"), std::string::npos) << check.notes[0];
  EXPECT_NE(check.notes[1].find("no device of this bus has a value 'level'"), std::string::npos) << check.notes[1];
  EXPECT_EQ(ruleNamed(check, "it").verdict, Verdict::NoEvidence);
}

}  // namespace
