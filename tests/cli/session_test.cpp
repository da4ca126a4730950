#include <nlohmann/json.hpp>
#include <tuple>

#include "core/format/vcd_reader.h"
#include "core/store/session_recorder.h"
#include "core/store/session_store.h"
#include "support/cli_run.h"

using namespace bexto;
using namespace bexto::test;

namespace {

class CliSession : public CliTest {
 protected:
  /// A session of the four buses sample, with one of its buses set up and a second segment.
  std::string session() const
  {
    NoProgress progress;
    SessionFile file;
    addBus(file.session, *parseBusSpec("talk=uart,rx=con_rx,baud=115200"));
    setConditioning(file.session, "con_rx", {Picoseconds{50000}, false});
    const auto first = readVcd(data("mixed_four.vcd"), {}, progress);
    const auto second = readVcd(data("uart_break.vcd"), {}, progress);
    EXPECT_TRUE(first && second);
    file.segments.push_back({"cold start", "", "", true, std::make_shared<const Capture>(*first)});
    file.segments.push_back({"warm", "", "", true, std::make_shared<const Capture>(*second)});
    EXPECT_TRUE(writeSession(path("s.bexto"), file, {}, progress));
    return path("s.bexto");
  }
};

}  // namespace

TEST_F(CliSession, IsReadWhereverACaptureIs)
{
  const std::string s = session();
  const std::string spec = "talk=uart,rx=con_rx,baud=115200";
  const Outcome plain = run("decode " + data("mixed_four.vcd") + " --bus " + spec);
  ASSERT_FALSE(plain.out.empty()) << plain.err;
  EXPECT_EQ(run("decode " + s).out, plain.out) << "its own buses, when none is given";
  EXPECT_EQ(run("decode " + s + " --bus " + spec).out, plain.out);
  EXPECT_EQ(run("decode " + s + " --filter talk").out, plain.out) << "a filter knows its buses";
  EXPECT_EQ(run("decode " + s + " --filter 'bus:talk value<5'").status, 0);
  const Outcome info = run("info " + s + " --format text");
  EXPECT_NE(info.out.find("buses\n" + spec), std::string::npos) << info.out;
  EXPECT_NE(info.out.find(">  1  cold start\n   2  warm\n"), std::string::npos) << info.out;
}

TEST_F(CliSession, ASegmentIsChosenByNameOrNumber)
{
  const std::string s = session();
  const std::string spec = " --bus u=uart,rx=rx,baud=9600";
  const std::string wanted = run("decode " + data("uart_break.vcd") + spec).out;
  ASSERT_FALSE(wanted.empty());
  EXPECT_EQ(run("decode " + s + spec + " --segment warm").out, wanted);
  EXPECT_EQ(run("decode " + s + spec + " --segment 2").out, wanted);
  const Outcome none = run("decode " + s + spec + " --segment 3");
  EXPECT_EQ(none.status, 2);
  EXPECT_EQ(none.err, "bexto-cli: " + s + ": there is no segment '3'; there are 1 to 2; `bexto-cli info` lists them\n");
}

