#include "core/format/csv_layout.h"

using namespace bexto;

namespace {

CsvLayout layoutOf(std::string_view text, double rate = 0)
{
  const auto layout = guessCsvLayout(text, true, rate);
  EXPECT_TRUE(layout) << layout.error().text() << "\n" << text;
  return layout.value_or(CsvLayout());
}

/// "t01x": time, level, level, ignored.
std::string uses(const CsvLayout& layout)
{
  std::string text;
  for (const CsvColumn& column : layout.columns)
    text += column.use == CsvUse::Time ? 't' : column.use == CsvUse::Level ? 'l' : '-';
  return text;
}

WidePicoseconds timeOf(std::string_view field, int unitPower = 12, char decimal = '.')
{
  CsvTime time;
  EXPECT_TRUE(readCsvTime(field, decimal, unitPower, time)) << field;
  return time.picoseconds;
}

bool isNone(std::string_view field)
{
  CsvTime time;
  return !readCsvTime(field, '.', 12, time);
}

}  // namespace

TEST(CsvLayout, SeparatorsAndDecimalsAreRecognised)
{
  for (const auto& [text, separator, decimal] :
       {std::tuple{"t,a,b\n0.5,0,1\n0.75,1,1\n", ',', '.'}, std::tuple{"t;a;b\n0.5;0;1\n0.75;1;1\n", ';', '.'},
        std::tuple{"t;a;b\n0,5;0;1\n0,75;1;1\n", ';', ','}, std::tuple{"t\ta\tb\n0,5\t0\t1\n0,75\t1\t1\n", '\t', ','},
        std::tuple{"t|a|b\n0.5|0|1\n0.75|1|1\n", '|', '.'}, std::tuple{"t a b\n0.5 0 1\n0.75 1 1\n", ' ', '.'},
        std::tuple{"\"t\",\"a\",\"b\"\r\n\"0.5\",\"0\",\"1\"\r\n\"0.75\",\"1\",\"1\"\r\n", ',', '.'}}) {
    const CsvLayout layout = layoutOf(text);
    EXPECT_EQ(layout.separator, separator) << text;
    EXPECT_EQ(layout.decimal, decimal) << text;
    EXPECT_EQ(layout.headLines, 1U);
    EXPECT_EQ(uses(layout), "tll") << text;
    EXPECT_EQ(layout.columns[1].name, "a");
    EXPECT_EQ(layout.columns[2].name, "b");
    EXPECT_TRUE(layout.problem().empty());
  }
}

TEST(CsvLayout, UnitsAreFoundWhereverTheyStand)
{
  for (const auto& [head, power] :
       {std::pair{"time [ns]", 3}, std::pair{"Time (us)", 6}, std::pair{"time_ms", 9}, std::pair{"t/ps", 0},
        std::pair{"Time, s", 12}, std::pair{"ns", 3}, std::pair{"Time[µs]", 6}, std::pair{"seconds", 12}}) {
    const CsvLayout layout = layoutOf('"' + std::string(head) + "\",A\n0,1\n5,0\n9,1\n");
    EXPECT_EQ(uses(layout), "tl") << head;
    EXPECT_TRUE(layout.unitKnown) << head;
    EXPECT_EQ(layout.unitPower, power) << head;
  }
  const CsvLayout below = layoutOf("time,A,B\nms,V,\n0.5,1,0\n0.6,0,0\n");
  EXPECT_EQ(below.unitPower, 9);
  EXPECT_EQ(below.columns[0].name, "time");
  EXPECT_EQ(below.headLines, 2U);
  const CsvLayout none = layoutOf("time,A\n0.5,1\n0.6,0\n");
  EXPECT_FALSE(none.unitKnown);
  EXPECT_EQ(none.unitPower, 12);
}

