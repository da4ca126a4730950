#include "core/format/vcd_reader.h"

#include <cstdlib>
#include <filesystem>
#include <fstream>

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

std::string errorOf(const std::string& text)
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
  EXPECT_EQ(errorOf(""), "bench.vcd: the file is empty; record it again");
  EXPECT_EQ(errorOf(std::string("\x7f"
                                "ELF\x02\x01",
                                6) +
                    std::string(100, '\0')),
            "bench.vcd, line 1: it does not begin like a value change dump; open a VCD file");
  EXPECT_EQ(
      errorOf("$timescale 1 ns $end\n$var wire 1 ! a $end\n"),
      "bench.vcd, line 3: the file ends inside its header, before $enddefinitions; it is cut off; write it again");
  EXPECT_EQ(errorOf("$timescale 3 ns $end\n" + kHead),
            "bench.vcd, line 1: '3ns' is no time unit; 1, 10 or 100 with s, ms, us, ns, ps or fs is");
  EXPECT_EQ(errorOf("$timescale 1 ns $end $enddefinitions $end\n"),
            "bench.vcd: the file declares no wire; dump at least one scalar or vector");
  EXPECT_EQ(errorOf(kHead + "#0\n0!\n#5\n1?\n#6\n"), "bench.vcd, line 7: the identifier '?' was not declared");
  EXPECT_EQ(errorOf(kHead + "#10\n0!\n#5\n1!\n"),
            "bench.vcd, line 6: the time goes back, from 10 to 5; sort the file or read its parts one by one");
  EXPECT_EQ(errorOf(kHead + "#99999999999999999999\n0!\n"),
            "bench.vcd, line 4: a time is beyond 53 days; check the file's $timescale");
  EXPECT_EQ(errorOf(kHead + "hello\n0!\n"), "bench.vcd, line 4: the identifier 'ello' was not declared");
  EXPECT_EQ(errorOf(kHead + "?\n0!\n"),
            "bench.vcd, line 4: this is no time, value or keyword; the file may be damaged, or no VCD");
  EXPECT_EQ(errorOf("$upscope $end\n" + kHead), "bench.vcd, line 1: $upscope without a $scope");
  EXPECT_EQ(errorOf("$var wire 1 $end\n" + kHead),
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
  ASSERT_EQ(back->channels.size(), 12U);
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
