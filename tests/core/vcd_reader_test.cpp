#include "core/format/vcd_reader.h"

#include <cstdlib>
#include <filesystem>
#include <fstream>

#include "core/format/vcd_parser.h"
#include "core/format/vcd_writer.h"
#include "rig/lock_cycle.h"
#include "support/waves.h"

using namespace bexto;
using namespace bexto::test;

namespace {

Result<Capture> read(const std::string& text)
{
  NoProgress none;
  return parseVcd(text, "bench.vcd", std::stop_token(), none);
}

const std::string kHead = "$timescale 1 ns $end\n$var wire 1 ! a $end\n$enddefinitions $end\n";

std::string vcdError(const std::string& text)
{
  const auto capture = read(text);
  return capture ? "no error" : capture.error().text();
}

std::vector<std::int64_t> edges(const Result<Capture>& capture, const std::string& name)
{
  if (!capture)
    return {-1};
  return timesOf(capture->channels[*capture->find(name)].track);
}

}  // namespace

TEST(VcdReader, TheTriggerComesBackAsItWasWritten)
{
  Capture capture;
  capture.tick = Picoseconds{1000};
  capture.end = Picoseconds{5000000};
  capture.trigger = Picoseconds{1200000};
  capture.channels.push_back({"a", "a", trackOf(false, {1000, 2000})});
  NoProgress none;
  EXPECT_EQ(parseVcd(vcdText(capture), "t", std::stop_token(), none)->trigger, capture.trigger);
  capture.trigger = Picoseconds{0};
  EXPECT_EQ(parseVcd(vcdText(capture), "t", std::stop_token(), none)->trigger, capture.trigger) << "at its very begin";
  capture.trigger.reset();
  EXPECT_EQ(parseVcd(vcdText(capture), "t", std::stop_token(), none)->trigger, std::nullopt);
}

TEST(VcdReader, ReadsScalarsInTheFilesUnit)
{
  const auto c = read(kHead + "#0\n0!\n#5\n1!\n#9\n0!\n#20\n");
  EXPECT_EQ(edges(c, "a"), (std::vector<std::int64_t>{5000, 9000}));
  EXPECT_EQ(c->end, Picoseconds{20000});
  EXPECT_EQ(c->tick, Picoseconds{1000});
}

TEST(VcdReader, TakesEveryUnitOfTheStandard)
{
  for (const auto& [unit, picoseconds] : std::vector<std::pair<std::string, std::int64_t>>{{"1ps", 1},
                                                                                           {"10 ps", 10},
                                                                                           {"100\nns", 100000},
                                                                                           {"1us", 1000000},
                                                                                           {"10ms", 10000000000},
                                                                                           {"1s", 1000000000000}}) {
    const auto c = read("$timescale " + unit + " $end $var wire 1 ! a $end $enddefinitions $end #0 0! #3 1!");
    EXPECT_EQ(edges(c, "a"), (std::vector<std::int64_t>{3 * picoseconds})) << unit;
  }
}

TEST(VcdReader, RoundsFemtosecondsToPicoseconds)
{
  const auto c =
      read("$timescale 1 fs $end $var wire 1 ! a $end $enddefinitions $end #0 0! #1499 1! #1500 0! #2600 1! #2700 0!");
  EXPECT_EQ(edges(c, "a"), (std::vector<std::int64_t>{1, 2}));
}

TEST(VcdReader, EveryBitOfAVectorIsAChannel)
{
  const auto c = read(
      "$timescale 1ns $end $scope module top $end $var wire 4 v bus [3:0] $end $var wire 2 w up [0:1] $end $upscope "
      "$end "
      "$enddefinitions $end #0 b0 v b10 w #1 b101 v #2 bx v #3 b1111 v");
  EXPECT_EQ(edges(c, "bus[0]"), (std::vector<std::int64_t>{1000}));
  EXPECT_EQ(edges(c, "bus[1]"), (std::vector<std::int64_t>{3000}));
  EXPECT_EQ(edges(c, "bus[2]"), (std::vector<std::int64_t>{1000}));
  EXPECT_EQ(edges(c, "top.bus[3]"), (std::vector<std::int64_t>{3000}));
  EXPECT_TRUE(c->channels[*c->find("up[0]")].track.startLevel());
  EXPECT_FALSE(c->channels[*c->find("up[1]")].track.startLevel());
}

