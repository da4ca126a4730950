#include "core/format/csv_reader.h"

#include "core/format/csv_writer.h"
#include "core/format/vcd_reader.h"
#include "support/sessions.h"

using namespace bexto;
using namespace bexto::test;
using testing::ElementsAre;
using testing::HasSubstr;

namespace {

Capture csvCapture(std::string_view text, const ReadHints& hints = {})
{
  auto capture = parseCsv(text, "a.csv", hints);
  EXPECT_TRUE(capture) << capture.error().text();
  return capture ? std::move(*capture) : Capture();
}

std::string csvError(std::string_view text, const ReadHints& hints = {})
{
  const auto capture = parseCsv(text, "a.csv", hints);
  return capture ? "" : capture.error().text();
}

/// "1 5 9": the start level, and the times in ps.
std::string textOf(const EdgeTrack& track)
{
  std::string text = track.startLevel() ? "1" : "0";
  for (std::uint64_t i = 0; i < track.size(); ++i)
    text += ' ' + std::to_string(track.at(i).count());
  return text;
}

}  // namespace

TEST(CsvReader, RowsSayTheLevelsFromTheirTimeOn)
{
  const Capture capture = csvCapture("time [ns],scl,sda\n0,1,1\n5,1,0\n5.5,0,0\n7,1,1\n9,1,1\n");
  EXPECT_EQ(textOf(capture.channels.at(0).track), "1 5500 7000");
  EXPECT_EQ(textOf(capture.channels.at(1).track), "1 5000 7000");
  EXPECT_EQ(capture.end, Picoseconds{9000});
  EXPECT_EQ(capture.tick, Picoseconds{100});
  EXPECT_EQ(capture.rate, 0) << "the rows are at odd times";
  EXPECT_FALSE(capture.trigger);
  EXPECT_TRUE(capture.notes.empty());
}

TEST(CsvReader, SamplesNeedARate)
{
  const std::string text = "a,b\n0,1\n0,1\n1,1\n1,0\n";
  EXPECT_THAT(csvError(text), HasSubstr("give the rate with --raw-rate HZ"));
  const Capture capture = csvCapture(text, {24e6, 0, {}});
  EXPECT_EQ(textOf(capture.channels.at(0).track), "0 83333");
  EXPECT_EQ(textOf(capture.channels.at(1).track), "1 125000");
  EXPECT_EQ(capture.end, Picoseconds{125000});
  EXPECT_EQ(capture.rate, 24e6);
  const Capture said = csvCapture("# sample rate 2 kHz\n" + text);
  EXPECT_EQ(said.end, Picoseconds{1500000000});
}

TEST(CsvReader, TimesAtEvenDistancesAreThoseOfSamples)
{
  std::string samples = "t [us],a\n";
  std::string edges = samples;
  for (int i = 0; i < 50; ++i) {
    samples += std::to_string(i) + ".25," + std::to_string(i / 7 % 2) + '\n';
    edges += std::to_string(i) + ".25," + std::to_string(i % 2) + '\n';
  }
  EXPECT_DOUBLE_EQ(csvCapture(samples).rate, 1e6);
  EXPECT_EQ(csvCapture(edges).rate, 0) << "a clock's edges are as even, and tell nothing";
}

TEST(CsvReader, TimesBeforeTheTriggerAndTimesOfDayCountFromTheFirstRow)
{
  const Capture before = csvCapture("t [ms],a\n-2,0\n-0.5,1\n3,0\n");
  EXPECT_EQ(textOf(before.channels.at(0).track), "0 1500000000 5000000000");
  EXPECT_EQ(before.trigger, Picoseconds{2000000000});
  const Capture epoch = csvCapture("t [s],a\n1893456000.000001,0\n1893456000.000003,1\n1893456000.000007,0\n");
  EXPECT_EQ(textOf(epoch.channels.at(0).track), "0 2000000 6000000");
  EXPECT_FALSE(epoch.trigger);
  const Capture day = csvCapture("clock,a\n23:59:59.5,0\n23:59:59.75,1\n23:59:59.875,0\n");
  EXPECT_EQ(textOf(day.channels.at(0).track), "0 86399750000000000 86399875000000000");
  const Capture dated =
      csvCapture("timestamp,a\n2031-03-17T06:12:00.000001Z,0\n# a pause\n2031-03-17T06:12:00.000005Z,1\n");
  EXPECT_EQ(textOf(dated.channels.at(0).track), "0 4000000");
  EXPECT_TRUE(dated.notes.empty());
  const Capture late = csvCapture("t [s],a\n5,0\n6,1\n");
  EXPECT_EQ(textOf(late.channels.at(0).track), "0 6000000000000") << "its start is 0 of the file";
}