TEST(CsvLayout, TheTimeIsFoundByNameElseByWhatRises)
{
  EXPECT_EQ(uses(layoutOf("a,time,b\n0,0,1\n0,1,1\n1,2,0\n")), "ltl");
  EXPECT_EQ(uses(layoutOf("0,0,1\n17,1,1\n39,2,0\n")), "t-l") << "2 is no level";
  EXPECT_EQ(uses(layoutOf("clk,x,stamp\n0,5.5,100\n1,5.5,200\n0,1.5,300\n")), "l-t");
  EXPECT_EQ(uses(layoutOf("sample,a\n0,0\n1,0\n2,1\n", 1e6)), "-l") << "numbers of samples, where the rate is known";
  EXPECT_EQ(uses(layoutOf("a,b\n0,1\n1,1\n0,1\n", 1e6)), "ll");
  EXPECT_EQ(layoutOf("0 1 1\n0 0 1\n", 50).columns[2].name, "D2");
  EXPECT_FALSE(layoutOf("a,b\n0,1\n1,1\n0,1\n").problem().empty()) << "neither times nor a rate";
}

TEST(CsvLayout, ThePreambleIsPassedOverAndItsRateKept)
{
  const CsvLayout layout = layoutOf(
      "; recorded on the bench\n# Sample rate: 4 MHz\nchannels,2\n\n"
      "scl,sda\n1,1\n1,0\n0,0\n");
  EXPECT_EQ(layout.headLines, 5U);
  EXPECT_EQ(layout.rate, 4e6);
  EXPECT_EQ(layout.columns[0].name, "scl");
  EXPECT_EQ(uses(layout), "ll");
  EXPECT_EQ(layoutOf("sample interval,2.5e-07\na\n0\n1\n1\n1\n0\n").rate, 4e6);
  EXPECT_EQ(layoutOf("Sample period [ns]; 250\na;b\n0;1\n1;1\n1;1\n1;1\n0;0\n").rate, 4e6);
  EXPECT_EQ(layoutOf("# sample rate: 0 Hz\n# sample rate 2 kHz\na,b\n0,1\n1,1\n0,1\n").rate, 2e3) << "none is none";
  EXPECT_EQ(layoutOf("#time [s],a\n0.1,0\n0.2,1\n").columns[0].name, "time [s]");
}

TEST(CsvLayout, AMarkOfUtf8IsNoPartOfIt)
{
  const CsvLayout layout = layoutOf("\xef\xbb\xbftime [s],a\n0.1,0\n0.2,1\n");
  EXPECT_EQ(layout.columns[0].name, "time [s]");
  const auto wide = guessCsvLayout("\xff\xfet\0i\0", true, 0);
  ASSERT_FALSE(wide);
  EXPECT_EQ(wide.error().mend, "save it as UTF-8");
}

TEST(CsvLayout, WhatIsNoTableIsNone)
{
  for (const char* text : {"", "\n\n", "it was a dark night", "a,b\nc,d\n", "only,a,head\n"}) {
    const auto layout = guessCsvLayout(text, true, 0);
    EXPECT_FALSE(layout && layout->problem().empty()) << text;
    EXPECT_FALSE(looksLikeCsv(text)) << text;
  }
  EXPECT_TRUE(looksLikeCsv("t,a\n0.1,0\n0.2,1\n"));
  EXPECT_FALSE(looksLikeCsv(std::string_view("t,a\n0.1,0\n0.2,1\n\0", 18)));
  EXPECT_FALSE(looksLikeCsv("$date today $end\n"));
}

TEST(CsvLayout, ABadLineFurtherDownIsNoHead)
{
  std::string text = "t,a\n";
  for (int i = 0; i < 40; ++i)
    text += std::to_string(i) + ".5," + std::to_string(i % 2) + '\n';
  const CsvLayout layout = layoutOf(text + "what is this\n77.5,1\n");
  EXPECT_EQ(layout.headLines, 1U);
}

