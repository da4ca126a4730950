// Captures as scripts take them: from the simulated instrument, a program of its own.
#include <signal.h>
#include <unistd.h>

#include <chrono>
#include <filesystem>
#include <random>
#include <sstream>
#include <thread>

#include <nlohmann/json.hpp>

#include "core/store/session_store.h"
#include "support/cli_run.h"

using namespace bexto;
using namespace bexto::test;
using namespace std::chrono_literals;

namespace {

class CliCapture : public CliTest {
 protected:
  void SetUp() override { startRig("--speed 0"); }
  void TearDown() override { stopRig(); }

  void startRig(const std::string& options) { startRigAs("instrument --port 0 " + options); }
  /// Its address is what is captured from.
  void startRigAs(const std::string& what)
  {
    stopRig();
    const std::string said = path("rig.txt");
    std::filesystem::remove(said);
    m_rig = start(std::string(BEXTO_BIN) + "/bexto-rig " + what, said);
    for (int i = 0; i < 1000 && contentOf(said).find('\n') == std::string::npos; ++i)
      std::this_thread::sleep_for(10ms);
    m_url = contentOf(said);
    ASSERT_NE(m_url.find(':'), std::string::npos) << m_url;
    m_url.pop_back();
  }
  void stopRig()
  {
    if (m_rig > 0)
      ::kill(m_rig, SIGKILL);
    m_rig = 0;
  }
  /// In the background; its process.
  pid_t start(const std::string& command, const std::string& out) const
  {
    const std::string number = path("pid");
    EXPECT_EQ(std::system((command + " >" + out + " 2>&1 & echo $! >" + number).c_str()), 0);
    return std::stoi(contentOf(number));
  }
  /// Until a program is there may take a busy machine seconds.
  static void waitUntilRecording(const std::string& out)
  {
    for (int i = 0; i < 3000 && !std::filesystem::exists(out + ".recording"); ++i)
      std::this_thread::sleep_for(10ms);
  }
  std::string source() const { return "capture --source " + m_url + " "; }

  pid_t m_rig = 0;
  std::string m_url;
};

const char* const kThreeBuses =
    "--bus sensors=i2c,scl=SCL,sda=SDA --bus console=uart,tx=CONSOLE_TX,baud=115200 "
    "--bus drives=can,rx=CAN_RX,bitrate=500000,fd_bitrate=2000000 ";

}  // namespace

TEST_F(CliCapture, IsASessionThatEveryCommandReads)
{
  const std::string out = path("a.bexto");
  const Outcome done = run(
      source() + "--rate 10MHz --for 300ms --channels SCL,2=DATA,11=CAN_RX --bus s=i2c,scl=SCL,sda=DATA --out " + out);
  ASSERT_EQ(done.status, 0) << done.err;
  EXPECT_EQ(done.err, "");
  EXPECT_FALSE(std::filesystem::exists(out + ".recording"));
  const Outcome info = run("info --format text " + out);
  EXPECT_NE(info.out.find("DATA"), std::string::npos);
  EXPECT_EQ(info.out.find("CONSOLE"), std::string::npos);
  EXPECT_NE(info.out.find("0.299 999 900 000"), std::string::npos) << info.out;
  const Outcome frames = run("decode --format jsonl " + out);
  EXPECT_GT(std::count(frames.out.begin(), frames.out.end(), '\n'), 100);
}

TEST_F(CliCapture, BeginsWithWhatABusSays)
{
  const std::string out = path("a.bexto");
  const Outcome done = run(source() + kThreeBuses +
                           "--rate 5MHz --for 30s --start 'unexpected-start' --before 5ms --after 20ms --out " + out);
  ASSERT_EQ(done.status, 0) << done.err;
  const Outcome frames = run("decode --format jsonl --filter unexpected-start " + out);
  EXPECT_EQ(std::count(frames.out.begin(), frames.out.end(), '\n'), 1) << frames.out;
  const auto session = SessionStore::open(out);
  ASSERT_TRUE(session);
  ASSERT_EQ(session->file.segments.size(), 1U);
  EXPECT_EQ(session->file.segments[0].startedBy, "unexpected-start · sensors");
  EXPECT_EQ(session->file.segments[0].capture->trigger, Picoseconds(5ms));
}

TEST_F(CliCapture, CollectsWhatWiresDo)
{
  const std::string out = path("a.bexto");
  const Outcome done = run(
      source() + "--rate 100MHz --for 1s --trigger LOG_CS=falling --before 10us --after 50us --collect --out " + out);
  ASSERT_EQ(done.status, 0) << done.err;
  const auto session = SessionStore::open(out);
  ASSERT_TRUE(session);
  ASSERT_GT(session->file.segments.size(), 3U);
  for (const Segment& segment : session->file.segments) {
    EXPECT_EQ(segment.startedBy, "LOG_CS falls");
    EXPECT_EQ(segment.capture->end, Picoseconds(60us) - Picoseconds(10ns));
  }
}

