#include "support/cli_run.h"

#include <cstdio>
#include <filesystem>
#include <fstream>
#include <nlohmann/json.hpp>
#include <sstream>

namespace fs = std::filesystem;
using nlohmann::json;
using namespace bexto::test;

using Cli = CliTest;

TEST_F(Cli, InfoListsTheChannels)
{
  const Outcome o = run("info " + data("i2c_10bit.vcd"));
  ASSERT_EQ(o.status, 0) << o.err;
  const auto lines = linesOf(o.out);
  ASSERT_EQ(lines.size(), 2U);
  EXPECT_EQ(lines[0]["channel"], "tb.scl");
  EXPECT_EQ(lines[0]["kind"], "digital");
  EXPECT_EQ(lines[0]["first_level"], 1);
  EXPECT_GT(lines[0]["transitions"], 100);
  EXPECT_EQ(run("info --format text " + data("i2c_10bit.vcd")).out.substr(0, 13), "i2c_10bit.vcd");
}

TEST_F(Cli, DecodeMergesBusesByStartAndOrder)
{
  const Outcome o =
      run("decode " + data("i2c_end_mid_open.vcd") + " --bus b=i2c,scl=scl2,sda=sda2 --bus a=i2c,scl=scl,sda=sda");
  ASSERT_EQ(o.status, 0) << o.err;
  const auto lines = linesOf(o.out);
  ASSERT_GT(lines.size(), 3U);
  for (std::size_t i = 1; i < lines.size(); ++i)
    EXPECT_LE(lines[i - 1]["start_ps"], lines[i]["start_ps"]);
  EXPECT_EQ(lines[0]["bus"], "a");
}

TEST_F(Cli, KeysStandInTheDocumentedOrder)
{
  const Outcome o = run("decode " + data("uart_break.vcd") + " --bus u=uart,rx=rx,baud=9600");
  EXPECT_EQ(o.out.substr(0, o.out.find('\n')),
            "{\"bus\":\"u\",\"protocol\":\"uart\",\"kind\":\"character\",\"start_ps\":313000000,\"end_ps\":1354666667,"
            "\"errors\":[],\"line\":\"rx\",\"value\":98,\"bits\":8}");
}

TEST_F(Cli, CsvHasAHeaderAndOneRecordAFrame)
{
  const Outcome o = run("decode " + data("uart_break.vcd") + " --format csv --bus u=uart,rx=rx,baud=9600");
  EXPECT_EQ(o.out.substr(0, 44), "bus,protocol,kind,start_ps,end_ps,errors,lin");
  EXPECT_NE(o.out.find("u,uart,break,5000000000,6354000000,,rx,,,,,,,,,,,,,,,,,,,,,\r\n"), std::string::npos);
}

TEST_F(Cli, FromAndToKeepFramesThatBeginBetween)
{
  const Outcome o = run("decode " + data("uart_break.vcd") + " --from 1.3ms --to 3.4ms --bus u=uart,rx=rx,baud=9600");
  const auto lines = linesOf(o.out);
  ASSERT_EQ(lines.size(), 2U);
  EXPECT_EQ(lines[0]["start_ps"], 1354000000);
}

TEST_F(Cli, AFilterKeepsTheFramesForWhichItHolds)
{
  const std::string bus = "decode " + data("uart_break.vcd") + " --bus u=uart,rx=rx,baud=9600";
  const auto all = linesOf(run(bus).out);
  const auto some = linesOf(run(bus + " --filter 'value:62..65 or break'").out);
  std::vector<json> expected;
  for (const json& frame : all) {
    const int value = frame.value("value", 0);
    if (frame["kind"] == "break" || (value >= 0x62 && value <= 0x65))
      expected.push_back(frame);
  }
  EXPECT_EQ(some, expected);
  EXPECT_GT(some.size(), 1U);
  EXPECT_LT(some.size(), all.size());
  const auto late = linesOf(run(bus + " --from 3ms --to 9ms --filter 'break or not break'").out);
  EXPECT_EQ(late, linesOf(run(bus + " --from 3ms --to 9ms").out));
}

TEST_F(Cli, AFilterThatMakesNoSenseSaysWhere)
{
  const Outcome o = run("decode " + data("uart_break.vcd") + " --bus u=uart,rx=rx,baud=9600 --filter 'u valu:62'");
  EXPECT_EQ(o.status, 2);
  EXPECT_EQ(o.err, "bexto-cli: --filter: column 3: there is no key 'valu'; did you mean value:\n");
  EXPECT_EQ(o.out, "");
  EXPECT_NE(run("decode --help").out.find("id:1A0..1AF"), std::string::npos) << "the language is in the help";
}

