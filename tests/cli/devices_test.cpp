// --device: what devices say, in every format.
#include <fstream>
#include <nlohmann/json.hpp>

#include "support/cli_run.h"
#include "support/packet_file.h"

using namespace bexto::test;

namespace {

class CliDevices : public CliTest {
 protected:
  void SetUp() override
  {
    ASSERT_EQ(
        std::system((std::string(BEXTO_BIN) + "/bexto-rig demo " + path("demo.vcd") + " >" + path("said")).c_str()), 0);
  }
  static std::string sheet(const std::string& name) { return data("../../data/sheets/" + name); }
  std::string sensors(const std::string& more = "") const
  {
    return "decode " + path("demo.vcd") + " --bus sensors=i2c,scl=SCL,sda=SDA --device " + sheet("LT-20.yaml") +
           "@sensors " + more;
  }
};

}  // namespace

TEST_F(CliDevices, FramesGainWhatTheirDeviceSays)
{
  const Outcome made = run(sensors("--to 2ms --format jsonl"));
  ASSERT_EQ(made.status, 0) << made.err;
  const auto lines = linesOf(made.out);
  ASSERT_GE(lines.size(), 3U);
  EXPECT_EQ(lines[0]["text"], "goes to state");
  EXPECT_EQ(lines[1]["device"], "LT-20");
  EXPECT_EQ(lines[1]["register"], "state");
  EXPECT_EQ(lines[1]["text"], "level = 95.899 m (ok)");
  EXPECT_EQ(lines[1]["values"]["state"]["text"], "ok");
  EXPECT_EQ(lines[1]["values"]["level"]["unit"], "m");
  EXPECT_NEAR(lines[1]["values"]["level"]["value"].get<double>(), 95.899, 0.001);
  EXPECT_FALSE(lines[2].contains("device")) << "no sheet is for it";
}

TEST_F(CliDevices, FiltersByValues)
{
  const Outcome made = run(sensors("--filter 'state:stale' --format text"));
  ASSERT_EQ(made.status, 0) << made.err;
  EXPECT_EQ(std::count(made.out.begin(), made.out.end(), '\n'), 1);
  EXPECT_NE(made.out.find("| LT-20 level = 98.083 m (stale)"), std::string::npos);
  const Outcome wrong = run(sensors("--filter 'levl>3'"));
  EXPECT_EQ(wrong.status, 2);
  EXPECT_NE(wrong.err.find("did you mean level"), std::string::npos) << wrong.err;
}

TEST_F(CliDevices, CsvHasColumnsForIt)
{
  const Outcome made = run(sensors("--to 2ms --format csv"));
  ASSERT_EQ(made.status, 0) << made.err;
  EXPECT_NE(made.out.substr(0, made.out.find('\n')).find(",device,subject,says,faults"), std::string::npos);
  EXPECT_NE(made.out.find("LT-20,state,level = 95.899 m (ok),"), std::string::npos) << made.out;
}

TEST_F(CliDevices, MessagesComeBesideTheirCharacters)
{
  const std::string sonar = "decode " + path("demo.vcd") +
                            " --bus sonar=uart,rx=SONAR_RX,tx=SONAR_TX,baud=57600,parity=even --device " +
                            sheet("sonar.yaml") + "@sonar --format jsonl ";
  const Outcome all = run(sonar + "--to 30ms");
  ASSERT_EQ(all.status, 0) << all.err;
  const auto lines = linesOf(all.out);
  ASSERT_GT(lines.size(), 10U);
  EXPECT_EQ(lines[0]["kind"], "message");
  EXPECT_EQ(lines[0]["line"], "tx");
  EXPECT_EQ(lines[0]["data"].get<std::string>().substr(0, 8), "7e020110");
  EXPECT_EQ(lines[0]["device"], "sonar upper");
  EXPECT_EQ(lines[1]["kind"], "character");
  EXPECT_EQ(lines[1]["start_ps"], lines[0]["start_ps"]);
  const Outcome asked = run(sonar + "--filter 'distance>4800 device:*lower'");
  ASSERT_EQ(asked.status, 0) << asked.err;
  for (const auto& line : linesOf(asked.out)) {
    EXPECT_EQ(line["kind"], "message");
    EXPECT_GT(line["values"]["distance"]["value"], 4800);
  }
  EXPECT_GT(linesOf(asked.out).size(), 5U);
  const Outcome broken = run(sonar + "--filter invalid");
  const auto wrong = linesOf(broken.out);
  ASSERT_EQ(wrong.size(), 5U);
  const auto count = [&](const char* fault) {
    return std::count_if(wrong.begin(), wrong.end(), [&](const auto& line) { return line["faults"][0] == fault; });
  };
  EXPECT_EQ(count("checksum is wrong"), 1);
  EXPECT_EQ(count("no answer"), 4) << "three answers with a wrong parity, and that one";
}