TEST(VcdReader, UnknownLevelsKeepTheLastKnownOne)
{
  const auto c = read(kHead + "#0 x! #5 1! #6 z! #7 1! #8 0! #9 x! #12 0!\n");
  EXPECT_TRUE(c->channels[0].track.startLevel());
  EXPECT_EQ(edges(c, "a"), (std::vector<std::int64_t>{8000}));
}

TEST(VcdReader, DumpOffAndOnLeaveNoTrace)
{
  const auto c =
      read(kHead + "#0\n$dumpvars\n0!\n$end\n#5\n1!\n#6\n$dumpoff\nx!\n$end\n#90\n$dumpon\n1!\n$end\n#95\n0!\n");
  EXPECT_EQ(edges(c, "a"), (std::vector<std::int64_t>{5000, 95000}));
}

TEST(VcdReader, CommentsMayHoldAnything)
{
  const auto c = read("$comment #5 1! $endless $end " + kHead + "#0 0! $comment #3 1! b1 ! $end #4 1!");
  EXPECT_EQ(edges(c, "a"), (std::vector<std::int64_t>{4000}));
}

TEST(VcdReader, RealsTextsAndEventsArePassedOverWithANote)
{
  const auto good = read(
      "$timescale 1ns $end $var real 64 r vdd $end $var wire 1 ! a $end $var event 1 e tick $end "
      "$enddefinitions $end #0 r3.3 r 0! 1e #2 r1e-9 r 1! 1e shello r");
  EXPECT_EQ(edges(good, "a"), (std::vector<std::int64_t>{2000}));
  ASSERT_EQ(good->notes.size(), 1U);
  EXPECT_EQ(good->notes[0], "2 variables with real numbers, text or events are passed over");
}

TEST(VcdReader, WindowsLineEndsReadTheSame)
{
  const auto c =
      read("$timescale 1 ns $end\r\n$var wire 1 ! a $end\r\n$enddefinitions $end\r\n#0\r\n0!\r\n#7\r\n1!\r\n");
  EXPECT_EQ(edges(c, "a"), (std::vector<std::int64_t>{7000}));
}

TEST(VcdReader, LongIdentifiersWork)
{
  const auto c = read(
      "$timescale 1ns $end $var wire 1 abcdefgh a $end $var wire 1 ~~~ b $end $enddefinitions $end "
      "#0 0abcdefgh 1~~~ #3 1abcdefgh #4 0~~~");
  EXPECT_EQ(edges(c, "a"), (std::vector<std::int64_t>{3000}));
  EXPECT_EQ(edges(c, "b"), (std::vector<std::int64_t>{4000}));
}

TEST(VcdReader, ChangesBackAtOneTimeAreNoTransition)
{
  EXPECT_EQ(edges(read(kHead + "#0 0! #5 1! 0! #6 1!"), "a"), (std::vector<std::int64_t>{6000}));
  EXPECT_EQ(edges(read(kHead + "#0 0! #5 1! #5 0! #6 1!"), "a"), (std::vector<std::int64_t>{6000}));
}

TEST(VcdReader, ALastLineThatIsCutOffCostsOnlyItself)
{
  const auto c = read(kHead + "#0\n0!\n#5\n1!\n#9\n0");
  EXPECT_EQ(edges(c, "a"), (std::vector<std::int64_t>{5000}));
  ASSERT_EQ(c->notes.size(), 1U);
  EXPECT_EQ(c->notes[0], "the file breaks off in line 9; it is read up to there");
}