TEST_F(Cli, TheRigReplaysInItsOwnTime)
{
  const std::string live = path("live.vcd");
  const std::string whole = path("whole.vcd");
  const std::string rig = std::string(BEXTO_BIN) + "/bexto-rig ";
  ASSERT_EQ(std::system((rig + "demo " + whole + " >/dev/null").c_str()), 0);
  const auto begin = std::chrono::steady_clock::now();
  ASSERT_EQ(std::system((rig + "replay --speed 20 " + live + " >/dev/null").c_str()), 0);
  EXPECT_GT(std::chrono::steady_clock::now() - begin, std::chrono::milliseconds{400}) << "8.4 s twenty times as fast";
  EXPECT_EQ(contentOf(live), contentOf(whole));
}

TEST_F(Cli, OutIsWrittenWholeAndReplacesNothingOnFailure)
{
  const std::string out = path("frames.jsonl");
  std::ofstream(out) << "old";
  EXPECT_EQ(run("decode /nowhere.vcd --out " + out + " --bus u=uart,rx=rx,baud=9600").status, 3);
  EXPECT_EQ(contentOf(out), "old");
  EXPECT_EQ(run("decode " + data("uart_break.vcd") + " --out " + out + " --bus u=uart,rx=rx,baud=9600").status, 0);
  EXPECT_EQ(linesOf(contentOf(out)).size(), 30U);
}

TEST_F(Cli, TheCaptureIsNeverItsOwnOutput)
{
  const std::string capture = path("c.vcd");
  fs::copy_file(data("uart_break.vcd"), capture);
  const Outcome o = run("decode " + capture + " --out " + capture + " --bus u=uart,rx=rx,baud=9600");
  EXPECT_EQ(o.status, 2);
  EXPECT_EQ(contentOf(capture), contentOf(data("uart_break.vcd")));
}

TEST_F(Cli, EveryFailureHasItsStatusAndOneLine)
{
  std::ofstream(path("empty.vcd"));
  std::ofstream(path("bad.vcd"))
      << "$timescale 1 ns $end $var wire 1 ! a $end $enddefinitions $end\n#5 0!\n#1 1!\n#7\n";
  const std::string good = data("uart_break.vcd");
  const std::string bus = " --bus u=uart,rx=rx,baud=9600";
  for (const auto& [arguments, status, text] : std::vector<std::tuple<std::string, int, std::string>>{
           {"", 2, "no command is given"},
           {"frobnicate", 2, "see `bexto-cli help`"},
           {"decode " + good, 2, "no bus is given; describe one with --bus"},
           {"decode " + good + " --bus u=uart,rx=rx,baud=0", 2, "'0' is no value for baud"},
           {"decode " + good + " --bus u=uart,rx=ry,baud=9600", 2, "there is no channel 'ry'; did you mean 'rx'?"},
           {"decode " + good + bus + bus, 2, "two buses are called 'u'"},
           {"decode " + good + bus + " --from later", 2, "--from: 'later' is not a time"},
           {"decode " + good + bus + " --format xml", 2, "there is no format 'xml'"},
           {"help nonsense", 2, "there is no command 'nonsense'"},
           {"info " + path("missing.vcd"), 3, "No such file"},
           {"info " + path("empty.vcd"), 3, "empty.vcd: the file is empty"},
           {"info " + path("bad.vcd"), 3, "bad.vcd, line 3: the time goes back"},
           {"decode " + good + bus + " --out /nowhere/x", 4, "/nowhere/x: cannot be written"}}) {
    const Outcome o = run(arguments);
    EXPECT_EQ(o.status, status) << arguments << "\n" << o.err;
    EXPECT_NE(o.err.find(text), std::string::npos) << arguments << "\n" << o.err;
    EXPECT_EQ(std::count(o.err.begin(), o.err.end(), '\n'), 1) << o.err;
    EXPECT_TRUE(o.out.empty()) << o.out;
  }
}

