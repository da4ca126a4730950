#include "core/base/number_text.h"
#include "core/base/time_text.h"

using namespace bexto;
using namespace std::chrono_literals;

TEST(MomentText, GroupsDecimalsInThrees)
{
  EXPECT_EQ(momentText(Picoseconds{3204101330000}, 8), "3.204 101 33");
  EXPECT_EQ(momentText(Picoseconds{0}, 3), "0.000");
  EXPECT_EQ(momentText(1500ms, 0), "2");
  EXPECT_EQ(momentText(-Picoseconds{1500000000}, 3), "−0.002");
}

TEST(LengthText, ChoosesTheUnitThatReadsBest)
{
  EXPECT_EQ(lengthText(Picoseconds{34400000}), "34.40 µs");
  EXPECT_EQ(lengthText(Picoseconds{999990}), "1.000 µs");
  EXPECT_EQ(lengthText(Picoseconds{7}), "7 ps");
  EXPECT_EQ(lengthText(-12ms, 3), "-12.0 ms");
  EXPECT_EQ(lengthText(Picoseconds{0}), "0 s");
}

TEST(FrequencyText, ChoosesTheUnitThatReadsBest)
{
  EXPECT_EQ(frequencyText(29070.0), "29.07 kHz");
  EXPECT_EQ(frequencyText(0.0), "–");
  EXPECT_EQ(frequencyText(1e6), "1.000 MHz");
}

TEST(ParseTime, TakesEachUnitAndPlainSeconds)
{
  EXPECT_EQ(*parseTime("12.5ms"), 12500us);
  EXPECT_EQ(*parseTime("3us"), 3us);
  EXPECT_EQ(*parseTime("3µs"), 3us);
  EXPECT_EQ(*parseTime("1.5"), 1500ms);
  EXPECT_EQ(*parseTime("-2 ns"), -2ns);
}

TEST(ParseTime, RefusesWhatIsNoTime)
{
  for (const char* text : {"", "ms", "1x", "nan", "inf", "1e400", "5 5ms", "1 h", "99999999"})
    EXPECT_FALSE(parseTime(text)) << text;
}

TEST(CountText, PartsThousands)
{
  EXPECT_EQ(countText(18204), "18 204");
  EXPECT_EQ(countText(999), "999");
  EXPECT_EQ(countOf(1, "frame"), "1 frame");
  EXPECT_EQ(countOf(2000000, "frame"), "2 000 000 frames");
}

TEST(ErrorText, StaysOnOneLine)
{
  const Error error{ErrorCode::Malformed, "a\nb", "file", "mend it"};
  EXPECT_EQ(error.text(), "file: a?b; mend it");
}

TEST(Nearest, FindsAMisspeltNameAndNothingFarAway)
{
  EXPECT_EQ(nearest("scll", {"sda", "scl"}), "scl");
  EXPECT_EQ(nearest("temperature", {"sda", "scl"}), "");
}
