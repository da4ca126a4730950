// The filter language: what is understood, how it is explained, and where a mistake is marked.
#include "core/query/query.h"

#include <gmock/gmock.h>

#include "core/query/complete.h"
#include "support/waves.h"

using namespace bexto;

namespace {

const std::vector<std::string> kBuses{"sensors", "drives", "Level heads"};

std::string explained(const std::string& text)
{
  const auto query = Query::parse(text, kBuses);
  return query ? query->explanation() : query.error().text();
}

/// The text with the wrong part in «».
std::string marked(const std::string& text)
{
  const auto query = Query::parse(text, kBuses);
  if (query)
    return "no error";
  const TextSpan at = query.error().at;
  return text.substr(0, at.begin) + "«" + text.substr(at.begin, at.end - at.begin) + "»" + text.substr(at.end);
}

bool finds(const std::string& pattern, const std::vector<std::uint8_t>& data)
{
  const auto parsed = BytePattern::parse(pattern);
  EXPECT_TRUE(parsed) << pattern;
  return parsed && parsed->matches(data);
}

std::vector<std::string> offered(const std::string& text, const Occurring& occurring = {})
{
  std::vector<std::string> items;
  for (const Completion& c : completionsAt(text, text.size(), occurring).items)
    items.push_back(c.insert);
  return items;
}

}  // namespace

TEST(Query, ExplainsItself)
{
  EXPECT_EQ(explained(""), "");
  EXPECT_EQ(explained("id:1A0..1AF"), "Lines with identifier 1A0 to 1AF");
  EXPECT_EQ(explained("address:2A,52 read"), "Lines with address 2A or 52 and a read");
  EXPECT_EQ(explained("length>4"), "Lines with length above 4");
  EXPECT_EQ(explained("byte2 >= 0x80"), "Lines with byte 2 at least 0x80");
  EXPECT_EQ(explained("byte0!=00"), "Lines with byte 0 not 00");
  EXPECT_EQ(explained("data:\"|a0?? 0?\""), "Lines with data beginning with A0 ?? 0?");
  EXPECT_EQ(explained("data:00|"), "Lines with data ending with 00");
  EXPECT_EQ(explained("from (nack or read)"), "Lines all from the first with (no acknowledge or a read) on");
  EXPECT_EQ(explained("error or not read"), "Lines with a fault or without a read");
  EXPECT_EQ(explained("sensors (nack or error:crc,stuff)"),
            "Lines with bus sensors and (no acknowledge or fault crc or stuff)");
  EXPECT_EQ(explained("from \"restart\""), "Lines all from the first with text “restart” on");
  EXPECT_EQ(explained("not (read error)"), "Lines not (a read and a fault)");
  EXPECT_EQ(explained("time:1.5ms.. lasts<2us"), "Lines with begin 1.5ms on and duration below 2us");
  EXPECT_EQ(explained("length:>4 byte0:!=00"), "Lines with length above 4 and byte 0 not 00")
      << "as the offer leaves it";
  EXPECT_EQ(explained("can error"), "Lines with protocol CAN and a fault");
  EXPECT_EQ(explained("READ and ERROR"), "Lines with a read and a fault");
  EXPECT_EQ(explained("bus:\"Level heads\""), "Lines with bus Level heads");
}

TEST(Query, OrBindsLessThanStandingNextToEachOther)
{
  EXPECT_EQ(explained("read nack or write"), explained("(read nack) or write"));
  EXPECT_NE(explained("read nack or write"), explained("read (nack or write)"));
}

TEST(Query, MarksAMistakeAtItsPlace)
{
  EXPECT_EQ(marked("idd:12"), "«idd»:12");
  EXPECT_EQ(marked("read id:1G0"), "read id:«1G0»");
  EXPECT_EQ(marked("id:1A0,"), "id:1A0«,»");
  EXPECT_EQ(marked("read or"), "read o«r»");
  EXPECT_EQ(marked("(read"), "(rea«d»");
  EXPECT_EQ(marked("read)"), "read«)»");
  EXPECT_EQ(marked("data:\"A0 G? 00\""), "data:\"A0 «G»? 00\"");
  EXPECT_EQ(marked("data:A0F"), "data:A0«F»");
  EXPECT_EQ(marked("text:\"abc"), "text:\"ab«c»");
  EXPECT_EQ(marked("length:9..3"), "length:«9..3»");
  EXPECT_EQ(marked("time>12parsecs"), "time>«12parsecs»");
  EXPECT_EQ(marked("read 2A"), "read «2A»");
  EXPECT_EQ(marked("bus:sensor"), "bus:«sensor»");
  EXPECT_EQ(marked("data>A0"), "«data>A0»");
  EXPECT_EQ(marked("id<1,2"), "«id<1,2»");
  EXPECT_EQ(marked("not"), "no«t»");
  EXPECT_EQ(marked("address"), "«address»");
}