TEST(VcdReader, MalformedFilesSayWhatAndWhere)
{
  EXPECT_EQ(vcdError(""), "bench.vcd: the file is empty; record it again");
  EXPECT_EQ(vcdError(std::string("\x7f"
                                 "ELF\x02\x01",
                                 6) +
                     std::string(100, '\0')),
            "bench.vcd, line 1: it does not begin like a value change dump; open a VCD file");
  EXPECT_EQ(
      vcdError("$timescale 1 ns $end\n$var wire 1 ! a $end\n"),
      "bench.vcd, line 3: the file ends inside its header, before $enddefinitions; it is cut off; write it again");
  EXPECT_EQ(vcdError("$timescale 3 ns $end\n" + kHead),
            "bench.vcd, line 1: '3ns' is no time unit; 1, 10 or 100 with s, ms, us, ns, ps or fs is");
  EXPECT_EQ(vcdError("$timescale 1 ns $end $enddefinitions $end\n"),
            "bench.vcd: the file declares no wire; dump at least one scalar or vector");
  EXPECT_EQ(vcdError(kHead + "#0\n0!\n#5\n1?\n#6\n"), "bench.vcd, line 7: the identifier '?' was not declared");
  EXPECT_EQ(vcdError(kHead + "#10\n0!\n#5\n1!\n"),
            "bench.vcd, line 6: the time goes back, from 10 to 5; sort the file or read its parts one by one");
  EXPECT_EQ(vcdError(kHead + "#99999999999999999999\n0!\n"),
            "bench.vcd, line 4: a time is beyond 53 days; check the file's $timescale");
  EXPECT_EQ(vcdError(kHead + "hello\n0!\n"), "bench.vcd, line 4: the identifier 'ello' was not declared");
  EXPECT_EQ(vcdError(kHead + "?\n0!\n"),
            "bench.vcd, line 4: this is no time, value or keyword; the file may be damaged, or no VCD");
  EXPECT_EQ(vcdError("$upscope $end\n" + kHead), "bench.vcd, line 1: $upscope without a $scope");
  EXPECT_EQ(vcdError("$var wire 1 $end\n" + kHead),
            "bench.vcd, line 1: $var needs a type, a width, an identifier and a name");
}

TEST(VcdReader, CutAtAnyByteItReadsOnOrSaysWhy)
{
  const std::string text = kHead + "#0\n$dumpvars\n0!\n$end\n#5\n1!\n$comment c $end\n#900\n0!\n";
  for (std::size_t size = 0; size < text.size(); ++size) {
    const auto capture = read(text.substr(0, size));
    if (size < kHead.size() - 1)
      EXPECT_FALSE(capture) << size;
    else
      EXPECT_TRUE(capture) << size << ": " << (capture ? "" : capture.error().text());
  }
}

TEST(VcdReader, AnyByteMayBeDamagedWithoutHarm)
{
  const std::string text = kHead + "#0\n0!\n#5\n1!\n#7\nb1 !\n#900\n0!\n";
  for (std::size_t at = 0; at < text.size(); ++at) {
    for (const char c : {'\0', '\xff', '#', '$', 'b', ' ', '9'}) {
      std::string damaged = text;
      damaged[at] = c;
      const auto capture = read(damaged);
      if (!capture) {
        EXPECT_EQ(capture.error().code, ErrorCode::Malformed);
      }
    }
  }
}

