// Files of frames without wires, on the command line.
#include <nlohmann/json.hpp>
#include <sstream>

#include "support/cli_run.h"
#include "support/packet_file.h"

using namespace bexto;
using namespace bexto::test;

namespace {

class CliFrames : public CliTest {
 protected:
  /// Two interfaces of three frames.
  std::string log() const
  {
    BlockFile file;
    file.named("can0").named("can1");
    file.packet(0, 1000, canRecord(0x123, {1, 2})).packet(1, 1500, canRecord(0x1ABCDEF | 0x80000000U, {}));
    file.packet(0, 2000, canRecord(0x20000040, Bytes(8)));  // bus off
    put(path("log.pcapng"), file.content);
    return path("log.pcapng");
  }
  static std::vector<nlohmann::json> lines(const std::string& text)
  {
    std::vector<nlohmann::json> all;
    std::istringstream in(text);
    for (std::string line; std::getline(in, line);)
      all.push_back(nlohmann::json::parse(line));
    return all;
  }
};

}  // namespace

TEST_F(CliFrames, NeedNoBusToBeDescribed)
{
  const Outcome all = run("decode " + log());
  ASSERT_EQ(all.status, 0) << all.err;
  const auto frames = lines(all.out);
  ASSERT_EQ(frames.size(), 3U);
  const nlohmann::json wanted{{"bus", "can0"},        {"protocol", "can"},
                              {"kind", "data"},       {"start_ps", 1000000000},
                              {"end_ps", 1000000000}, {"errors", nlohmann::json::array()},
                              {"id", 0x123},          {"extended", false},
                              {"format", "classic"},  {"dlc", 2},
                              {"data", "0102"}};
  EXPECT_EQ(frames[0], wanted) << "what nobody knows has no key";
  EXPECT_EQ(frames[1]["bus"], "can1");
  EXPECT_EQ(frames[2]["report"], "bus off");
  EXPECT_EQ(lines(run("decode " + log() + " --filter bus-off").out).size(), 1U);
  EXPECT_EQ(lines(run("decode " + log() + " --bus 'x=can,rx=can1,bitrate=500000'").out).size(), 1U);
  EXPECT_EQ(lines(run("decode " + log() + " --from 1.2ms --to 1.7ms").out).size(), 1U);
  const Outcome wire = run("decode " + log() + " --bus s=i2c,scl=can0,sda=can1");
  EXPECT_EQ(wire.status, 2);
  EXPECT_EQ(wire.err, "bexto-cli: bus s: 'can0' is no wire: it has whole frames; only CAN buses read them\n");
}

TEST_F(CliFrames, InfoListsThem)
{
  const auto info = lines(run("info " + log()).out);
  ASSERT_EQ(info.size(), 2U);
  EXPECT_EQ(info[0], (nlohmann::json{{"channel", "can0"},
                                     {"kind", "frames"},
                                     {"frames", 2},
                                     {"link_type", 227},
                                     {"end_ps", 3000000000},
                                     {"period_ps", 1000000}}));
  const std::string text = run("info " + log() + " --format text").out;
  EXPECT_NE(text.find("can1     frames                       1\n"), std::string::npos) << text;
  EXPECT_NE(text.find("buses\ncan0=can,rx=can0,bitrate=auto\n"), std::string::npos) << text;
  EXPECT_NE(run("info " + log() + " --format csv").out.find("can0,frames,,2,3000000000,1000000"), std::string::npos);
}

TEST_F(CliFrames, GoThroughEveryFormatThatHoldsThem)
{
  const std::string wanted = run("decode " + log()).out;
  for (const char* const name : {"a.bexto", "b.pcapng", "c.pcapng.gz"}) {
    const Outcome converted = run("convert " + log() + " " + path(name));
    ASSERT_EQ(converted.status, 0) << converted.err;
    EXPECT_EQ(run("decode " + path(name)).out, wanted) << name;
  }
  ASSERT_EQ(run("convert " + path("a.bexto") + " " + path("d.pcapng")).status, 0);
  EXPECT_EQ(run("decode " + path("d.pcapng")).out, wanted);
  const Outcome two = run("convert " + log() + " " + path("e.pcap"));
  EXPECT_EQ(two.status, 2);
  EXPECT_EQ(two.err, "bexto-cli: " + path("e.pcap") +
                         ": there are 2 interfaces, and a .pcap file has one; write .pcapng, or name one bus\n");
  const Outcome wires = run("convert " + log() + " " + path("e.vcd"));
  EXPECT_EQ(wires.status, 2);
  EXPECT_NE(wires.err.find("the capture has frames and no wires"), std::string::npos) << wires.err;
}

TEST_F(CliFrames, AreMadeOfWiresByABus)
{
  const std::string capture = data("can_std_500k.vcd");
  std::string spec = contentOf(data("can_std_500k.cmd"));
  spec = " --bus " + spec.substr(0, spec.find('\n'));
  const Outcome none = run("convert " + capture + " " + path("a.pcapng"));
  EXPECT_EQ(none.status, 2);
  EXPECT_NE(none.err.find("describe one with --bus"), std::string::npos) << none.err;
  EXPECT_EQ(run("convert " + capture + " " + path("a.vcd") + spec).status, 2) << "a dump has no place for it";
  const auto wanted = lines(run("decode " + capture + spec).out);
  ASSERT_FALSE(wanted.empty());
  for (const char* const name : {"a.pcapng", "a.pcap", "a.bexto"}) {
    const Outcome made = run("convert " + capture + " " + path(name) + spec);
    ASSERT_EQ(made.status, 0) << made.err;
    const auto frames = lines(run("decode " + path(name)).out);
    ASSERT_EQ(frames.size(), wanted.size()) << name;
    for (std::size_t i = 0; i < frames.size(); ++i) {
      EXPECT_EQ(frames[i]["data"], wanted[i]["data"]);
      EXPECT_EQ(frames[i]["start_ps"], wanted[i]["start_ps"].get<std::int64_t>() / 1000 * 1000);
    }
  }
}

TEST_F(CliFrames, ASessionGetsTheBusesThatAreGiven)
{
  const std::string named = " --bus can0=can,rx=can0,bitrate=500000 --bus more=can,rx=can1,bitrate=250000";
  ASSERT_EQ(run("convert " + log() + " " + path("a.bexto") + named).status, 0);
  ASSERT_EQ(run("convert " + path("a.bexto") + " " + path("b.bexto") + " --bus more=can,rx=can1,bitrate=125000").status,
            0);
  const std::string text = run("info " + path("b.bexto") + " --format text").out;
  EXPECT_NE(text.find("buses\ncan0=can,rx=can0,bitrate=500000\nmore=can,rx=can1,bitrate=125000\n"), std::string::npos)
      << text;
  EXPECT_EQ(run("convert " + log() + " " + path("c.bexto") + " --bus x=can,rx=nowhere,bitrate=auto").status, 2);
  EXPECT_FALSE(std::filesystem::exists(path("c.bexto")));
}

TEST_F(CliFrames, ADamagedFileWritesNothing)
{
  std::string content = contentOf(log());
  content[content.size() - 3] = '\x77';
  put(path("log.pcapng"), content);
  for (const std::string& command :
       {"decode " + path("log.pcapng"), "convert " + path("log.pcapng") + " " + path("o.bexto")}) {
    const Outcome outcome = run(command);
    EXPECT_EQ(outcome.status, 3);
    EXPECT_NE(outcome.err.find("log.pcapng, byte "), std::string::npos) << outcome.err;
    EXPECT_EQ(outcome.out, "");
  }
  EXPECT_FALSE(std::filesystem::exists(path("o.bexto")));
}