TEST_F(CliCapture, WhatCannotBeIsOneLineAndNoFile)
{
  const auto refused = [&](const std::string& arguments, int status, const char* says) {
    const Outcome done = run(arguments + " --out " + path("a.bexto"));
    EXPECT_EQ(done.status, status) << arguments;
    EXPECT_NE(done.err.find(says), std::string::npos) << done.err;
    EXPECT_EQ(std::count(done.err.begin(), done.err.end(), '\n'), 1) << done.err;
    EXPECT_FALSE(std::filesystem::exists(path("a.bexto")));
    EXPECT_FALSE(std::filesystem::exists(path("a.bexto.recording")));
  };
  refused("capture --source scpi://127.0.0.1:1", 3, "nobody answers");
  refused("capture --source gopher://there", 2, "is no source");
  refused(source() + "--rate fast", 2, "--rate");
  refused(source() + "--rate 2GHz", 2, "500");
  refused(source() + "--for 10s --for", 2, "--for");
  refused(source() + "--channels NOWHERE", 2, "NOWHERE");
  refused(source() + "--channels 0=A", 2, "--channels");
  refused(source() + "--start nack", 2, "--bus");
  refused(source() + kThreeBuses + "--start 'nack and'", 2, "--start");
  refused(source() + "--trigger SCL=sideways", 2, "--trigger");
  refused(source() + "--collect", 2, "--collect");
  refused(source() + kThreeBuses + "--for 200ms --rate 1MHz --start 'console text:nonsense'", 3, "did not come");
  refused(source() + "--bus x=uart,rx=NOWHERE,baud=9600 --for 3s --rate 1MHz --start nack", 2, "NOWHERE");
  EXPECT_EQ(run(source() + "--out " + path("a.vcd")).status, 2);
  // What an earlier one left that was killed is not written over.
  ASSERT_EQ(std::system(("echo left >" + path("a.bexto.recording")).c_str()), 0);
  const Outcome left = run(source() + "--for 10ms --out " + path("a.bexto"));
  EXPECT_EQ(left.status, 4);
  EXPECT_NE(left.err.find("rename it"), std::string::npos) << left.err;
  EXPECT_EQ(contentOf(path("a.bexto.recording")), "left\n");
}

TEST_F(CliCapture, StoppedByHandItKeepsWhatThereIs)
{
  startRig("--speed 1");
  for (const int signal : {SIGINT, SIGTERM}) {
    const std::string out = path("a.bexto");
    const pid_t capture =
        start(std::string(BEXTO_BIN) + "/bexto-cli " + source() + "--rate 10MHz --out " + out, path("said"));
    waitUntilRecording(out);
    std::this_thread::sleep_for(900ms);
    ::kill(capture, signal);
    for (int i = 0; i < 500 && !std::filesystem::exists(out); ++i)
      std::this_thread::sleep_for(10ms);
    const auto session = SessionStore::open(out);
    ASSERT_TRUE(session) << session.error().text();
    ASSERT_EQ(session->file.segments.size(), 1U);
    EXPECT_TRUE(session->file.segments[0].whole);
    EXPECT_GT(session->file.segments[0].capture->end, Picoseconds(300ms));
    std::filesystem::remove(out);
  }
}

TEST_F(CliCapture, KilledAtAnyMomentItLeavesWhatWasRecorded)
{
  startRig("--speed 1");
  std::mt19937_64 random(11);
  for (int round = 0; round < 4; ++round) {
    const std::string out = path("a.bexto");
    const pid_t capture = start(
        std::string(BEXTO_BIN) + "/bexto-cli " + source() + kThreeBuses + "--rate 20MHz --out " + out, path("said"));
    waitUntilRecording(out);
    const auto begun = std::chrono::steady_clock::now();
    std::this_thread::sleep_for(3000ms + std::chrono::milliseconds(random() % 700));
    ::kill(capture, SIGKILL);
    const std::chrono::duration<double> ran = std::chrono::steady_clock::now() - begun;
    std::this_thread::sleep_for(50ms);
    auto session = SessionStore::open(out + ".recording");
    ASSERT_TRUE(session) << session.error().text();
    ASSERT_EQ(session->file.segments.size(), 1U);
    const Capture& kept = *session->file.segments[0].capture;
    EXPECT_FALSE(session->file.segments[0].whole);
    EXPECT_GT(toSeconds(kept.end), ran.count() - 2.5) << "a second behind, and what a busy machine takes";
    EXPECT_EQ(session->file.session.buses.size(), 3U);
    session = fail(ErrorCode::Cancelled, "closed");  // who reads next settles the file
    const Outcome frames = run("decode --quiet --format jsonl " + out + ".recording");
    EXPECT_EQ(frames.status, 0) << frames.err;
    EXPECT_GT(std::count(frames.out.begin(), frames.out.end(), '\n'), 100);
    for (const char* const part : {"", "-wal", "-shm"})
      std::filesystem::remove(out + ".recording" + part);
  }
}