TEST(VcdReader, AnyPiecesGiveTheWholeCapture)
{
  // Values of several words, comments and long names lie across the ends of pieces.
  const std::string text =
      "$comment $enddefinitions is not here $end $timescale 1 ns $end\n$var wire 1 !abcd GPIO 1 $end\n"
      "$var wire 9 # v [8:0] $end\n$var port 1 <0 p $end\n$enddefinitions\n$end\n#0\n$dumpvars\n0!abcd\nb0   #\n$end\n"
      "pU 0 6 <0\n#5 1!abcd\n$comment #7 0!abcd cost$end $endless\n#8 $end\n#11\nb101xx1\n#\n#12\npL\n6\n0\n<0\n"
      "#13 0!abcd\nb111111111 # #20 1!abcd";
  const auto whole = read(text);
  ASSERT_TRUE(whole) << whole.error().text();
  EXPECT_EQ(edges(whole, "GPIO 1"), (std::vector<std::int64_t>{5000, 13000, 20000}));
  for (std::size_t piece = 1; piece < text.size(); ++piece) {
    VcdParser parser("bench.vcd");
    for (std::size_t at = 0; at <= text.size(); at += piece) {
      const std::string_view part = std::string_view(text).substr(at, piece);
      std::copy(part.begin(), part.end(), parser.room(part.size()).begin());
      const bool last = at + piece > text.size();
      const auto taken = parser.take(part.size(), last ? VcdParser::Until::End : VcdParser::Until::Word);
      ASSERT_TRUE(taken) << piece << ": " << taken.error().text();
    }
    const Capture c = parser.capture();
    ASSERT_EQ(c.channels.size(), whole->channels.size()) << piece;
    EXPECT_EQ(c.end, whole->end);
    EXPECT_EQ(c.notes, whole->notes);
    for (std::size_t i = 0; i < c.channels.size(); ++i)
      EXPECT_EQ(timesOf(c.channels[i].track), timesOf(whole->channels[i].track)) << piece << " " << c.channels[i].path;
  }
}

TEST(VcdReader, AnErrorInALaterPieceNamesTheLineOfTheFile)
{
  std::string text = kHead;
  for (int i = 0; i < 200000; ++i)
    text += "#" + std::to_string(i) + "\n" + (i % 2 == 0 ? "0!\n" : "1!\n");
  ASSERT_GT(text.size(), kVcdPiece);
  EXPECT_EQ(vcdError(text + "#7\n1!\n"),
            "bench.vcd, line 400004: the time goes back, from 199999 to 7; sort the file or read its parts one by one");
  EXPECT_EQ(read(text + "#200000\n1")->notes.back(), "the file breaks off in line 400005; it is read up to there");
}

TEST(VcdReader, AWordWithoutEndIsNoDump)
{
  EXPECT_EQ(vcdError(kHead + "#0\nb" + std::string(3 << 20, '1')),
            "bench.vcd, line 5: a word has more than a million characters; the file may be damaged, or no VCD");
}

TEST(VcdReader, ValuesWithOtherDigitsAreRefused)
{
  EXPECT_EQ(vcdError(kHead + "#0\nb102 !\n#9\n"), "bench.vcd, line 5: '2' is no digit of a value");
  EXPECT_EQ(vcdError(kHead + "#0\nb !\n#9\n"), "bench.vcd, line 5: a value has no digits");
  EXPECT_EQ(vcdError(kHead + "#0\npQ 0 6 !\n#9\n"), "bench.vcd, line 5: 'Q' is no digit of a value");
}

TEST(VcdReader, NamesKeepWhatTheFileSays)
{
  const auto c = read(
      "$timescale 1ns $end $var wire 1 ! GPIO 1 $end $var wire 1 \" GPIO 2 $end $var wire 8 # mem [3] [7:0] $end "
      "$var wire 2 ) pair [1 : 0] $end $var wire 1 $ A,B $end $var wire 1 % \xff\xe2\x80x $end $var wire 1 & "
      "caf\xc3\xa9 $end "
      "$enddefinitions $end #0 0! 1\" #5 1!");
  ASSERT_TRUE(c) << c.error().text();
  EXPECT_EQ(c->channels[0].path, "GPIO 1");
  EXPECT_EQ(edges(c, "GPIO 1"), (std::vector<std::int64_t>{5000}));
  EXPECT_TRUE(c->channels[*c->find("GPIO 2")].track.startLevel());
  EXPECT_EQ(c->channels[2].path, "mem[3][7]");
  EXPECT_EQ(c->channels[9].path, "mem[3][0]");
  EXPECT_EQ(c->channels[10].path, "pair[1]");
  EXPECT_EQ(c->channels[11].path, "pair[0]");
  EXPECT_EQ(c->channels[12].path, "A,B");
  EXPECT_EQ(c->channels[13].path, "\\xFF\\xE2\\x80x") << "bytes that are no text, but can be typed";
  EXPECT_EQ(c->channels[14].path, "caf\xc3\xa9");
}