TEST(CsvLayout, CommentsAndColumnsOfOtherThingsAreNoReasonToStop)
{
  const CsvLayout commented = layoutOf("# a comment, with a comma\ntime,a\n0.1,0\n# in between\n0.2,1\n0.3,0\n");
  EXPECT_EQ(commented.headLines, 2U);
  EXPECT_EQ(commented.columns[1].name, "a");
  EXPECT_EQ(uses(layoutOf("time,value,a\n0.1,0x3F,1\n0.2,none,0\n")), "t-l");
  // A line of the head that could be a row, but has other fields.
  EXPECT_EQ(layoutOf("4000000\n1,2\ntime,a,b\n0.1,0,1\n0.2,1,1\n").headLines, 3U);
  const CsvLayout bracketed = layoutOf("Zeit,Pegel\n[ms],[]\n0.5,LOW\n0.75,HIGH\n");
  EXPECT_EQ(bracketed.columns[1].name, "Pegel");
  EXPECT_EQ(bracketed.unitPower, 9);
}

TEST(CsvLayout, TimesAreExact)
{
  EXPECT_EQ(timeOf("0.000000000001"), 1);
  EXPECT_EQ(timeOf("-0.5"), -500000000000);
  EXPECT_EQ(timeOf("+1e-6"), 1000000);
  EXPECT_EQ(timeOf("2.5E+3", 6), 2500000000);
  EXPECT_EQ(timeOf("0,25", 9, ','), 250000000);
  EXPECT_EQ(timeOf("12.5us"), 12500000);
  EXPECT_EQ(timeOf("12.5 µs"), 12500000);
  EXPECT_EQ(timeOf("1.4999999999996", 0), 1);
  EXPECT_EQ(timeOf("1.5", 0), 2);
  EXPECT_EQ(timeOf("0.1234567890123456789012345678901234567890"), 123456789012);
  EXPECT_EQ(timeOf("01:02.5"), WidePicoseconds{62500000000000});
  EXPECT_EQ(timeOf("01:00:00.000001"), WidePicoseconds{3600000001000000});
  EXPECT_TRUE(timeOf("2031-03-17 06:12:00.000001") - timeOf("2031-03-17T06:11:59Z") == 1000001000000);
  EXPECT_TRUE(timeOf("1970-01-02 00:00:00") == WidePicoseconds{86400} * 1000000000000);
  EXPECT_TRUE(timeOf("1893456000.000001") == WidePicoseconds{1893456000000001} * 1000000) << "seconds since 1970";
  for (const char* field :
       {"", "-", ".", "x", "1x", "1e", "1e99", "1:2:3:4", ":5", "1.2.3", "12 34", "1:2 ms", "2031-13-17 06:12:00",
        "2031-03-17", "2031-03-17 x", "2031-03-17 5", "2031-03-17 -1:00", "1234567890123456789012345678901"})
    EXPECT_TRUE(isNone(field)) << field;
}

TEST(CsvLayout, LevelsHaveManyWords)
{
  for (const char* high : {"1", "H", "h", "high", "HIGH", "True", "on", "1.0", "1,000"})
    EXPECT_EQ(csvLevel(high), 1) << high;
  for (const char* low : {"0", "L", "low", "false", "OFF", "0.00"})
    EXPECT_EQ(csvLevel(low), 0) << low;
  for (const char* none : {"", "x", "Z", "-", "?", "U"})
    EXPECT_EQ(csvLevel(none), -1) << none;
  for (const char* other : {"2", "0.1", "1.", "highest", "nothing", "01", "1e0"})
    EXPECT_EQ(csvLevel(other), 2) << other;
}

TEST(CsvLayout, FieldsMayBeQuoted)
{
  using testing::ElementsAre;
  EXPECT_THAT(csvFields("a, b ,\"c,\"\"d\"\" \" ,", ','), ElementsAre("a", "b", "c,\"d\" ", ""));
  EXPECT_THAT(csvFields("", ','), ElementsAre(""));
  EXPECT_THAT(csvFields("\"open", ','), ElementsAre("open"));
  EXPECT_THAT(csvFields(" 1  2 ", ' '), ElementsAre("1", "2"));
}