TEST(Query, WhatHasNoMeaningIsMarkedAndNotTakenForSomethingElse)
{
  EXPECT_EQ(marked("byte0<=F?"), "«byte0<=F?»");
  EXPECT_EQ(marked("value>7FFFFFFFFFFFFFFF"), "value>«7FFFFFFFFFFFFFFF»");
  EXPECT_EQ(marked("time:12345678901234567"), "time:«12345678901234567»");
  EXPECT_EQ(explained("text:a..b"), "column 6: letters have no range; for the dots themselves write \"a..b\"");
  EXPECT_EQ(explained("error:crc..form"), "column 7: words have no range; name several with a comma between them");
}

TEST(Query, TimesAreExactToThePicosecond)
{
  const auto at = [](const std::string& text) {
    return Query::parse(text, {})->root().parts.front().term.ranges.front();
  };
  // A double would round both to the same.
  EXPECT_EQ(at("time:1234567.890123456789s").low, 1234567890123456789);
  EXPECT_EQ(at("time:1234567.890123456788s").low, 1234567890123456788);
  EXPECT_EQ(at("time:1234567890123456789ps").low, 1234567890123456789);
}

TEST(Query, BusesWhoseNamesDifferInCaseAreDifferent)
{
  const std::vector<std::string> buses{"Aux", "aux", "Main"};
  const auto named = [&](const std::string& text) -> std::vector<std::string> {
    const auto query = Query::parse(text, buses);
    return query ? query->root().parts.front().term.names : std::vector<std::string>{query.error().text()};
  };
  EXPECT_EQ(named("Aux"), std::vector<std::string>{"Aux"});
  EXPECT_EQ(named("aux"), std::vector<std::string>{"aux"});
  EXPECT_EQ(named("main"), std::vector<std::string>{"Main"}) << "one that fits is found in any case";
  EXPECT_EQ(named("AUX"), std::vector<std::string>{"column 1: 'AUX' may be more than one bus; write Aux or aux"});
}

TEST(Query, BracketsInsideQuotesDoNotCount)
{
  EXPECT_EQ(explained("text:\"" + std::string(60, '(') + "\""), "Lines with text “" + std::string(60, '(') + "”");
  EXPECT_EQ(explained("text:\"\\\"" + std::string(60, '(') + "\" nack").find("column"), std::string::npos);
  EXPECT_NE(explained("\"a\" " + std::string(60, '(')).find("too many brackets"), std::string::npos);
}

TEST(Query, SaysTheMend)
{
  EXPECT_EQ(explained("adress:2A"), "column 1: there is no key 'adress'; did you mean address:");
  EXPECT_EQ(explained("read nackk"), "column 6: 'nackk' is no word of a filter; did you mean nack");
  EXPECT_EQ(explained("2A"), "column 1: '2a' alone could be anything; write address:2a, id:2a, rom:2a or data:2a");
  EXPECT_EQ(explained("data!=A0"), "column 1: 'data' cannot be compared by '!='; write not data:…");
  EXPECT_EQ(explained("error:cnc"), "column 7: there is no fault 'cnc'; did you mean crc");
}

TEST(Query, NumbersAreReadAsTheTradeWritesThem)
{
  const auto rangesOf = [](const std::string& text) {
    return Query::parse(text, {})->root().parts.front().term.ranges;
  };
  EXPECT_EQ(rangesOf("id:10"), (std::vector<NumberRange>{{16, 16}}));
  EXPECT_EQ(rangesOf("length:10"), (std::vector<NumberRange>{{10, 10}}));
  EXPECT_EQ(rangesOf("id:0d10"), (std::vector<NumberRange>{{10, 10}}));
  EXPECT_EQ(rangesOf("length:0x10"), (std::vector<NumberRange>{{16, 16}}));
  EXPECT_EQ(rangesOf("byte0:0b101"), (std::vector<NumberRange>{{5, 5}}));
  EXPECT_EQ(rangesOf("byte0:8?").size(), 16U);
  EXPECT_EQ(rangesOf("time:1ms"), (std::vector<NumberRange>{{1000000000, 1000000000}}));
  EXPECT_EQ(rangesOf("length!=3").size(), 2U);
}

TEST(Query, TopTermsCanBeSwitchedOff)
{
  const auto query = Query::parse("read  (nack or error) byte0:01", kBuses);
  ASSERT_TRUE(query);
  EXPECT_EQ(query->topTerms(), (std::vector<TextSpan>{{0, 4}, {6, 21}, {22, 30}}));
  EXPECT_EQ(query->without({true, false, true}).explanation(), "Lines with no acknowledge or a fault");
  EXPECT_TRUE(query->without({true, true, true}).empty());
  EXPECT_EQ(Query::parse("read or write", {})->topTerms(), (std::vector<TextSpan>{{0, 13}}));
}