TEST(ReadableName, KeepsEveryCharacterOfUtf8AndWritesAllOtherBytes)
{
  // The first and last of each length, and of each range that RFC 3629, 4, sets apart.
  for (const char* kept : {" ", "~", "\xc2\xa0", "\xdf\xbf", "\xe0\xa0\x80", "\xe1\x80\x80", "\xed\x9f\xbf",
                           "\xee\x80\x80", "\xef\xbf\xbd", "\xf0\x90\x80\x80", "\xf1\x80\x80\x80", "\xf4\x8f\xbf\xbf"})
    EXPECT_EQ(readableName(kept), kept);
  const std::vector<std::pair<const char*, const char*>> written{{"\x7f", "\\x7F"},
                                                                 {"\x1f", "\\x1F"},
                                                                 {"\xc2\x9f", "\\xC2\\x9F"},
                                                                 {"\xc1\xbf", "\\xC1\\xBF"},
                                                                 {"\xdf", "\\xDF"},
                                                                 {"\xe0\x9f\xbf", "\\xE0\\x9F\\xBF"},
                                                                 {"\xed\xa0\x80", "\\xED\\xA0\\x80"},
                                                                 {"\xef\xbf", "\\xEF\\xBF"},
                                                                 {"\xf0\x8f\xbf\xbf", "\\xF0\\x8F\\xBF\\xBF"},
                                                                 {"\xf4\x90\x80\x80", "\\xF4\\x90\\x80\\x80"},
                                                                 {"\xf5\x80\x80\x80", "\\xF5\\x80\\x80\\x80"},
                                                                 {"\x80", "\\x80"},
                                                                 {"a\xffz", "a\\xFFz"}};
  for (const auto& [bytes, text] : written)
    EXPECT_EQ(readableName(bytes), text);
}

TEST(VcdReader, DifferentWiresOfOneNameAreToldApart)
{
  const auto c = read(
      "$timescale 1ns $end $var wire 1 ! a $end $var wire 1 \" a $end $var wire 1 ! a $end $enddefinitions $end "
      "#0 0! 0\" #5 1! #7 1\"");
  ASSERT_TRUE(c);
  EXPECT_EQ(edges(c, "a"), (std::vector<std::int64_t>{5000}));
  EXPECT_EQ(edges(c, "a#2"), (std::vector<std::int64_t>{7000}));
  EXPECT_EQ(c->channels[2].path, "a") << "one wire that is named twice is one wire";
  EXPECT_EQ(c->notes, std::vector<std::string>{"1 wire has the full name of another; a number is added to it"});
}

TEST(VcdReader, KnowsWhichBitsAreOneNumber)
{
  const auto c = read(
      "$timescale 1ns $end $scope module top $end $var wire 1 ! a $end $var wire 3 v bus [2:0] $end "
      "$var wire 2 w up [0:1] $end $upscope $end $enddefinitions $end #0 b0 v");
  ASSERT_TRUE(c);
  ASSERT_EQ(c->vectors.size(), 2U);
  EXPECT_EQ(c->vectors[0].path, "top.bus[2:0]");
  EXPECT_EQ(c->vectors[0].name, "bus[2:0]");
  EXPECT_EQ(c->vectors[0].firstChannel, 1U);
  EXPECT_EQ(c->vectors[0].width, 3U);
  EXPECT_EQ(c->vectors[1].name, "up[0:1]");
  EXPECT_EQ(c->vectors[1].firstChannel, 4U);
}

