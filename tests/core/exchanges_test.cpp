// Which message answers which, and which requests nobody answered.
#include "core/device/exchanges.h"

#include <gmock/gmock.h>

#include <random>

#include "core/device/reading.h"
#include "core/query/query.h"
#include "core/query/scan.h"
#include "core/view/ledger_cells.h"
#include "core/view/related.h"
#include "support/device_traffic.h"

using namespace bexto;
using namespace bexto::test;
using testing::ElementsAre;

namespace {

using namespace std::chrono_literals;

/// Three bytes: who, 1 asks and 2 answers, anything.
constexpr const char* kLine =
    "sheet: 1\ndevice: d\nbus: uart\nframing: {start: 0xA5, size: 4}\naddress: {byte: 1, names: {1: upper, 2: lower}}\n"
    "messages:\n  ask:\n    match: {byte: 2, value: 1}\n    text: asks\n  say:\n    match: {byte: 2, value: 2}\n"
    "    answers: ask\n    within: 20 ms\n    text: says\n";

std::vector<std::uint8_t> ask(std::uint8_t who)
{
  return {0xA5, who, 1, 0};
}
std::vector<std::uint8_t> answer(std::uint8_t who)
{
  return {0xA5, who, 2, 0};
}

/// Two lines of a bus that know the time of one another: each character a millisecond.
class TwoLines {
 public:
  explicit TwoLines(const std::string& sheet)
  {
    for (DeviceTraffic* line : {&out, &in})
      line->describe(sheet);
  }
  void ask(std::uint8_t who) { say(out, in, ::ask(who)); }
  void answer(std::uint8_t who) { say(in, out, ::answer(who)); }
  void rest(Picoseconds time)
  {
    out.rest(time);
    in.rest(time);
  }
  std::vector<Transactions> together(const std::vector<Transactions>& before = {}) const
  {
    std::vector<Transactions> streams;
    streams.emplace_back(out.bus(), out.frames(), before.empty() ? Transactions() : before[0]);
    streams.emplace_back(out.bus(), in.frames(), before.empty() ? Transactions() : before[1]);
    Transactions::putTogether(out.bus(), streams);
    return streams;
  }

  DeviceTraffic out{"uart"};
  DeviceTraffic in{"uart"};

 private:
  static void say(DeviceTraffic& one, DeviceTraffic& other, const std::vector<std::uint8_t>& bytes)
  {
    one.say(bytes);
    other.rest(Picoseconds{1ms} * static_cast<std::int64_t>(bytes.size()));
  }
};

std::optional<Meaning::Partner> partner(const Transactions& stream, std::uint64_t line)
{
  return stream.meaning()->partnerOf(stream.framesOf(line));
}

/// "?" open, "-" none, "3" answered by the line of that number, "<3" answers it; " " neither.
std::vector<std::string> partners(const std::vector<Transactions>& streams, std::size_t stream)
{
  std::vector<std::string> texts;
  for (std::uint64_t i = 0; i < streams[stream].size(); ++i) {
    const auto p = partner(streams[stream], i);
    texts.push_back(!p ? "?"
                    : p->stream < 0
                        ? "-"
                        : (p->isAnswer ? "<" : "") +
                              std::to_string(streams[static_cast<std::size_t>(p->stream)].transactionOf(p->frame)));
  }
  return texts;
}

}  // namespace

TEST(Exchanges, AnAnswerOnTheOtherLineBelongsToItsRequest)
{
  TwoLines t(kLine);
  t.ask(1);
  t.rest(3ms);
  t.answer(1);
  t.ask(2);
  t.rest(5ms);
  t.answer(2);
  const auto streams = t.together();
  EXPECT_THAT(partners(streams, 0), ElementsAre("0", "1"));
  EXPECT_THAT(partners(streams, 1), ElementsAre("<0", "<1"));
  EXPECT_EQ(partner(streams[1], 0)->wait, Picoseconds{3ms});
  EXPECT_EQ(partner(streams[0], 1)->wait, Picoseconds{5ms});
  EXPECT_FALSE(streams[0].isFaulty(0));
}

TEST(Exchanges, OneThatNobodyAnswersIsSaidAndIsAFault)
{
  TwoLines t(kLine);
  t.ask(1);
  t.rest(10ms);
  t.ask(1);  // asked again
  t.answer(1);
  t.ask(2);
  t.rest(30ms);
  t.answer(2);  // too late
  t.ask(1);     // may still be answered
  const auto streams = t.together();
  EXPECT_THAT(partners(streams, 0), ElementsAre("-", "0", "-", "?"));
  EXPECT_THAT(partners(streams, 1), ElementsAre("<1", "?"));
  EXPECT_TRUE(streams[0].isFaulty(0));
  EXPECT_FALSE(streams[0].isFaulty(1));
  EXPECT_TRUE(streams[0].isFaulty(2));
  EXPECT_FALSE(streams[0].isFaulty(3));
  EXPECT_THAT(streams[0].meaning()->faulty(0), ElementsAre(0, 8));
  EXPECT_THAT(streams[0].meaning()->faulty(1), ElementsAre(8));
  EXPECT_THAT(sentenceOf(t.out.bus(), streams[0], 0).text(), testing::HasSubstr("no answer"));
}

TEST(Exchanges, StationsAnswerForThemselves)
{
  TwoLines t(kLine);
  t.ask(1);
  t.ask(2);
  t.answer(2);
  t.answer(1);
  t.answer(1);  // nobody asked
  EXPECT_THAT(partners(t.together(), 0), ElementsAre("1", "0"));
  EXPECT_THAT(partners(t.together(), 1), ElementsAre("<1", "<0", "?"));
}

