#include <gmock/gmock.h>

#include "live/serial_source.h"

#include <fcntl.h>
#include <pty.h>
#include <termios.h>
#include <unistd.h>

#include "core/decode/bus_spec.h"
#include "core/decode/decoder.h"
#include "core/decode/protocol.h"
#include "support/live_capture.h"

using namespace bexto;
using namespace bexto::live;
using namespace std::chrono_literals;

namespace {

/// The other end of a serial line is this test: a pseudo-terminal pair.
class SerialSourceTest : public testing::Test {
 protected:
  void SetUp() override
  {
    std::array<char, 128> name{};
    termios raw{};
    cfmakeraw(&raw);
    ASSERT_EQ(::openpty(&m_other, &m_ours, name.data(), &raw, nullptr), 0);
    ::fcntl(m_other, F_SETFL, O_NONBLOCK);
    m_plan.source = "serial:" + std::string(name.data()) + "?baud=115200&format=8N1";
    m_name = name.data();
  }
  void TearDown() override
  {
    hangUp();
    ::close(m_ours);
  }
  void hangUp()
  {
    if (m_other >= 0)
      ::close(m_other);
    m_other = -1;
  }
  void write(std::string_view text) { ASSERT_EQ(::write(m_other, text.data(), text.size()), ssize_t(text.size())); }
  std::string read()
  {
    std::array<char, 256> bytes{};
    const auto count = ::read(m_other, bytes.data(), bytes.size());
    return count > 0 ? std::string(bytes.data(), static_cast<std::size_t>(count)) : std::string();
  }
  static std::uint64_t recordsOf(const std::shared_ptr<const Capture>& capture, std::size_t channel = 0)
  {
    return capture ? capture->channels.at(channel).records->size() : 0;
  }
  struct Said {
    std::string text;
    std::vector<Picoseconds> begins;
  };
  static Said saidOn(const Capture& capture, std::size_t stream)
  {
    const auto buses = busesOfRecords(capture, {});
    EXPECT_EQ(buses.size(), 1U) << "both lines are one bus";
    const auto resolved = resolveBus(buses.at(0), capture);
    EXPECT_TRUE(resolved);
    const auto decoded = decodeStream(resolved->bus, inputOf(capture, resolved->streams.at(stream)), std::stop_token());
    Said said;
    for (std::uint64_t i = 0; i < decoded->frames.size(); ++i) {
      const Frame frame = decoded->frames.frame(i);
      said.text += static_cast<char>(frame.key);
      said.begins.push_back(frame.time.begin);
    }
    return said;
  }

