#include <gmock/gmock.h>

#include "live/can_source.h"

#include <QCanBus>
#include <QCanBusDevice>
#include <QCanBusFrame>
#include <QVariant>

#include "core/decode/bus_spec.h"
#include "core/decode/decoder.h"
#include "core/decode/protocol.h"
#include "support/live_capture.h"
#include "support/virtual_can.h"

using namespace bexto;
using namespace bexto::live;
using namespace std::chrono_literals;

namespace {

/// Somebody else on the virtual bus.
class CanSourceTest : public testing::Test {
 protected:
  void SetUp() override
  {
    m_peer.reset(QCanBus::instance()->createDevice(QStringLiteral("virtualcan"),
                                                   QString::fromStdString(test::virtualCan("can0"))));
    ASSERT_TRUE(m_peer);
    m_peer->setConfigurationParameter(QCanBusDevice::CanFdKey, true);
    ASSERT_TRUE(m_peer->connectDevice());
    for (int i = 0; i < 200 && m_peer->state() != QCanBusDevice::ConnectedState; ++i)
      turn();
    ASSERT_EQ(m_peer->state(), QCanBusDevice::ConnectedState);
  }
  static void turn()
  {
    QEventLoop loop;
    QTimer::singleShot(10, &loop, &QEventLoop::quit);
    loop.exec();
  }
  static CapturePlan plan()
  {
    CapturePlan plan;
    plan.source = test::virtualCanUrl("can0");
    return plan;
  }
  static std::uint64_t recordsOf(const std::shared_ptr<const Capture>& capture)
  {
    return capture ? capture->channels.at(0).records->size() : 0;
  }
  /// What a decode of the capture finds, in short.
  static std::vector<std::string> framesOf(const Capture& capture)
  {
    const auto buses = busesOfRecords(capture, {});
    EXPECT_EQ(buses.size(), 1U);
    const auto resolved = resolveBus(buses.at(0), capture);
    EXPECT_TRUE(resolved);
    const auto decoded = decodeStream(resolved->bus, inputOf(capture, resolved->streams.at(0)), std::stop_token());
    const Transactions lines(resolved->bus, decoded->frames);
    std::vector<std::string> said;
    for (std::uint64_t i = 0; i < lines.size(); ++i)
      said.push_back(resolved->bus.protocol().sentence(resolved->bus, lines, i, 8).text());
    return said;
  }
  void write(std::uint32_t id, const char* hex) { m_peer->writeFrame(QCanBusFrame(id, QByteArray::fromHex(hex))); }

