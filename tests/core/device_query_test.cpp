// Filters that ask for what devices say.
#include <gmock/gmock.h>

#include "core/query/complete.h"
#include "core/query/scan.h"
#include "core/view/ledger_cells.h"
#include "rig/lock_cycle.h"
#include "support/device_traffic.h"
#include "support/lock_cycle_sources.h"

using namespace bexto;
using namespace bexto::test;
using testing::ElementsAre;
using testing::HasSubstr;
using testing::IsEmpty;

namespace {

using LineNumbers = std::vector<std::uint64_t>;

DeviceTraffic levels()
{
  DeviceTraffic t("i2c");
  t.describe(
      "sheet: 1\ndevice: LT-20\nbus: i2c\naddress: 0x2A\nregisters:\n"
      "  state: {at: 0x10, values: {1: ok, 3: stale}, reserved: 9}\n  level: {at: 0x11, bytes: 2, scale: 0.1, unit: "
      "m}\n"
      "  id: {at: 0x20}\n  pump: {at: 0x21, unused: any, fields: {on: {bits: 0, type: flag}}}\n");
  t.describe("sheet: 1\ndevice: other\nbus: i2c\naddress: 0x30\nregisters: {level: {at: 0, unit: m}}\n");
  t.ask(0x2a, {0x10}, {1, 0, 100});  // 0: ok, 10.0 m
  t.ask(0x2a, {0x10}, {3, 0, 105});  // 1: stale, 10.5 m
  t.ask(0x2a, {0x11}, {0, 110});     // 2: 11.0 m
  t.ask(0x30, {0}, {12});            // 3: 12 m of the other
  t.write(0x2a, {0x10, 9});          // 4: reserved
  t.ask(0x2a, {0x20}, {5, 1});       // 5: id 5, pump on
  t.write(0x50, {1});                // 6: nobody's
  return t;
}

QueryResult<Query> parsed(const DeviceTraffic& t, const std::string& text)
{
  return Query::parse(text, namesOf({t.bus()}));
}

LineNumbers asked(const DeviceTraffic& t, const std::string& text)
{
  const auto query = parsed(t, text);
  if (!query) {
    ADD_FAILURE() << text << ": " << query.error().text();
    return {};
  }
  const auto found = scanLines(*query, {{t.bus(), "", t.transactions()}}, std::stop_token());
  LineNumbers lines;
  for (std::uint64_t i = 0; i < found->front().size(); ++i)
    lines.push_back(found->front().at(i));
  return lines;
}

std::string refused(const DeviceTraffic& t, const std::string& text)
{
  const auto query = parsed(t, text);
  EXPECT_FALSE(query) << text;
  return query ? std::string() : query.error().text();
}

}  // namespace

TEST(DeviceQuery, ComparesValuesByName)
{
  const DeviceTraffic t = levels();
  EXPECT_EQ(asked(t, "level>10.2"), (LineNumbers{1, 2, 3}));
  EXPECT_EQ(asked(t, "level>=10.5 level<=11"), (LineNumbers{1, 2}));
  EXPECT_EQ(asked(t, "level<10.5"), (LineNumbers{0}));
  EXPECT_EQ(asked(t, "level:10.4..11.5"), (LineNumbers{1, 2}));
  EXPECT_EQ(asked(t, "level:11..,10"), (LineNumbers{0, 2, 3}));
  EXPECT_EQ(asked(t, "level:10.5"), (LineNumbers{1}));
  EXPECT_EQ(asked(t, "level:10.5m"), (LineNumbers{1})) << "its unit may stand behind it";
  EXPECT_EQ(asked(t, "level!=10.5"), (LineNumbers{0, 2, 3}));
  EXPECT_EQ(asked(t, "not level>0"), (LineNumbers{4, 5, 6}));
}

TEST(DeviceQuery, ReadsTheSameIsEqual)
{
  DeviceTraffic t("can");
  t.describe("sheet: 1\ndevice: d\nbus: can\nmessages: {m: {id: 1, fields: {v: {byte: 0, scale: 0.333}}}}\n");
  t.can(1, {1});
  t.can(1, {2});
  EXPECT_EQ(asked(t, "v:0.3"), (LineNumbers{0})) << "shown as 0.333";
  EXPECT_EQ(asked(t, "v:0.67"), (LineNumbers{1}));
  EXPECT_EQ(asked(t, "v:0.34"), (LineNumbers{}));
  EXPECT_EQ(asked(t, "v>=0.666"), (LineNumbers{1}));
}

