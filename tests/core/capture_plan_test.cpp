#include "core/session/capture_plan.h"

using namespace bexto;
using namespace std::chrono_literals;

TEST(StartCondition, ReadsWhatItWrites)
{
  for (const char* const text :
       {"SCL=rising", "SCL=falling", "top.SCL=either", "CS=low", "CS=high", "CS=low,CLK=high", "a=b=low",
        "TX=low:100us..2ms", "TX=high:50ns..", "TX=low:..1ms", "A=low,B=low,C=high"}) {
    const auto condition = parseWireCondition(text);
    ASSERT_TRUE(condition) << text;
    EXPECT_EQ(textOf(*condition), text);
    EXPECT_EQ(*parseWireCondition(textOf(*condition)), *condition);
  }
  const StartCondition pulse = *parseWireCondition("TX=low:100us..2ms");
  EXPECT_EQ(pulse.kind, StartCondition::Kind::Width);
  EXPECT_EQ(pulse.shortest, Picoseconds(100us));
  EXPECT_EQ(pulse.longest, Picoseconds(2ms));
  EXPECT_EQ(pulse.channel, "TX");
  EXPECT_FALSE(pulse.high);
}

TEST(StartCondition, RefusesWhatItDoesNotUnderstandWithTheMend)
{
  for (const char* const text :
       {"", "SCL", "=low", "SCL=", "SCL=up", "SCL=low:5us", "SCL=low:2ms..1ms", "SCL=low:x..y", "SCL=rising:1us..2us",
        "A=rising,B=falling", "A=low,B=rising", "A=rising,B=low", "A=low:1us..2us,B=low", "A=low,B"}) {
    const auto condition = parseWireCondition(text);
    ASSERT_FALSE(condition) << text;
    EXPECT_FALSE(condition.error().mend.empty()) << text;
  }
}

TEST(StartCondition, IsSaidInWords)
{
  EXPECT_EQ(sentenceOf(*parseWireCondition("SCL=falling")), "SCL falls");
  EXPECT_EQ(sentenceOf(*parseWireCondition("TX=low:100us..2ms")), "a low pulse of TX of 100us to 2ms");
  EXPECT_EQ(sentenceOf(*parseWireCondition("TX=high:..2ms")), "a high pulse of TX shorter than 2ms");
  EXPECT_EQ(sentenceOf({}), "at once");
}

TEST(StartCondition, EveryKindHasItsWords)
{
  EXPECT_EQ(sentenceOf(*parseWireCondition("SCL=rising")), "SCL rises");
  EXPECT_EQ(sentenceOf(*parseWireCondition("SCL=either")), "SCL changes");
  EXPECT_EQ(sentenceOf(*parseWireCondition("CS=low")), "CS is low");
  EXPECT_EQ(sentenceOf(*parseWireCondition("CS=high")), "CS is high");
  EXPECT_EQ(sentenceOf(*parseWireCondition("TX=low:..2ms")), "a low pulse of TX shorter than 2ms");
  EXPECT_EQ(sentenceOf(*parseWireCondition("TX=low:3us..")), "a low pulse of TX longer than 3us");
  EXPECT_EQ(sentenceOf(*parseWireCondition("TX=high:3us..")), "a high pulse of TX longer than 3us");
  EXPECT_EQ(sentenceOf(*parseWireCondition("TX=high:3us..4us")), "a high pulse of TX of 3us to 4us");
  EXPECT_EQ(sentenceOf(*parseWireCondition("CS=low,CLK=high")), "CS=low,CLK=high");
}