  std::unique_ptr<QCanBusDevice> m_peer;
};

TEST_F(CanSourceTest, FramesOfAnInterfaceGoToTheIndexWithTheirTimes)
{
  test::LiveCapture live(plan(), {});
  ASSERT_TRUE(live.until([&] { return live.capture() != nullptr; })) << live.status().source;
  write(0x122, "0b01");
  turn();
  write(0x18ff1234, "0102030405060708");
  ASSERT_TRUE(live.until([&] { return recordsOf(live.capture()) == 2; }));
  EXPECT_TRUE(live.finish());
  const auto capture = live.capture();
  const auto said = framesOf(*capture);
  ASSERT_EQ(said.size(), 2U);
  EXPECT_THAT(said[0], testing::HasSubstr("122"));
  EXPECT_THAT(said[0], testing::HasSubstr("0B 01"));
  EXPECT_THAT(said[1], testing::HasSubstr("18FF1234"));
  const auto block = capture->channels[0].records->chunks().at(0)->block();
  EXPECT_GE(block->record(1).time - block->record(0).time, 5ms);
  EXPECT_LT(block->record(1).time, capture->end + 1ns);
  EXPECT_TRUE(capture->sent.empty());
}

TEST_F(CanSourceTest, WhatIsSentReachesOthersAndComesBackAsOurs)
{
  Outbox outbox;
  test::LiveCapture live(plan(), {}, &outbox);
  ASSERT_TRUE(live.until([&] { return live.capture() != nullptr; }));
  const auto bus = busesOfRecords(*live.capture(), {}).at(0);
  auto what = outgoing(bus, "122 0B 01");
  ASSERT_TRUE(what);
  outbox.send(*what);
  ASSERT_TRUE(live.until([&] { return m_peer->framesAvailable() > 0; }));
  const QCanBusFrame got = m_peer->readFrame();
  EXPECT_EQ(got.frameId(), 0x122U);
  EXPECT_EQ(got.payload(), QByteArray::fromHex("0b01"));
  write(0x123, "00");
  ASSERT_TRUE(live.until([&] { return recordsOf(live.capture()) == 2; }));
  EXPECT_TRUE(live.finish());
  ASSERT_EQ(live.capture()->sent.size(), 1U);
  const auto block = live.capture()->channels[0].records->chunks().at(0)->block();
  EXPECT_EQ(live.capture()->sent[0].time.begin, block->record(0).time);
  EXPECT_EQ(live.status().sent, 1U);
}

TEST_F(CanSourceTest, SomethingIsSentEverySoOften)
{
  Outbox outbox;
  test::LiveCapture live(plan(), {}, &outbox);
  ASSERT_TRUE(live.until([&] { return live.capture() != nullptr; }));
  const auto what = outgoing(busesOfRecords(*live.capture(), {}).at(0), "7A5 remote 4");
  ASSERT_TRUE(what);
  const int number = outbox.repeat(*what, 20ms);
  ASSERT_TRUE(live.until([&] { return recordsOf(live.capture()) >= 5; }));
  outbox.cancel(number);
  turn();
  // One may be under way, and what stands of it is told a few times a second.
  live.until([&, from = live.status().seen] { return live.status().seen > from + 300ms; });
  const std::uint64_t sent = live.status().sent;
  live.until([&, from = live.status().seen] { return live.status().seen > from + 300ms; });
  EXPECT_EQ(live.status().sent, sent);
  EXPECT_EQ(live.capture()->sent.size(), recordsOf(live.capture()));
  EXPECT_EQ(sent, recordsOf(live.capture()));
}

TEST_F(CanSourceTest, AnEventOfTheBusBeginsARecording)
{
  CapturePlan event = plan();
  event.start.kind = StartCondition::Kind::Event;
  event.start.query = "id:122 byte0:0B";
  event.before = 300ms;
  event.after = 200ms;
  test::LiveCapture live(event, {});
  ASSERT_TRUE(live.until([&] { return live.status().seen > 0ms; }));
  write(0x121, "00");
  ASSERT_TRUE(live.until([&, from = live.status().seen] { return live.status().seen > from + 800ms; }));
  for (int i = 0; i < 10; ++i) {
    write(0x122, i == 6 ? "0b01" : "0a01");
    turn();
  }
  EXPECT_TRUE(live.wait()) << "one start ends it";
  ASSERT_EQ(live.segments().size(), 1U);
  const Capture& capture = *live.capture();
  EXPECT_EQ(capture.end, 500ms);
  ASSERT_TRUE(capture.trigger);
  EXPECT_EQ(*capture.trigger, 300ms);
  const auto said = framesOf(capture);
  EXPECT_GE(said.size(), 2U);
  EXPECT_THAT(said, testing::Contains(testing::HasSubstr("0B 01")));
  EXPECT_THAT(said, testing::Each(testing::Not(testing::HasSubstr("121")))) << "that was long before";
  EXPECT_EQ(live.segments()[0].startedBy, "id:122 byte0:0B · can0");
}

TEST_F(CanSourceTest, EachRecordingHasTheFrameThatBeganIt)
{
  CapturePlan event = plan();
  event.start.kind = StartCondition::Kind::Event;
  event.start.query = "id:122";
  event.before = 2ms;
  event.after = 2ms;
  event.repeat = CapturePlan::Repeat::Collect;
  test::LiveCapture live(event, {});
  ASSERT_TRUE(live.until([&] { return live.status().seen > 0ms; }));
  // So often that it looks for events when one has just come.
  for (int i = 0; i < 1000 && live.segments().size() < 8; ++i) {
    write(0x122, "0b01");
    turn();
  }
  EXPECT_TRUE(live.finish());
  EXPECT_GE(live.segments().size(), 8U);
  for (const Segment& segment : live.segments())
    EXPECT_GE(recordsOf(segment.capture), 1U) << segment.startedAt;
}

TEST_F(CanSourceTest, WhereThereIsNoInterfaceItSaysSo)
{
  for (const char* const url : {"can://nosuch9", "can://can0?plugin=nosuch"}) {
    CapturePlan none = plan();
    none.source = url;
    test::LiveCapture live(none, {});
    const auto outcome = live.wait();
    ASSERT_FALSE(outcome) << url;
    EXPECT_EQ(outcome.error().code, ErrorCode::Unreadable) << url;
    EXPECT_TRUE(live.segments().empty());
  }
}

TEST_F(CanSourceTest, ItHasNoWiresToWaitFor)
{
  CapturePlan wires = plan();
  wires.start = *parseWireCondition("can0=falling");
  test::LiveCapture live(wires, {});
  const auto outcome = live.wait();
  ASSERT_FALSE(outcome);
  EXPECT_THAT(outcome.error().text(), testing::HasSubstr("no wires"));
}

}  // namespace