TEST(Exchanges, IdentifiersOfSeveralNodesBelongTogetherByTheirPlace)
{
  DeviceTraffic t("can");
  t.describe(
      "sheet: 1\ndevice: d\nbus: can\nmessages:\n  ask: {id: [0x101, 0x102]}\n  say: {id: [0x201, 0x202], answers: "
      "ask}\n");
  t.can(0x101, {1});
  t.can(0x102, {1});
  t.can(0x300, {1});
  t.can(0x202, {1});
  t.can(0x201, {1}, false, errorBit(CanError::Crc));  // which may be anything
  t.can(0x101, {1});
  t.can(0x201, {1});
  std::vector<Transactions> streams{t.transactions()};
  Transactions::putTogether(t.bus(), streams);
  EXPECT_THAT(partners(streams, 0), ElementsAre("-", "3", "?", "<1", "?", "6", "<5"));
}

TEST(Exchanges, WhatGrowsIsAsIfItHadBeenThereAtOnce)
{
  std::mt19937 random(11);
  for (int round = 0; round < 20; ++round) {
    TwoLines t(kLine);
    std::vector<Transactions> grown;
    for (int i = 0; i < 60; ++i) {
      const auto who = static_cast<std::uint8_t>(1 + random() % 3);
      switch (random() % 4) {
        case 0:
          t.ask(who);
          break;
        case 1:
          t.answer(who);
          break;
        case 2:
          t.ask(who);
          t.answer(who);
          break;
        default:
          t.rest(Picoseconds{1ms} * static_cast<std::int64_t>(random() % 30));
          break;
      }
      if (random() % 3 == 0)
        grown = t.together(grown);
    }
    grown = t.together(grown);
    const auto whole = t.together();
    for (std::size_t s = 0; s < 2; ++s) {
      EXPECT_EQ(partners(grown, s), partners(whole, s)) << round;
      EXPECT_EQ(grown[s].meaning()->faulty(0), whole[s].meaning()->faulty(0)) << round;
    }
  }
}

TEST(Exchanges, FiltersColumnsAndPartnersHaveThem)
{
  TwoLines t(kLine);
  t.ask(1);
  t.rest(3ms);
  t.answer(1);
  t.ask(2);
  t.rest(30ms);
  t.ask(1);
  t.rest(7ms);
  t.answer(1);
  const auto streams = t.together();
  std::vector<LedgerSource> sources;
  std::vector<ScanSource> scanned;
  for (std::size_t s = 0; s < 2; ++s) {
    LedgerSource source;
    source.bus = t.out.bus();
    source.transactions = streams[s];
    source.id = {static_cast<BusId>(1), static_cast<int>(s)};
    sources.push_back(source);
    scanned.push_back({t.out.bus(), s == 0 ? "tx" : "rx", streams[s], nullptr});
  }
  const auto count = [&](const std::string& text) {
    const auto query = Query::parse(text, std::vector<std::string>{});
    EXPECT_TRUE(query) << text;
    const auto found = scanLines(*query, scanned, std::stop_token());
    return std::pair((*found)[0].size(), (*found)[1].size());
  };
  EXPECT_EQ(count("unanswered"), std::pair(1UL, 0UL));
  EXPECT_EQ(count("answer>5ms"), std::pair(1UL, 1UL));
  EXPECT_EQ(count("answer:3ms"), std::pair(1UL, 1UL));
  EXPECT_EQ(count("invalid"), std::pair(1UL, 0UL));
  EXPECT_EQ(count("error"), std::pair(1UL, 0UL));
  const auto cell = [&](std::size_t s, std::uint64_t line) {
    LedgerCellContext c;
    c.source = &sources[s];
    c.number = line;
    return std::pair(cellOf(LedgerColumn::Answer, c, 8).text, termOf(LedgerColumn::Answer, c));
  };
  EXPECT_EQ(cell(0, 0), std::pair(std::string("0.003000000000"), std::string("answer>=3000000000ps")));
  EXPECT_EQ(cell(0, 1), std::pair(std::string("none"), std::string("unanswered")));
  EXPECT_EQ(cell(1, 1).first, "0.007000000000");
  const MergedRows rows(sources);
  EXPECT_EQ(partnerOf(rows, {0, 0}), (LedgerRow{1, 0}));
  EXPECT_EQ(partnerOf(rows, {1, 1}), (LedgerRow{0, 2}));
  EXPECT_EQ(partnerOf(rows, {0, 1}), std::nullopt) << "not what stands near";
}

TEST(Exchanges, ASheetSaysHowLongAnAnswerMayTake)
{
  const std::string sheet = kLine;
  const auto read = readSheet(sheet);
  ASSERT_TRUE(read.sheet);
  EXPECT_EQ(read.sheet->messages[1].within, Picoseconds{20ms});
  const auto wrong = [&](const std::string& from, const std::string& to) {
    std::string text = sheet;
    text.replace(text.find(from), from.size(), to);
    const auto problems = readSheet(text).problems;
    return problems.empty() ? std::string() : problems.front().message;
  };
  EXPECT_EQ(wrong("within: 20 ms", "within: soon"), "'soon' is no time");
  EXPECT_THAT(wrong("answers: ask\n", "\n"), testing::HasSubstr("within"));
}