TEST_F(CliDevices, MessagesInSeveralFramesComeBesideThem)
{
  BlockFile packets;
  packets.named("can0");
  packets.packet(0, 1000, canRecord(0x6E8, {0x10, 9, 0x62, 1, 2, 3, 4, 5}));
  packets.packet(0, 2000, canRecord(0x100, {1}));
  packets.packet(0, 3000, canRecord(0x6E8, {0x21, 6, 7, 8}));
  std::ofstream(path("parts.pcapng"), std::ios::binary) << packets.content;
  std::ofstream(path("gate.yaml"))
      << "sheet: 1\ndevice: gate\nbus: can\ntransport: {gate: {id: 0x6E8}}\nmessages:\n  tell: {over: gate, fields: "
         "{last: "
         "{byte: 8}}}\n";
  const Outcome made = run("decode " + path("parts.pcapng") + " --bus c=can,rx=can0,bitrate=500000 --device " +
                           path("gate.yaml") + "@c --format jsonl");
  ASSERT_EQ(made.status, 0) << made.err;
  const auto lines = linesOf(made.out);
  ASSERT_EQ(lines.size(), 4U);
  EXPECT_EQ(lines[0]["kind"], "message");
  EXPECT_EQ(lines[0]["data"], "620102030405060708");
  EXPECT_EQ(lines[0]["message"], "tell");
  EXPECT_EQ(lines[0]["values"]["last"]["value"], 8);
  EXPECT_EQ(lines[1]["text"], "gate, first part of 9 bytes: 62 01 02 03 04 05");
  EXPECT_EQ(lines[3]["text"], "gate, part 1: 06 07 08");
}

TEST_F(CliDevices, WhatIsWrongIsSaidInALine)
{
  const Outcome file = run("decode " + path("demo.vcd") + " --bus sensors=i2c,scl=SCL,sda=SDA --device " +
                           path("none.yaml") + "@sensors");
  EXPECT_EQ(file.status, 3);
  EXPECT_NE(file.err.find("none.yaml"), std::string::npos) << file.err;
  put(path("bad.yaml"), "sheet: 1\ndevice: d\nbus: i2c\naddress: 0x99\nregister: {}\n");
  const Outcome bad = run("decode " + path("demo.vcd") + " --bus sensors=i2c,scl=SCL,sda=SDA --device " +
                          path("bad.yaml") + "@sensors");
  EXPECT_EQ(bad.status, 3);
  EXPECT_NE(bad.err.find("bad.yaml, line 4: 'address' cannot be 0x99 (and 1 more); it is from 0 to 127"),
            std::string::npos)
      << bad.err;
  EXPECT_EQ(std::count(bad.err.begin(), bad.err.end(), '\n'), 1);
  const Outcome bus = run("decode " + path("demo.vcd") + " --bus sensors=i2c,scl=SCL,sda=SDA --device " +
                          sheet("LT-20.yaml") + "@sensor");
  EXPECT_EQ(bus.status, 2);
  EXPECT_NE(bus.err.find("there is no bus 'sensor'; did you mean sensors"), std::string::npos) << bus.err;
  const Outcome other = run("decode " + path("demo.vcd") + " --bus sensors=i2c,scl=SCL,sda=SDA --device " +
                            sheet("drives.yaml") + "@sensors");
  EXPECT_EQ(other.status, 2);
  EXPECT_NE(other.err.find("it is for a bus of can; sensors is a bus of i2c"), std::string::npos) << other.err;
  const Outcome form = run("decode " + path("demo.vcd") + " --bus sensors=i2c,scl=SCL,sda=SDA --device LT-20.yaml");
  EXPECT_EQ(form.status, 2);
  EXPECT_NE(form.err.find("'LT-20.yaml' is not FILE@BUS; write it like LT-20.yaml@sensors"), std::string::npos)
      << form.err;
}

TEST_F(CliDevices, ASessionKeepsItsSheets)
{
  const Outcome made = run("convert " + path("demo.vcd") + " " + path("demo.bexto") +
                           " --bus sensors=i2c,scl=SCL,sda=SDA --device " + sheet("LT-20.yaml") + "@sensors");
  ASSERT_EQ(made.status, 0) << made.err;
  const Outcome read = run("decode " + path("demo.bexto") + " --filter 'state:stale' --format text");
  ASSERT_EQ(read.status, 0) << read.err;
  EXPECT_NE(read.out.find("| LT-20 level = 98.083 m (stale)"), std::string::npos);
  // Another sheet for the session's bus, and what it says then.
  const Outcome more = run("decode " + path("demo.bexto") + " --device " + sheet("PX-8.yaml") +
                           "@sensors --filter 'device:PX-8' --to 2ms --format text");
  EXPECT_NE(more.out.find("| PX-8 set outputs: lamp amber"), std::string::npos) << more.out << more.err;
}