TEST(DeviceQuery, KnowsWordsAndFlags)
{
  const DeviceTraffic t = levels();
  EXPECT_EQ(asked(t, "state:stale"), (LineNumbers{1}));
  EXPECT_EQ(asked(t, "state:STALE,ok"), (LineNumbers{0, 1}));
  EXPECT_EQ(asked(t, "state:st*"), (LineNumbers{1}));
  EXPECT_EQ(asked(t, "state:9"), (LineNumbers{4})) << "numbers without a word have their number";
  EXPECT_EQ(asked(t, "on:yes"), (LineNumbers{5}));
  EXPECT_EQ(asked(t, "on:no"), (LineNumbers{}));
}

TEST(DeviceQuery, FindsWordsOfTextWithoutItsQuotes)
{
  DeviceTraffic t("i2c");
  t.describe("sheet: 1\ndevice: d\nbus: i2c\naddress: 0x2A\nregisters: {name: {at: 8, bytes: 4, type: text}}\n");
  t.write(0x2a, {8, 'p', 'u', 'm', 'p'});
  t.write(0x2a, {8, 'g', 'a', 't', 'e'});
  t.write(0x2a, {8});                 // says where, and nothing of it
  t.write(0x2a, {8, 'p', 'u', 'm'});  // cut off
  EXPECT_EQ(asked(t, "name:pump"), (LineNumbers{0}));
  EXPECT_EQ(asked(t, "name:*e,PUMP"), (LineNumbers{0, 1}));
  EXPECT_EQ(asked(t, "name:pum"), (LineNumbers{}));
}

TEST(DeviceQuery, AsksForDevicesAndRegisters)
{
  const DeviceTraffic t = levels();
  EXPECT_EQ(asked(t, "device:LT-20"), (LineNumbers{0, 1, 2, 4, 5}));
  EXPECT_EQ(asked(t, "device:lt*"), (LineNumbers{0, 1, 2, 4, 5}));
  EXPECT_EQ(asked(t, "device:other"), (LineNumbers{3}));
  EXPECT_EQ(asked(t, "message:state"), (LineNumbers{0, 1, 4}));
  EXPECT_EQ(asked(t, "device:other or state:ok"), (LineNumbers{0, 3}));
}

TEST(DeviceQuery, FindsWhatCannotBe)
{
  const DeviceTraffic t = levels();
  EXPECT_EQ(asked(t, "invalid"), (LineNumbers{4}));
  EXPECT_EQ(asked(t, "error"), (LineNumbers{4}));
  EXPECT_EQ(asked(t, "not invalid state:*"), (LineNumbers{0, 1}));
}

TEST(DeviceQuery, AWordOfTheLanguageIsThatWord)
{
  const DeviceTraffic t = levels();
  EXPECT_EQ(asked(t, "value.id:5"), (LineNumbers{5}));
  EXPECT_EQ(asked(t, "value.level>11.5"), (LineNumbers{3}));
  EXPECT_THAT(asked(t, "id:5"), IsEmpty()) << "the identifier of a frame";
}

TEST(DeviceQuery, SaysWhatIsWrong)
{
  const DeviceTraffic t = levels();
  EXPECT_THAT(refused(t, "levl>3"), HasSubstr("did you mean level"));
  EXPECT_THAT(refused(t, "state:stall"), HasSubstr("'state' is never 'stall'; did you mean stale"));
  EXPECT_THAT(refused(t, "level>high"), HasSubstr("'high' is no number"));
  EXPECT_THAT(refused(t, "level:3..1"), HasSubstr("the range ends before it begins"));
  EXPECT_THAT(refused(t, "level>1,2"), HasSubstr("compares with one value"));
  EXPECT_THAT(refused(t, "state:ok,3"), HasSubstr("numbers and words are two terms"));
  EXPECT_THAT(refused(t, "state!=ok"), HasSubstr("write not state:ok"));
  EXPECT_THAT(refused(t, "level"), HasSubstr("'level' needs a value; write level>0"));
  EXPECT_FALSE(Query::parse("level>3", {"b"})) << "no sheet knows it";
}

TEST(DeviceQuery, IsExplained)
{
  const DeviceTraffic t = levels();
  EXPECT_EQ(parsed(t, "level>10.2 device:LT-20")->explanation(), "Lines with level above 10.2 and device LT-20");
  EXPECT_EQ(parsed(t, "invalid")->explanation(), "Lines with something that its device sheet says cannot be");
}

