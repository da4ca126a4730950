#include "core/export/check_writer.h"

#include <gtest/gtest.h>

#include <nlohmann/json.hpp>
#include <sstream>

#include "support/checks.h"
#include "support/lock_cycle.h"

using namespace bexto;
using namespace bexto::test;
using Json = nlohmann::json;

namespace {

struct Cycle {
  rig::LockCycle cycle = lockCycle();
  std::vector<Bus> buses;
  std::vector<BusCheck> checks;
  std::vector<CheckedBus> checked;
};

const Cycle& cycle()
{
  static const Cycle kCycle = [] {
    Cycle c;
    for (const char* const name : {"sensors", "sonar", "adc", "drives"})
      c.buses.push_back(lockCycleBus(name));
    for (const Bus& bus : c.buses)
      c.checks.push_back(bexto::test::checked(bus, c.cycle.capture));
    return c;
  }();
  return kCycle;
}

std::string written(CheckFormat format)
{
  std::vector<CheckedBus> checked;
  for (std::size_t i = 0; i < cycle().buses.size(); ++i)
    checked.push_back({&cycle().buses[i], &cycle().checks[i]});
  return checkText(format, {}, checked);
}

std::vector<Json> lines()
{
  std::vector<Json> all;
  std::istringstream text(written(CheckFormat::Jsonl));
  for (std::string line; std::getline(text, line);)
    all.push_back(Json::parse(line));
  return all;
}

TEST(CheckWriter, JsonLinesAreTheCaptureThenRulesThenFindingsByTime)
{
  const std::vector<Json> all = lines();
  EXPECT_EQ(all[0], (Json{{"type", "capture"}, {"sample_period_ps", 0}, {"sample_period_from", "exact"}}));
  std::vector<std::string> types;
  std::int64_t before = 0;
  std::vector<std::string> buses;
  for (std::size_t i = 1; i < all.size(); ++i) {
    types.push_back(all[i]["type"]);
    if (all[i]["type"] == "finding") {
      EXPECT_GE(all[i]["start_ps"].get<std::int64_t>(), before);
      before = all[i]["start_ps"].get<std::int64_t>();
      EXPECT_LE(all[i]["frame_start_ps"].get<std::int64_t>(), all[i]["end_ps"].get<std::int64_t>());
    } else if (buses.empty() || buses.back() != all[i]["bus"]) {
      buses.push_back(all[i]["bus"]);
    }
  }
  EXPECT_TRUE(std::is_sorted(types.rbegin(), types.rend()));  // "rule" before "finding"
  EXPECT_EQ(buses, (std::vector<std::string>{"sensors", "sonar", "adc", "drives"}));
}

TEST(CheckWriter, ARuleHasItsKeysAndLeavesOutWhatItHasNot)
{
  for (const Json& json : lines()) {
    if (json["type"] != "rule")
      continue;
    const std::string name = json["rule"];
    for (const char* const key : {"bus", "book", "verdict", "unit", "count", "resolution", "failed", "undecided"})
      EXPECT_TRUE(json.contains(key)) << name << " " << key;
    const bool limited = json.contains("limit_min") || json.contains("limit_max");
    const bool any = json["count"] > 0;
    EXPECT_EQ(json.contains("worst"), limited && any) << name;
    EXPECT_EQ(json.contains("mean"), any) << name;
    EXPECT_EQ(json["verdict"] == "measured", !limited && any) << name;
    EXPECT_EQ(json["verdict"] == "no-evidence", !any) << name;
    EXPECT_TRUE(!limited || json.contains("clause")) << name;
  }
}

TEST(CheckWriter, AFindingHasItsMeasureAndItsCause)
{
  int limits = 0;
  int causes = 0;
  for (const Json& json : lines()) {
    if (json["type"] != "finding")
      continue;
    if (json["rule"] == "tSU;MISO") {
      ++limits;
      EXPECT_LT(json["measured"], json["limit"]);
      EXPECT_EQ(json["unit"], "ps");
    }
    if (json["rule"] == "crc") {
      ++causes;
      EXPECT_EQ(json["cause"]["kind"], "glitch");
      EXPECT_FALSE(json.contains("measured"));
    }
  }
  EXPECT_EQ(limits, 100);
  EXPECT_EQ(causes, 1);
}

TEST(CheckWriter, TheTableHasALineForEachRule)
{
  std::istringstream text(written(CheckFormat::Csv));
  std::size_t count = 0;
  for (std::string line; std::getline(text, line);)
    ++count;
  std::size_t rules = 0;
  for (const BusCheck& check : cycle().checks)
    rules += check.rules.size();
  EXPECT_EQ(count, rules + 1);
}

TEST(CheckWriter, TextSaysVerdictsAndCauses)
{
  const std::string text = written(CheckFormat::Text);
  EXPECT_NE(text.find("sensors · I2C · sensors"), std::string::npos);
  EXPECT_NE(text.find("likely glitch: the line is high for 90.00 ns inside a bit"), std::string::npos) << text;
  EXPECT_NE(text.find("≥ 1.300 µs"), std::string::npos);
}

TEST(CheckWriter, WhatXmlCannotSayIsNotInTheTestReport)
{
  Bus bus = *parseBusSpec("b=uart,rx=RX,baud=9600");
  bus.name = "a<\"&>\x01";
  BusCheck check;
  RuleResult rule;
  rule.rule = "x < y";
  rule.verdict = Verdict::Fail;
  rule.failed = rule.spread.count = 1;
  check.rules.push_back(rule);
  Finding finding;
  finding.what = "1 < 2 & \"3\"";
  check.findings.push_back(finding);
  const std::string text = checkText(CheckFormat::Junit, {}, {{&bus, &check}});
  EXPECT_NE(text.find("name=\"a&lt;&quot;&amp;&gt;?\""), std::string::npos) << text;
  EXPECT_NE(text.find("name=\"x &lt; y\""), std::string::npos);
  EXPECT_NE(text.find("1 &lt; 2 &amp; &quot;3&quot;"), std::string::npos);
  EXPECT_EQ(text.find('\x01'), std::string::npos);
}

TEST(CheckWriter, TheTestReportCountsWhatStandsInIt)
{
  const std::string text = written(CheckFormat::Junit);
  const auto countOf = [&](const std::string& part) {
    std::size_t count = 0;
    for (std::size_t at = text.find(part); at != std::string::npos; at = text.find(part, at + 1))
      ++count;
    return count;
  };
  const std::size_t cases = countOf("<testcase ");
  const std::size_t failures = countOf("<failure ");
  const std::size_t skipped = countOf("<skipped ");
  EXPECT_EQ(countOf("<testsuite "), 4U);
  EXPECT_GT(failures, 3U);
  EXPECT_GT(skipped, 0U);
  const std::string head = "<testsuites name=\"bexto-cli check\" tests=\"" + std::to_string(cases) + "\" failures=\"" +
                           std::to_string(failures) + "\" errors=\"0\" skipped=\"" + std::to_string(skipped) + "\"";
  EXPECT_NE(text.find(head), std::string::npos) << text.substr(0, 200);
  EXPECT_NE(text.find("  likely stretch: "), std::string::npos) << "a failure says its likely cause";
}

}  // namespace