TEST_F(Cli, ARateThatCannotBeFoundStopsItsBusAlone)
{
  const std::string file = data("mixed_four.vcd");
  const std::string uart = " --bus text=uart,rx=con_rx,baud=115200";
  const Outcome alone = run("decode " + file + uart);
  ASSERT_EQ(alone.status, 0) << alone.err;
  ASSERT_FALSE(alone.out.empty());
  // On a clock of I2C there is no frame of CAN at any rate.
  const Outcome with = run("decode " + file + " --quiet --bus none=can,rx=scl,bitrate=auto" + uart);
  EXPECT_EQ(with.out, alone.out);
  EXPECT_EQ(with.status, 2);
  EXPECT_EQ(std::count(with.err.begin(), with.err.end(), '\n'), 1) << with.err;
  EXPECT_NE(with.err.find("bus none: the bit rate cannot be found"), std::string::npos) << with.err;
  const Outcome both =
      run("decode " + file + " --quiet --bus none=can,rx=scl,bitrate=auto --bus n2=can,rx=scl,bitrate=auto");
  EXPECT_EQ(both.status, 2);
  EXPECT_TRUE(both.out.empty());
  EXPECT_EQ(std::count(both.err.begin(), both.err.end(), '\n'), 2) << both.err;
}

TEST_F(Cli, AFullDiskIsAnOutputError)
{
  const Outcome o = run("decode " + data("uart_8n1_115200.vcd") + " --bus u=uart,rx=rx,baud=115200", "/dev/full");
  EXPECT_EQ(o.status, 4);
}

TEST_F(Cli, WhatCannotBeSaidIsAnOutputErrorToo)
{
  for (const char* arguments : {"--version", "help", "help decode"})
    EXPECT_EQ(run(arguments, "/dev/full").status, 4) << arguments;
}

TEST_F(Cli, StandardOutputByNameIsAppendedToAndNotReplaced)
{
  const std::string log = path("log");
  std::ofstream(log) << "before\n";
  run("info --format csv " + data("uart_break.vcd") + " --out /dev/stdout", "> " + log);
  EXPECT_TRUE(contentOf(log).starts_with("before\nchannel,kind")) << contentOf(log);
}

TEST_F(Cli, AFileThatMayNotGrowIsAnOutputError)
{
  const std::string out = path("frames.jsonl");
  const std::string command = "(ulimit -f 1; " + std::string(BEXTO_BIN) + "/bexto-cli decode " +
                              data("uart_8n1_115200.vcd") + " --bus u=uart,rx=rx,baud=115200 --out " + out + " 2>" +
                              path("stderr") + ")";
  EXPECT_EQ(WEXITSTATUS(std::system(command.c_str())), 4);
  EXPECT_FALSE(fs::exists(out));
  EXPECT_NE(contentOf(path("stderr")).find("cannot be written: File too large"), std::string::npos);
}

TEST_F(Cli, MemoryThatDoesNotSufficeIsOneLine)
{
#if defined(__SANITIZE_ADDRESS__)
  GTEST_SKIP() << "the sanitizer itself needs more than that";
#else
  const auto limited = [&](int kilobytes, const std::string& arguments) {
    const std::string command = "(ulimit -v " + std::to_string(kilobytes) + "; " + std::string(BEXTO_BIN) +
                                "/bexto-cli " + arguments + " >" + path("stdout") + " 2>" + path("stderr") + ")";
    return WEXITSTATUS(std::system(command.c_str()));
  };
  // A thread for each bus would need a gigabyte for their stacks.
  std::string buses;
  for (int i = 0; i < 120; ++i)
    buses += " --bus u" + std::to_string(i) + "=uart,rx=rx,baud=9600";
  EXPECT_EQ(limited(200000, "decode " + data("uart_break.vcd") + buses), 0) << contentOf(path("stderr"));
  EXPECT_EQ(linesOf(contentOf(path("stdout"))).size(), 120U * 30U);
  // A million wires take some 200 MB.
  std::ofstream wide(path("wide.vcd"));
  wide << "$timescale 1 us $end\n";
  for (int i = 0; i < 15; ++i)
    wide << "$var wire 65536 " << static_cast<char>('A' + i) << " v" << i << " $end\n";
  wide << "$enddefinitions $end\n#0\n";
  wide.close();
  EXPECT_EQ(limited(200000, "info " + path("wide.vcd")), 3);
  EXPECT_EQ(contentOf(path("stderr")), "bexto-cli: the memory does not suffice; decode fewer buses at once\n");
#endif
}