TEST_F(CliSession, RowsAndSamplesThereAndBackAreTheSame)
{
  NoProgress progress;
  const auto before = readVcd(data("uart_break.vcd"), {}, progress);
  ASSERT_TRUE(before);
  for (const char* name : {"a.csv", "a.csv.gz"}) {
    ASSERT_EQ(run("convert " + data("uart_break.vcd") + " " + path(name)).status, 0);
    ASSERT_EQ(run("convert " + path(name) + " " + path("b.bexto")).status, 0);
    ASSERT_EQ(run("convert " + path("b.bexto") + " " + path("c.csv")).status, 0);
    ASSERT_EQ(run("convert " + path("c.csv") + " " + path("d.vcd")).status, 0);
    EXPECT_TRUE(sameTracks(*readVcd(path("d.vcd"), {}, progress), *before)) << name;
  }
  // Samples: what they show comes back bit by bit, by way of all others.
  ASSERT_EQ(run("convert " + data("mixed_four.vcd") + " " + path("a.bin") + " --raw-rate 24e6").status, 0);
  const std::string how = " --raw-rate 24e6 --raw-channels ";
  const std::string info = run("info " + data("mixed_four.vcd")).out;
  const std::string channels = std::to_string(std::count(info.begin(), info.end(), '\n'));
  ASSERT_EQ(run("convert " + path("a.bin") + " " + path("b.bexto") + how + channels).status, 0);
  ASSERT_EQ(run("convert " + path("b.bexto") + " " + path("c.bin.gz")).status, 0) << "a session keeps the rate";
  ASSERT_EQ(run("convert " + path("c.bin.gz") + " " + path("d.bin") + how + channels).status, 0);
  EXPECT_EQ(contentOf(path("d.bin")), contentOf(path("a.bin")));
  ASSERT_FALSE(contentOf(path("a.bin")).empty());
}

TEST_F(CliSession, WhatAFileDoesNotSayHasToBeSaid)
{
  put(path("a.bin"), "\x01\x02\x01");
  EXPECT_EQ(
      run("info " + path("a.bin")).err,
      "bexto-cli: " + path("a.bin") +
          ": packed samples do not say how many channels they have, and how fast they are; give --raw-channels N and "
          "--raw-rate HZ\n");
  EXPECT_EQ(run("info " + path("a.bin")).status, 2);
  EXPECT_EQ(run("info " + path("a.bin") + " --raw-rate 1000 --raw-channels 2 --format csv").out,
            "channel,kind,first_level,transitions,end_ps,period_ps\r\n"
            "D0,digital,1,2,2000000000,1000000000\r\nD1,digital,0,2,2000000000,1000000000\r\n");
  for (const char* odd :
       {"--raw-rate 0.00001", "--raw-rate x", "--raw-rate -5", "--raw-channels -1", "--raw-channels 9999"})
    EXPECT_EQ(run("info " + path("a.bin") + " --raw-rate 1000 --raw-channels 2 " + odd).status, 2) << odd;
  // Rows of text say what they are, whatever they are called.
  put(path("rows"), "t [ms];a\n0,5;0\n0,75;1\n1;0\n");
  EXPECT_EQ(run("info " + path("rows") + " --format csv").out,
            "channel,kind,first_level,transitions,end_ps,period_ps\r\na,digital,0,2,1000000000,10000000\r\n");
  put(path("samples.csv"), "a,b\n0,1\n1,1\n");
  EXPECT_NE(run("info " + path("samples.csv")).err.find("give the rate with --raw-rate HZ"), std::string::npos);
  EXPECT_EQ(run("info " + path("samples.csv") + " --raw-rate 1000").status, 0);
}

TEST_F(CliSession, EveryFormatThereAndBackIsTheSame)
{
  for (const char* name : {"can_std_500k.vcd", "spi_mode3.vcd", "i2c_10bit.vcd", "mixed_four.vcd"}) {
    ASSERT_EQ(run("convert " + data(name) + " " + path("a.bexto")).status, 0);
    ASSERT_EQ(run("convert " + path("a.bexto") + " " + path("b.vcd.gz")).status, 0);
    ASSERT_EQ(run("convert " + path("b.vcd.gz") + " " + path("c.bexto")).status, 0);
    ASSERT_EQ(run("convert " + path("c.bexto") + " " + path("d.vcd")).status, 0);
    NoProgress progress;
    const auto before = readVcd(data(name), {}, progress);
    const auto after = readVcd(path("d.vcd"), {}, progress);
    ASSERT_TRUE(before && after);
    EXPECT_TRUE(sameTracks(*before, *after)) << name;
    EXPECT_EQ(before->end, after->end);
    EXPECT_LT(contentOf(path("b.vcd.gz")).size(), contentOf(path("d.vcd")).size() / 2);
  }
}