TEST(CsvReader, LevelsOfManyWordsAndNone)
{
  const Capture capture = csvCapture("t,a,b,c\n0.1,x,high,\n0.2,1,,0\n0.3,z,low,1\n0.4,0,\"HIGH\",1\n");
  EXPECT_EQ(textOf(capture.channels.at(0).track), "1 400000000000") << "before the first known level, that one";
  EXPECT_EQ(textOf(capture.channels.at(1).track), "1 300000000000 400000000000");
  EXPECT_EQ(textOf(capture.channels.at(2).track), "0 300000000000");
  EXPECT_THAT(capture.notes, ElementsAre("the times say no unit; they are read as seconds"));
}

TEST(CsvReader, AnythingThatPeopleSendIsRead)
{
  // Decimal comma, quotes, CRLF, blank lines, blanks around fields, a volt column, no end of the last line.
  const Capture capture = csvCapture(
      "\xef\xbb\xbf\"Zeit [ms]\";\"SCL\";\"U\";\"SDA\"\r\n0,000;1;3,31;1\r\n\r\n \"0,25\" ; 0;3,29;1 \r\n0,5;1;0,02;0");
  EXPECT_EQ(textOf(capture.channels.at(0).track), "1 250000000 500000000");
  EXPECT_EQ(textOf(capture.channels.at(1).track), "1 500000000");
  EXPECT_EQ(capture.channels.at(1).name, "SDA");
  EXPECT_THAT(capture.notes, ElementsAre("1 column that holds no levels is passed over"));
  EXPECT_EQ(textOf(csvCapture("a b t\n0 1 0.5\n1 1 0.75\n").channels.at(0).track), "0 750000000000");
  EXPECT_EQ(textOf(csvCapture("t,a\n0us,0\n2.5us,1\n1ms,0\n").channels.at(0).track), "0 2500000 1000000000");
}

TEST(CsvReader, FaultsNameTheLineAndTheMend)
{
  const std::string good = "t [s],a,b\n0.1,0,1\n0.2,0,0\n0.3,1,1\n0.4,0,1\n0.5,0,0\n0.6,1,1\n";
  EXPECT_EQ(csvError(good + "0.7,hi,1\n"),
            "a.csv, line 8: 'hi' in column 2 is no level; levels are 0 and 1, low and high; x, z, - and nothing keep "
            "the last one");
  EXPECT_EQ(csvError(good + "0.7,1\n"),
            "a.csv, line 8: there are 2 fields, and 3 above; remove the line, or check the separator");
  EXPECT_THAT(csvError(good + "0.7,1,1,1\n"), HasSubstr("there are 4 fields, and 3 above"));
  EXPECT_EQ(csvError(good + "0.55,1,1\n"), "a.csv, line 8: the time goes back; sort the rows by their time");
  EXPECT_EQ(csvError(good + "soon,1,1\n0.9,0,0\n"), "a.csv, line 8: 'soon' is no time; check which column is the time");
  EXPECT_THAT(csvError(good + "\"0.7\",0,1\n0.8,\n"), HasSubstr("line 9: there are 2 fields, and 3 above"));
  EXPECT_THAT(csvError(good + "9999999,1,1\n"), HasSubstr("line 8: it is longer than the 53 days"));
  EXPECT_THAT(csvError("a,b\nc,d\n"), HasSubstr("there are no rows of values"));
  EXPECT_THAT(csvError("t,u\n0.1,3.3\n0.2,3.2\n"), HasSubstr("no column holds levels"));
  CsvLayout layout = *guessCsvLayout(good, true, 0);
  layout.columns[1].use = CsvUse::Time;
  EXPECT_THAT(csvError(good, {0, 0, layout}), HasSubstr("more than one column is the time"));
}

TEST(CsvReader, TimesCountFromZeroUnlessTheyBeginSoLateThatNoRoomIsLeft)
{
  // A quarter of 2^63 ps, and one more.
  const auto edgesFrom = [](const std::string& rest) {
    const std::string text = "t [s],a\n2305843.0092136939" + rest + ",0\n2305844.0092136939" + rest + ",1\n";
    return textOf(csvCapture(text).channels.at(0).track);
  };
  EXPECT_EQ(edgesFrom("51"), "0 2305844009213693951");
  EXPECT_EQ(edgesFrom("52"), "0 1000000000000");
}

