#include "core/base/number_text.h"
#include "core/base/say.h"
#include "core/base/time_text.h"
#include "core/base/utc_text.h"
#include "core/query/query.h"

using namespace bexto;
using namespace std::chrono_literals;

TEST(Text, FrequenciesAreReadInAnyUnit)
{
  EXPECT_EQ(parseFrequency("24e6"), 24e6);
  EXPECT_EQ(parseFrequency(" 24 MHz "), 24e6);
  EXPECT_EQ(parseFrequency("1.5GS/s"), 1.5e9);
  EXPECT_EQ(parseFrequency("250 ksps"), 250e3);
  EXPECT_EQ(parseFrequency("0.5Hz"), 0.5);
  EXPECT_EQ(parseFrequency("100 Sa/s"), 100.0);
  for (const char* none : {"", "Hz", "MHz", "x", "0", "-5", "1 V", "1 2 Hz", "nan", "inf"})
    EXPECT_FALSE(parseFrequency(none)) << none;
}

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
  EXPECT_EQ(*parseTime("0.0004999 ns"), Picoseconds{0});
  EXPECT_EQ(*parseTime("0.0005 ns"), Picoseconds{1});
  EXPECT_EQ(*parseTime("-1.5"), -1500ms);
  EXPECT_EQ(*parseTime(".25us"), 250ns);
  EXPECT_EQ(*parseTime("1e-3"), 1ms);
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
  EXPECT_EQ(counted(1, kFrames), "1 frame");
  EXPECT_EQ(counted(2000000, kFrames), "2 000 000 frames");
}

// ---- Texts in another language

namespace {

/// Two texts and the forms of a count in a language that nobody speaks; one translation does not fit its values.
std::string inAnotherLanguage(std::string_view english, int count)
{
  if (english == "acked")
    return "ja";
  if (english == "{} to {}")
    return "von {} bis {}";
  if (english == "bus {}")
    return "{} {} {}";
  if (english == kFrames.many)
    return count == 1 ? "{} Rahm" : count < 5 ? "{} Rahma" : "{} Rahmov";
  return {};
}

class Translated : public testing::Test {
 protected:
  void SetUp() override { setTranslation(inAnotherLanguage); }
  void TearDown() override { setTranslation(nullptr); }
};

}  // namespace

TEST_F(Translated, TextsAreLookedUpByTheirEnglishAndFilledIn)
{
  EXPECT_EQ(say("acked"), "ja");
  EXPECT_EQ(say("{} to {}", 1, std::string("x")), "von 1 bis x");
  EXPECT_EQ(say("nobody translated this"), "nobody translated this");
  EXPECT_EQ(say("column {}: {}", 7, "so"), "column 7: so");
  setTranslation(nullptr);
  EXPECT_EQ(say("acked"), "acked");
}

TEST_F(Translated, ACountHasTheFormThatItsLanguageWants)
{
  EXPECT_EQ(counted(1, kFrames), "1 Rahm");
  EXPECT_EQ(counted(3, kFrames), "3 Rahma");
  EXPECT_EQ(counted(5000000000, kFrames), "5 000 000 000 Rahmov");
  EXPECT_EQ(counted(1, kBytes), "1 byte");
}

TEST_F(Translated, ATranslationThatDoesNotFitItsValuesIsNotUsed)
{
  EXPECT_EQ(say("bus {}", "sensors"), "bus sensors");
}

TEST_F(Translated, WordsOfTheFilterLanguageAndOfFilesStayAsTheyAre)
{
  const auto wrong = Query::parse("address:zz", {});
  ASSERT_FALSE(wrong.has_value());
  EXPECT_TRUE(Query::parse("ack", {}).has_value());
  EXPECT_FALSE(Query::parse("ja", {}).has_value());
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

TEST(UtcText, WritesAndReadsMomentsOfTheCalendar)
{
  const auto seconds = [](std::int64_t s) { return s * kPicosecondsPerSecond; };
  EXPECT_EQ(utcText(0), "1970-01-01T00:00:00Z");
  EXPECT_EQ(utcText(seconds(1931494320)), "2031-03-17T06:12:00Z");
  EXPECT_EQ(utcText(seconds(1931494320) + 250000000000), "2031-03-17T06:12:00.250Z");
  EXPECT_EQ(utcText(seconds(1931494320) + 1), "2031-03-17T06:12:00.000000000001Z");
  EXPECT_EQ(utcText(-1), "1969-12-31T23:59:59.999999999999Z");
  EXPECT_EQ(utcText(seconds(951782400)), "2000-02-29T00:00:00Z");
  for (const WidePicoseconds time : {seconds(0), seconds(1931494320) + 123456, seconds(4102444799) + 999999999999})
    EXPECT_TRUE(parseUtc(utcText(time)) == time);
  EXPECT_TRUE(parseUtc("2031-03-17T06:12:00.25Z") == seconds(1931494320) + 250000000000);
  for (const char* const wrong :
       {"", "Z", "2031-03-17", "2031-03-17T06:12:00", "2031-02-29T06:12:00Z", "2031-03-17 06:12:00Z",
        "2031-03-17T24:12:00Z", "2031-03-17T06:60:00Z", "2031-03-17T06:12:00.Z", "2031-03-17T06:12:00.1234567890123Z",
        "2031-03-17T06:12:00.12x4Z", "2031-03-17T06:12:00,5Z", "+031-03-17T06:12:00Z", "2031-03-17T-6:12:00Z"})
    EXPECT_FALSE(parseUtc(wrong)) << wrong;
}