  CapturePlan m_plan;
  std::string m_name;
  int m_other = -1;
  int m_ours = -1;
};

TEST_F(SerialSourceTest, CharactersComeWithTheTimesOfTheirArrival)
{
  test::LiveCapture live(m_plan, {});
  ASSERT_TRUE(live.until([&] { return live.capture() != nullptr; }));
  write("level ");
  ASSERT_TRUE(live.until([&] { return recordsOf(live.capture()) == 1; }));
  const Picoseconds between = live.capture()->end;
  write("98.108 m\r\n");
  ASSERT_TRUE(live.until([&] { return recordsOf(live.capture()) >= 2; }));
  EXPECT_TRUE(live.finish());
  const Said said = saidOn(*live.capture(), 0);
  EXPECT_EQ(said.text, "level 98.108 m\r\n");
  EXPECT_TRUE(std::is_sorted(said.begins.begin(), said.begins.end()));
  EXPECT_LE(said.begins[5], between);
  EXPECT_GE(said.begins[15], between);
  // One behind the other, as they were on the wire: ten bits at 115200.
  EXPECT_NEAR(toSeconds(said.begins[15] - said.begins[14]), 10 / 115200.0, 1e-7);
  EXPECT_EQ(live.status().source, "pts" + m_name.substr(m_name.rfind('/') + 1) + " 115200 8N1");
}

TEST_F(SerialSourceTest, WhatIsSentIsALineOfItsOwnAndOurs)
{
  Outbox outbox;
  test::LiveCapture live(m_plan, {}, &outbox);
  ASSERT_TRUE(live.until([&] { return live.capture() != nullptr; }));
  const auto what = outgoing(busesOfRecords(*live.capture(), {}).at(0), R"("level?" 0D 0A)");
  ASSERT_TRUE(what);
  outbox.send(*what);
  std::string got;
  ASSERT_TRUE(live.until([&] { return (got += read()).size() >= 8; }));
  EXPECT_EQ(got, "level?\r\n");
  write("98");
  ASSERT_TRUE(live.until([&] { return recordsOf(live.capture(), 0) == 1 && recordsOf(live.capture(), 1) == 1; }));
  EXPECT_TRUE(live.finish());
  EXPECT_EQ(saidOn(*live.capture(), 0).text, "98");
  EXPECT_EQ(saidOn(*live.capture(), 1).text, "level?\r\n");
  ASSERT_EQ(live.capture()->sent.size(), 1U);
  EXPECT_EQ(live.capture()->sent[0].channel, 1U);
}

TEST_F(SerialSourceTest, AFastOtherEndLosesNothing)
{
  test::LiveCapture live(m_plan, {});
  ASSERT_TRUE(live.until([&] { return live.capture() != nullptr; }));
  std::string all;
  for (int i = 0; i < 2000; ++i) {
    const std::string line = "line " + std::to_string(i) + "\n";
    std::size_t written = 0;
    ASSERT_TRUE(live.until([&] {
      const auto some = ::write(m_other, line.data() + written, line.size() - written);
      written += some > 0 ? static_cast<std::size_t>(some) : 0;
      return written == line.size();
    }));
    all += line;
  }
  ASSERT_TRUE(live.until([&] { return saidOn(*live.capture(), 0).text.size() == all.size(); }));
  const Said said = saidOn(*live.capture(), 0);
  EXPECT_EQ(said.text, all);
  EXPECT_TRUE(std::is_sorted(said.begins.begin(), said.begins.end()));
}

TEST_F(SerialSourceTest, AnEventOfTheBusBeginsARecording)
{
  m_plan.start.kind = StartCondition::Kind::Event;
  m_plan.start.query = "text:timeout";
  m_plan.before = 20ms;
  m_plan.after = 40ms;
  test::LiveCapture live(m_plan, {});
  ASSERT_TRUE(live.until([&] { return live.status().seen > 50ms; }));
  write("all is well\n");
  ASSERT_TRUE(live.until([&, from = live.status().seen] { return live.status().seen > from + 100ms; }));
  write("W sensor 2A timeout, retry\n");
  EXPECT_TRUE(live.wait());
  ASSERT_EQ(live.segments().size(), 1U);
  EXPECT_EQ(saidOn(*live.capture(), 0).text, "W sensor 2A timeout, retry\n");
}

TEST_F(SerialSourceTest, AnEventLateInALongTalkIsInItsRecording)
{
  m_plan.start.kind = StartCondition::Kind::Event;
  m_plan.start.query = "text:timeout";
  m_plan.before = 20ms;
  m_plan.after = 40ms;
  test::LiveCapture live(m_plan, {});
  ASSERT_TRUE(live.until([&] { return live.status().seen > 0ms; }));
  // Without a rest between them the lines are one transaction, and much longer than what is kept behind it.
  const auto ended = [&] { return !live.segments().empty() && live.segments()[0].whole; };
  for (int i = 0; i < 1000 && !ended(); ++i) {
    write(i == 20 ? "timeout\n" : "tick\n");
    live.until(ended, 5);
  }
  EXPECT_TRUE(live.wait());
  ASSERT_EQ(live.segments().size(), 1U);
  EXPECT_THAT(saidOn(*live.capture(), 0).text, testing::HasSubstr("timeout\n"));
  EXPECT_LE(*live.capture()->trigger, 20ms);
}

TEST_F(SerialSourceTest, AnEventWhoseTransactionBeganInTheRecordingBeforeHasItsOwn)
{
  m_plan.start.kind = StartCondition::Kind::Event;
  m_plan.start.query = "text:timeout";
  m_plan.before = 20ms;
  m_plan.after = 300ms;
  m_plan.repeat = CapturePlan::Repeat::Collect;
  test::LiveCapture live(m_plan, {});
  ASSERT_TRUE(live.until([&] { return live.status().seen > 0ms; }));
  write("timeout\n");
  ASSERT_TRUE(live.until([&] { return live.segments().size() == 1U; }));
  const auto never = [] { return false; };
  live.until(never, 35);  // a rest, and then one transaction again
  for (int i = 0; i < 60; ++i) {
    write(i == 59 ? "timeout\n" : ".\n");
    live.until(never, 5);
  }
  EXPECT_TRUE(live.until([&] { return live.segments().size() == 2U && live.segments()[1].whole; }));
  EXPECT_TRUE(live.finish());
  for (const Segment& segment : live.segments())
    EXPECT_THAT(saidOn(*segment.capture, 0).text, testing::HasSubstr("timeout\n"));
}

TEST_F(SerialSourceTest, APortThatGoesEndsItAndKeepsWhatCame)
{
  test::LiveCapture live(m_plan, {});
  ASSERT_TRUE(live.until([&] { return live.capture() != nullptr; }));
  write("kept");
  ASSERT_TRUE(live.until([&] { return recordsOf(live.capture()) == 1; }));
  ::close(m_ours);
  m_ours = -1;
  hangUp();
  const auto outcome = live.wait();
  ASSERT_FALSE(outcome);
  EXPECT_EQ(outcome.error().code, ErrorCode::Unreadable);
  EXPECT_EQ(saidOn(*live.capture(), 0).text, "kept");
}

TEST_F(SerialSourceTest, APortThatIsNotThereIsSaid)
{
  m_plan.source = "serial:/dev/no-such-port";
  test::LiveCapture live(m_plan, {});
  const auto outcome = live.wait();
  ASSERT_FALSE(outcome);
  EXPECT_EQ(outcome.error().where, "/dev/no-such-port");
}

}  // namespace