TEST(DeviceQuery, IsCompleted)
{
  const DeviceTraffic t = levels();
  Occurring all;
  countOccurring(t.bus(), t.transactions(), all);
  sortOccurring(all);
  const auto items = [&](const std::string& text) {
    std::vector<std::string> inserted;
    for (const Completion& c : completionsAt(text, text.size(), all).items)
      inserted.push_back(c.insert);
    return inserted;
  };
  EXPECT_THAT(items("lev"), ElementsAre("level:"));
  EXPECT_THAT(items("state:s"), ElementsAre("stale"));
  EXPECT_THAT(items("device:L"), ElementsAre("LT-20"));
  EXPECT_THAT(items("message:le"), ElementsAre("level"));
  EXPECT_THAT(items("on:"), ElementsAre("no", "yes"));
}

TEST(DeviceQuery, OnAStreamOfMessagesALineIsAMessage)
{
  DeviceTraffic t("uart");
  t.describe(
      "sheet: 1\ndevice: c\nbus: uart\nframing: {end: \"\\n\"}\nmessages:\n"
      "  level: {line: \"level {h} m\", fields: {h: {unit: m}}}\n  word: {line: \"gate {what}\"}\n");
  t.say("level 3.5 m\nhello\nlevel 4.5 m\ngate stalled\n");
  EXPECT_EQ(asked(t, "h>4"), (LineNumbers{2}));
  EXPECT_EQ(asked(t, "what:stalled"), (LineNumbers{3}));
  EXPECT_EQ(asked(t, "what:st*"), (LineNumbers{3}));
  EXPECT_EQ(asked(t, "message:level"), (LineNumbers{0, 2}));
  EXPECT_EQ(asked(t, "h>4 text:level"), (LineNumbers{2}));
}

TEST(DeviceQuery, LinesAndMessagesWithBytesCanBeMixed)
{
  DeviceTraffic t("uart");
  t.describe(
      "sheet: 1\ndevice: c\nbus: uart\nframing: {end: \"\\n\"}\nmessages:\n"
      "  level: {line: \"level {h} m\", fields: {h: {unit: m}}}\n  raw: {match: {byte: 0, value: 0x3E}, fields: {code: "
      "{byte: 1}}}\n");
  t.say("level 3.5 m\n>A\n");
  EXPECT_EQ(asked(t, "code:65"), (LineNumbers{1}));
  EXPECT_THAT(t.sentences(), ElementsAre("c level 3.5 m", "c raw: code = 65"));
}

namespace {

/// Every value in every `step`-th line, as the term of a right-click, shows its line. Says how many there were.
std::size_t termsThatShowTheirLine(const LedgerSource& source, std::uint64_t step)
{
  std::map<std::string, LineSet> known;  // the same term again and again
  std::size_t count = 0;
  for (std::uint64_t i = 0; i < source.transactions.size(); i += step) {
    LedgerCellContext context;
    context.source = &source;
    context.number = i;
    const auto& meaning = source.transactions.meaning();
    const std::uint64_t values =
        meaning->valueCount(source.bus, source.transactions.frames(), source.transactions.framesOf(i));
    for (std::uint64_t d = 0; d < values; ++d) {
      const std::string term = termOfDetail(context, d);
      EXPECT_FALSE(term.empty());
      if (!known.contains(term)) {
        const auto query = Query::parse(term, namesOf({source.bus}));
        EXPECT_TRUE(query) << term << ": " << query.error().text();
        if (!query)
          return count;
        known[term] = scanLines(*query, {{source.bus, source.line, source.transactions}}, std::stop_token())->front();
      }
      EXPECT_TRUE(known[term].contains(i)) << term << ", line " << i;
      ++count;
    }
  }
  return count;
}

}  // namespace

TEST(DeviceQuery, EveryValueIsATermThatShowsItsLine)
{
  std::size_t count = 0;
  for (const LedgerSource& plain : lockCycleSources()) {
    LedgerSource source = plain;
    for (const rig::LockCycleSheet& sheet : rig::lockCycleSheets()) {
      if (sheet.bus == source.bus.name)
        attachSheet(source.bus, {sheet.name, sheet.text});
    }
    source.transactions = Transactions(source.bus, plain.transactions.frames());
    if (!source.transactions.meaning())
      continue;
    count += termsThatShowTheirLine(source, 1 + source.transactions.size() / 40);
  }
  EXPECT_GT(count, 100U);
  DeviceTraffic t = levels();
  LedgerSource source;
  source.bus = t.bus();
  source.transactions = t.transactions();
  EXPECT_GT(termsThatShowTheirLine(source, 1), 6U) << "a value called id is one of them";
}