TEST_F(CliSession, OneSegmentCanBeTakenOut)
{
  const std::string s = session();
  ASSERT_EQ(run("convert " + s + " " + path("one.bexto") + " --segment warm").status, 0);
  const auto opened = SessionStore::open(path("one.bexto"));
  ASSERT_TRUE(opened);
  ASSERT_EQ(opened->file.segments.size(), 1U);
  EXPECT_EQ(opened->file.segments[0].name, "warm");
  EXPECT_EQ(opened->file.session.buses.size(), 1U);
  ASSERT_EQ(run("convert " + s + " " + path("all.bexto")).status, 0);
  EXPECT_EQ(SessionStore::open(path("all.bexto"))->file.segments.size(), 2U);
}

TEST_F(CliSession, WhatIsWrongIsOneLineAndItsStatus)
{
  const std::string s = session();
  put(path("cut.bexto"), contentOf(s).substr(0, 20000));
  put(path("no.bexto"), "SQLite format 3 it is not");
  for (const auto& [arguments, status, text] : std::vector<std::tuple<std::string, int, std::string>>{
           {"info " + path("cut.bexto"), 3, "cut.bexto: the session file is cut off: 20000 of"},
           {"decode " + path("cut.bexto"), 3, "get it again from where it was copied from"},
           {"convert " + s + " " + path("x.png"), 2, "no format ends like"},
           {"convert " + s + " " + s, 2, "the output would replace the capture"},
           {"convert " + s + " /nowhere/x.bexto", 4, "/nowhere/x.bexto: cannot be written"},
           {"convert " + s + " /dev/null/x.vcd", 4, "cannot be written"}}) {
    const Outcome o = run(arguments + " --quiet");
    EXPECT_EQ(o.status, status) << arguments << "\n" << o.err;
    EXPECT_NE(o.err.find(text), std::string::npos) << arguments << "\n" << o.err;
    EXPECT_EQ(std::count(o.err.begin(), o.err.end(), '\n'), 1) << o.err;
  }
}

TEST_F(CliSession, WhatCannotBeReadIsNoResult)
{
  NoProgress progress;
  SessionFile file;
  addBus(file.session, *parseBusSpec("talk=uart,rx=w0,baud=115200"));
  file.segments.push_back({"a", "", "", true, std::make_shared<const Capture>(capturedFor(400000, 1))});
  ASSERT_TRUE(writeSession(path("s.bexto"), file, {}, progress));
  std::string bad = contentOf(path("s.bexto"));
  // In the middle of what is mostly deltas.
  for (std::size_t i = bad.size() / 2; i < bad.size() / 2 + 40000; ++i)
    bad[i] = static_cast<char>(bad[i] ^ 0x55);
  put(path("bad.bexto"), bad);
  for (const std::string& command : {"decode " + path("bad.bexto") + " --out " + path("out"),
                                     "convert " + path("bad.bexto") + " " + path("out.vcd")}) {
    const Outcome o = run(command);
    EXPECT_EQ(o.status, 3) << command << o.err;
    EXPECT_NE(o.err.find("the session file is damaged"), std::string::npos) << o.err;
  }
  EXPECT_FALSE(std::filesystem::exists(path("out")));
  EXPECT_FALSE(std::filesystem::exists(path("out.vcd")));
}

TEST_F(CliSession, IsReadWhileItIsRecorded)
{
  auto recorder = SessionRecorder::create(path("live.bexto"));
  ASSERT_TRUE(recorder);
  NoProgress progress;
  ASSERT_TRUE((*recorder)->record(0, {"run", "", "", false, std::make_shared<const Capture>(capturedFor(1000, 1))}, {},
                                  progress));
  const Outcome o = run("info " + path("live.bexto") + " --format jsonl");
  EXPECT_EQ(o.status, 0) << o.err;
  EXPECT_EQ(nlohmann::json::parse(o.out)["transitions"], 1000);
  EXPECT_NE(o.err.find("the recording was cut off"), std::string::npos);
}