TEST(VcdReader, AnExtendedDumpIsReadForItsLevels)
{
  const auto c = read(
      "$timescale 1ns $end $scope module top $end $var port 1 <0 clk $end $var port [3:0] <1 bus $end $upscope $end "
      "$enddefinitions $end #0 $dumpports pD 6 0 <0 pLLHH 6666 0066 <1 $end #5 pU 0 6 <0 #8 pN 0 0 <0 #9 pD 6 0 <0 "
      "#10 pHHLL 0 6 <1 #12 p0 6 0 <0 #15 $vcdclose #20 $end");
  ASSERT_TRUE(c) << c.error().text();
  EXPECT_EQ(edges(c, "clk"), (std::vector<std::int64_t>{5000, 9000}));
  EXPECT_EQ(edges(c, "bus[3]"), (std::vector<std::int64_t>{10000}));
  EXPECT_TRUE(c->channels[*c->find("bus[0]")].track.startLevel());
  EXPECT_EQ(c->end, Picoseconds{20000});
}

TEST(VcdReader, StopsWhenAsked)
{
  std::stop_source stop;
  stop.request_stop();
  NoProgress none;
  const auto capture = parseVcd(kHead + "#0 0!", "bench.vcd", stop.get_token(), none);
  ASSERT_FALSE(capture);
  EXPECT_EQ(capture.error().code, ErrorCode::Cancelled);
}

TEST(VcdReader, ProgressRisesToOne)
{
  class Recorder final : public Progress {
   public:
    void report(double fraction) override { seen.push_back(fraction); }
    std::vector<double> seen;
  };
  std::string text = kHead;
  for (int i = 0; i < 400000; ++i)
    text += "#" + std::to_string(i) + "\n" + (i % 2 == 0 ? "0!\n" : "1!\n");
  Recorder recorder;
  ASSERT_TRUE(parseVcd(text, "bench.vcd", std::stop_token(), recorder));
  EXPECT_GT(recorder.seen.size(), 3U);
  EXPECT_TRUE(std::is_sorted(recorder.seen.begin(), recorder.seen.end()));
  EXPECT_EQ(recorder.seen.back(), 1.0);
}

TEST(VcdReader, MissingFilesAndFoldersAreNamed)
{
  NoProgress none;
  EXPECT_EQ(readVcd("/nowhere/x.vcd", std::stop_token(), none).error().text(),
            "/nowhere/x.vcd: cannot be read: No such file or directory; check the name");
  EXPECT_EQ(readVcd("/tmp", std::stop_token(), none).error().code, ErrorCode::Unreadable);
}

TEST(VcdWriter, WhatItWritesReadsBackTheSame)
{
  const rig::LockCycle cycle = rig::simulateLockCycle(5);
  const std::string path = testing::TempDir() + "round.vcd";
  ASSERT_TRUE(writeVcd(cycle.capture, path));
  NoProgress none;
  const auto back = readVcd(path, std::stop_token(), none);
  std::filesystem::remove(path);
  ASSERT_TRUE(back);
  EXPECT_EQ(back->end, cycle.capture.end);
  EXPECT_EQ(back->tick, cycle.capture.tick);
  ASSERT_EQ(back->channels.size(), 13U);
  for (std::size_t i = 0; i < 11; ++i) {
    EXPECT_EQ(back->channels[i].path, cycle.capture.channels[i].path);
    EXPECT_EQ(back->channels[i].track.startLevel(), cycle.capture.channels[i].track.startLevel());
    EXPECT_EQ(timesOf(back->channels[i].track), timesOf(cycle.capture.channels[i].track));
  }
}

TEST(VcdWriter, ScopesSurviveTheRoundTrip)
{
  Capture capture;
  capture.end = Picoseconds{100000};
  capture.tick = Picoseconds{1000};
  capture.channels = {
      {"top.a.x", {}, trackOf(false, {5000})}, {"top.b.y", {}, trackOf(true, {6000})}, {"z", {}, trackOf(true, {})}};
  const std::string path = testing::TempDir() + "scopes.vcd";
  ASSERT_TRUE(writeVcd(capture, path));
  NoProgress none;
  const auto back = readVcd(path, std::stop_token(), none);
  std::filesystem::remove(path);
  ASSERT_TRUE(back);
  EXPECT_EQ(back->channels[0].path, "top.a.x");
  EXPECT_EQ(back->channels[1].path, "top.b.y");
  EXPECT_EQ(back->channels[2].path, "z");
}