TEST_F(CliCapture, ALostConnectionIsSaidAndCostsNothingThatWasRecorded)
{
  startRig("--speed 1");
  const std::string out = path("a.bexto");
  start(std::string(BEXTO_BIN) + "/bexto-cli " + source() + "--rate 10MHz --out " + out, path("said"));
  waitUntilRecording(out);
  std::this_thread::sleep_for(800ms);
  stopRig();
  for (int i = 0; i < 500 && contentOf(path("said")).find('\n') == std::string::npos; ++i)
    std::this_thread::sleep_for(10ms);
  EXPECT_NE(contentOf(path("said")).find("the connection is lost"), std::string::npos) << contentOf(path("said"));
  const auto session = SessionStore::open(out);
  ASSERT_TRUE(session);
  EXPECT_GT(session->file.segments.at(0).capture->end, Picoseconds(200ms));
}

TEST_F(CliCapture, OfASerialPortTheCharactersAndWhatWasSent)
{
  startRigAs("serial");
  const std::string out = path("a.bexto");
  const Outcome done = run("capture --source '" + m_url + "' --for 1500ms --bus log=uart,rx=rx,tx=tx,baud=115200 " +
                           "--channels 1=rx,2=tx --send 'log=\"level?\" 0D 0A' --send-every 400ms --out " + out);
  ASSERT_EQ(done.status, 0) << done.err;
  EXPECT_EQ(done.err, "");
  std::array<std::string, 2> said;
  std::istringstream lines(run("decode --format jsonl " + out).out);
  for (std::string line; std::getline(lines, line);) {
    const auto frame = nlohmann::json::parse(line);
    said[frame.at("line") == "tx" ? 1 : 0] += static_cast<char>(frame.at("value").get<int>());
  }
  EXPECT_NE(said[0].find("level 98.108 m (status ok)"), std::string::npos) << said[0];
  EXPECT_NE(said[0].find("gates closed"), std::string::npos) << "it says that every second";
  EXPECT_EQ(said[1].substr(0, 16), "level?\r\nlevel?\r\n");
  const auto session = SessionStore::open(out);
  ASSERT_TRUE(session);
  EXPECT_GE(session->file.segments.at(0).capture->sent.size(), 3U);
  const Outcome packets = run("convert " + out + " " + path("a.pcapng"));
  EXPECT_NE(packets.status, 0) << "no open format has a place for characters";
}

TEST_F(CliCapture, OfACanInterfaceTheFramesWithoutABusBeingDescribed)
{
  // A port of its own: others may be using the usual one.
  const std::string server = "127.0.0.1:" + std::to_string(32000 + ::getpid() % 700);
  startRigAs("can --interface tcp://" + server + "/can0");
  const std::string url = "'can://can0?plugin=virtualcan&server=" + server + "' ";
  const std::string out = path("a.bexto");
  const Outcome done = run("capture --source " + url + "--for 1s --out " + out);
  ASSERT_EQ(done.status, 0) << done.err;
  const Outcome frames = run("decode --format jsonl " + out);
  EXPECT_GT(std::count(frames.out.begin(), frames.out.end(), '\n'), 10) << frames.out;
  EXPECT_NE(frames.out.find("\"id\":289"), std::string::npos);
  // Begun by what a bus says, and written as packets.
  const Outcome event =
      run("capture --source " + url + "--for 20s --start 'id:123' --before 50ms --after 50ms --out " + path("b.bexto"));
  ASSERT_EQ(event.status, 0) << event.err;
  EXPECT_EQ(run("convert " + path("b.bexto") + " " + path("b.pcapng")).status, 0);
  const Outcome again = run("info --format text " + path("b.pcapng"));
  EXPECT_NE(again.out.find("can0"), std::string::npos) << again.out;
}

TEST_F(CliCapture, WhatIsPutOnTheWiresIsAnswered)
{
  startRig("--speed 1");
  const std::string out = path("a.bexto");
  const Outcome done = run(source() + "--rate 5MHz --for 1s --bus sensors=i2c,scl=SCL,sda=SDA " +
                           "--send 'sensors=52 write 01 F0 read 4' --out " + out);
  ASSERT_EQ(done.status, 0) << done.err;
  const Outcome frames = run("decode --format jsonl --filter 'address:52 read' " + out);
  EXPECT_EQ(std::count(frames.out.begin(), frames.out.end(), '\n'), 1) << frames.out;
  // Byte i of the memory is 7 i.
  EXPECT_NE(frames.out.find("90979ea5"), std::string::npos) << frames.out;
}

TEST_F(CliCapture, WhatCannotBeSentIsSaidBeforeAnythingBegins)
{
  for (const auto& [what, says] : std::vector<std::pair<std::string, const char*>>{
           {"--send 'sensors=2A poke'", "neither write nor read"},
           {"--send 'drives=122 01'", "names no bus"},
           {"--send nothing", "names no bus"},
           {"--send 'sensors=2A write 10' --send-every 1us", "too often"}}) {
    const Outcome done =
        run(source() + "--for 1s --bus sensors=i2c,scl=SCL,sda=SDA " + what + " --out " + path("no.bexto"));
    EXPECT_EQ(done.status, 2) << what;
    EXPECT_NE(done.err.find(says), std::string::npos) << done.err;
    EXPECT_FALSE(std::filesystem::exists(path("no.bexto")));
  }
}