TEST(CsvReader, ACutEndIsPassedOverWithANote)
{
  const std::string good = "t [s],a,b\n0.1,0,1\n0.2,0,0\n0.3,1,1\n";
  const Capture cut = csvCapture(good + "0.4,");
  EXPECT_EQ(cut.end, Picoseconds{300000000000});
  EXPECT_THAT(cut.notes, ElementsAre("the last line is cut; it is passed over"));
  EXPECT_EQ(csvCapture(good + "0.4,0,0").end, Picoseconds{400000000000});
  EXPECT_TRUE(csvCapture(good + "  ").notes.empty());
}

TEST(CsvReader, NamesAreToldApartAndBitsMakeNumbers)
{
  const Capture capture = csvCapture("t [s],a,a,n[2],n[1],n[0],m[0],m[1]\n0,0,1,0,0,1,1,1\n1,1,1,0,1,0,1,0\n");
  EXPECT_EQ(capture.channels.at(1).path, "a#2");
  ASSERT_EQ(capture.vectors.size(), 1U);
  EXPECT_EQ(capture.vectors[0].path, "n[2:0]");
  EXPECT_EQ(capture.vectors[0].firstChannel, 2U);
  EXPECT_EQ(capture.vectors[0].width, 3U);
}

TEST(CsvReader, ALayoutThatSomebodySetIsFollowed)
{
  const std::string text = "t,a,b\n1,0,1\n2,1,1\n5,0,0\n";
  CsvLayout layout = *guessCsvLayout(text, true, 0);
  layout.unitPower = 6;
  layout.unitKnown = true;
  layout.columns[1] = {"clock", CsvUse::Level};
  layout.columns[2].use = CsvUse::Ignored;
  const Capture capture = csvCapture(text, {0, 0, layout});
  ASSERT_EQ(capture.channels.size(), 1U);
  EXPECT_EQ(capture.channels[0].name, "clock");
  EXPECT_EQ(textOf(capture.channels[0].track), "0 2000000 5000000");
}

TEST(CsvReader, WrittenAndReadItIsTheSame)
{
  const Folder folder;
  NoProgress progress;
  Capture capture = capturedFor(20000, 5);
  capture.trigger = Picoseconds{1234567000};
  capture.channels[1].path = "odd, \"name\"";
  capture.channels[2].path = "n[1]";
  capture.channels[3].path = "n[0]";
  capture.vectors = {{"n[1:0]", {}, 2, 2}};
  nameChannels(capture);
  capture.end += Picoseconds{5000};
  for (const char* name : {"a.csv", "a.csv.gz"}) {
    ASSERT_TRUE(writeCsv(capture, folder / name, {}));
    const auto back = readCsv(folder / name, {}, {}, progress);
    ASSERT_TRUE(back) << back.error().text();
    EXPECT_TRUE(sameTracks(*back, capture));
    EXPECT_EQ(back->end, capture.end);
    EXPECT_EQ(back->trigger, capture.trigger);
    EXPECT_EQ(back->tick, capture.tick);
    EXPECT_EQ(back->vectors.at(0).path, "n[1:0]");
    EXPECT_EQ(back->channels[1].name, "odd, \"name\"");
    EXPECT_TRUE(back->notes.empty());
  }
  EXPECT_FALSE(writeCsv(capture, folder / "none/a.csv", {}));
}

TEST(CsvReader, AFileInPiecesIsTheTextInOne)
{
  const Folder folder;
  NoProgress progress;
  std::string text = "t [ns],a,b,c\r\n";
  for (int i = 0; i < 300000; ++i)
    text += std::to_string(i * 3) + ',' + std::to_string(i / 3 % 2) + ',' + std::to_string(i / 5 % 2) + ",z\r\n";
  put(folder / "a.csv", text);
  const auto file = readCsv(folder / "a.csv", {}, {}, progress);
  ASSERT_TRUE(file) << file.error().text();
  EXPECT_TRUE(sameTracks(*file, csvCapture(text)));
  EXPECT_EQ(file->channels[0].track.size(), 99999U);
  EXPECT_NEAR(file->rate, 1e9 / 3, 1);
  put(folder / "b.csv", text + std::string(2000000, '1'));
  EXPECT_THAT(readCsv(folder / "b.csv", {}, {}, progress).error().text(), HasSubstr("half a million characters"));
  std::stop_source stop;
  stop.request_stop();
  EXPECT_EQ(readCsv(folder / "a.csv", {}, stop.get_token(), progress).error().code, ErrorCode::Cancelled);
}