TEST(Query, DepthAndLengthAreBounded)
{
  EXPECT_FALSE(Query::parse(std::string(5000, '('), {}));
  EXPECT_FALSE(Query::parse(std::string(100000, 'a'), {}));
  std::string deep = "read";
  for (int i = 0; i < 30; ++i)
    deep = "not (" + deep + ")";
  EXPECT_TRUE(Query::parse(deep, {}));
  for (int i = 0; i < 30; ++i)
    deep = "not (" + deep + ")";
  EXPECT_NE(explained(deep).find("too many brackets"), std::string::npos) << "with words between them";
  std::string many = "(read)";
  for (int i = 0; i < 60; ++i)
    many += " or (read)";
  EXPECT_TRUE(Query::parse(many, {})) << "one after the other";
}

TEST(BytePattern, FindsWhatItSays)
{
  EXPECT_TRUE(finds("A0 ?? 0?", {1, 0xa0, 0x77, 0x0f, 9}));
  EXPECT_FALSE(finds("A0 ?? 0?", {1, 0xa0, 0x77, 0x1f, 9}));
  EXPECT_TRUE(finds("|A0", {0xa0, 1}));
  EXPECT_FALSE(finds("|A0", {1, 0xa0}));
  EXPECT_TRUE(finds("00|", {0, 1, 0}));
  EXPECT_FALSE(finds("00|", {0, 1}));
  EXPECT_TRUE(finds("|01 02|", {1, 2}));
  EXPECT_FALSE(finds("|01 02|", {1, 2, 2}));
  EXPECT_TRUE(finds("01*03", {1, 2, 2, 3}));
  EXPECT_TRUE(finds("01*03", {1, 3}));
  EXPECT_FALSE(finds("03*01", {1, 2, 3}));
  EXPECT_TRUE(finds("|01 * 02|", {1, 2, 1, 2}));
  EXPECT_FALSE(finds("|01 * 01|", {1})) << "one byte is not both";
  EXPECT_TRUE(finds("||", {}));
  EXPECT_FALSE(finds("||", {1}));
  EXPECT_FALSE(finds("01 02", {1}));
}

TEST(BytePattern, TextMatchesInEitherCase)
{
  const std::string said = "Gate 2 STALLED";
  const std::vector<std::uint8_t> bytes(said.begin(), said.end());
  EXPECT_TRUE(BytePattern::ofText("stalled").matches(bytes));
  EXPECT_TRUE(BytePattern::ofText("e 2 s").matches(bytes));
  EXPECT_FALSE(BytePattern::ofText("gate 3").matches(bytes));
  EXPECT_FALSE(BytePattern::ofText("gate\x12").matches(bytes)) << "only letters have two cases";
}

TEST(Completion, OffersKeysWordsAndValuesThatOccur)
{
  Occurring occurring;
  occurring.byKey["address"] = {{"2A", 90}, {"21", 40}, {"5D", 3}};
  occurring.byKey["bus"] = {{"sensors", 9}, {"Level heads", 3}};
  EXPECT_THAT(offered("add", occurring), testing::ElementsAre("address:", "address_bits:", "address_ack:"));
  EXPECT_THAT(offered("read address:2", occurring), testing::ElementsAre("2A", "21"));
  EXPECT_THAT(offered("address:2A,", occurring), testing::ElementsAre("2A", "21", "5D"));
  EXPECT_THAT(offered("error:st"), testing::ElementsAre("stuff", "stuff-count"));
  EXPECT_THAT(offered("line:"), testing::ElementsAre("rx", "tx"));
  EXPECT_THAT(offered("protocol:s"), testing::ElementsAre("spi"));
  EXPECT_THAT(offered("kind:rem"), testing::ElementsAre("remote"));
  EXPECT_THAT(offered("address_ack:"), testing::ElementsAre("yes", "no"));
  EXPECT_THAT(offered("(sen", occurring), testing::ElementsAre("sent", "sensors"));
  EXPECT_THAT(offered("lev", occurring), testing::ElementsAre("bus:\"Level heads\""));
  EXPECT_TRUE(offered("text:\"add", occurring).empty()) << "inside quotes nobody knows";
  EXPECT_EQ(completionsAt("read address:2A x", 14, occurring).replaces, (TextSpan{13, 15}));
  // What is behind the cursor is replaced, and does not narrow what is offered.
  EXPECT_EQ(completionsAt("read address:5x", 13, occurring).items.size(), 3U);
  EXPECT_EQ(completionsAt("read address:2x", 14, occurring).items.size(), 2U);
}

TEST(Completion, EveryKeyAndWordThatIsOfferedIsUnderstood)
{
  for (const TermHelp& key : queryKeys()) {
    EXPECT_TRUE(Query::parse(key.example, kBuses)) << explained(key.example);
    EXPECT_TRUE(key.example.starts_with(key.key) || key.key == "byte0") << key.example;
  }
  for (const TermHelp& word : queryWords())
    EXPECT_NE(explained(word.key), "") << word.key;
}