TEST_F(Cli, APackedCaptureReadsAsThePlainOne)
{
  const std::string packed = path("break.vcd.gz");
  const std::string command = "gzip -c " + data("uart_break.vcd") + " >" + packed;
  ASSERT_EQ(std::system(command.c_str()), 0);
  const std::string bus = " --bus u=uart,rx=rx,baud=9600";
  EXPECT_EQ(run("decode " + packed + bus).out, run("decode " + data("uart_break.vcd") + bus).out);
}

TEST_F(Cli, WhatInfoPrintsCanBeTyped)
{
  std::ofstream(path("odd.vcd")) << "$timescale 1 us $end $var wire 1 ! GPIO 1 $end $var wire 1 \" A,\"B\" $end "
                                    "$var wire 1 # \xff $end $enddefinitions $end #0 1! 1\" 1# #9 0! 0\" 0# #5000\n";
  const std::string file = path("odd.vcd");
  std::istringstream text(run("info --format text " + file).out);
  std::vector<std::string> names;
  for (std::string line; std::getline(text, line);) {
    if (const std::size_t kind = line.find("  digital"); kind != std::string::npos)
      names.push_back(line.substr(0, line.find_last_not_of(' ', kind) + 1));
  }
  ASSERT_EQ(names.size(), 3U);
  for (const std::string& name : names) {
    const Outcome o = run("decode " + file + " --bus 'u=uart,baud=9600,rx=" + name + "'");
    EXPECT_EQ(o.status, 0) << name << ": " << o.err;
    EXPECT_EQ(linesOf(o.out).size(), 1U) << name;
  }
}

TEST_F(Cli, HelpAndVersion)
{
  EXPECT_EQ(run("--version").out, std::string("bexto-cli ") + BEXTO_VERSION + "\n");
  EXPECT_NE(run("help").out.find("decode"), std::string::npos);
  EXPECT_NE(run("help decode").out.find("spike"), std::string::npos);
  EXPECT_NE(run("decode --help").out.find("parity"), std::string::npos);
}

TEST_F(Cli, NotesGoToStandardErrorUnlessQuiet)
{
  EXPECT_NE(run("info " + data("mixed_four.vcd")).err.find("note: "), std::string::npos);
  EXPECT_EQ(run("info --quiet " + data("mixed_four.vcd")).err, "");
}

TEST_F(Cli, TheRigsDemoDecodes)
{
  const std::string demo = path("demo.vcd");
  ASSERT_EQ(std::system((std::string(BEXTO_BIN) + "/bexto-rig demo " + demo + " >/dev/null").c_str()), 0);
  const Outcome o =
      run("decode " + demo + " --bus sensors=i2c,scl=SCL,sda=SDA --bus console=uart,tx=CONSOLE_TX,baud=auto");
  EXPECT_EQ(o.status, 0);
  EXPECT_GT(linesOf(o.out).size(), 5000U);
}

TEST_F(Cli, AChannelCanBeInvertedAndItsShortPulsesIgnored)
{
  const std::string spec = " --bus c0=can,rx=can_rx,bitrate=500000";
  const std::string straight = run("decode " + data("can_std_500k.vcd") + spec).out;
  ASSERT_FALSE(straight.empty());
  EXPECT_EQ(run("decode " + data("can_std_500k.vcd") + spec + ",invert=yes --invert can_rx").out, straight);
  EXPECT_NE(run("decode " + data("can_std_500k.vcd") + spec + " --invert can_rx").out, straight);
  EXPECT_EQ(run("decode " + data("can_std_500k.vcd") + spec + " --ignore can_rx=100ns").out, straight);
  EXPECT_NE(run("decode " + data("can_std_500k.vcd") + spec + " --ignore can_rx=5us").out, straight);
}

TEST_F(Cli, AReadingThatMakesNoSenseIsOneClearLine)
{
  const std::string spec = " --bus c0=can,rx=can_rx,bitrate=500000";
  const Outcome time = run("decode " + data("can_std_500k.vcd") + spec + " --ignore can_rx=soon");
  EXPECT_EQ(time.status, 2);
  EXPECT_EQ(time.err,
            "bexto-cli: --ignore: 'can_rx=soon' is not CHANNEL=TIME; write a time from 0s to 1ms, like CLOCK=50ns\n");
  const Outcome channel = run("decode " + data("can_std_500k.vcd") + spec + " --invert can_tx");
  EXPECT_EQ(channel.status, 2);
  EXPECT_NE(channel.err.find("there is no channel 'can_tx'"), std::string::npos) << channel.err;
}
