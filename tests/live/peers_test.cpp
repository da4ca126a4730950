// The rig's ends of a CAN interface and a serial line, captured from and talked to as a person would.
#include <gmock/gmock.h>

#include "core/decode/bus_spec.h"
#include "core/decode/decoder.h"
#include "core/decode/protocol.h"
#include "live/can_source.h"
#include "rig/peers/can_peer.h"
#include "rig/peers/serial_peer.h"
#include "support/live_capture.h"
#include "support/virtual_can.h"

using namespace bexto;
using namespace bexto::live;

namespace {

std::string saidIn(const Capture& capture)
{
  std::string all;
  for (const Bus& bus : busesOfRecords(capture, {})) {
    const auto resolved = resolveBus(bus, capture);
    for (const BusStream& stream : resolved->streams) {
      const auto decoded = decodeStream(resolved->bus, inputOf(capture, stream), std::stop_token());
      const Transactions lines(resolved->bus, decoded->frames);
      for (std::uint64_t i = 0; i < lines.size(); ++i)
        all += bus.protocol().sentence(resolved->bus, lines, i, 128).text() + "\n";
    }
  }
  return all;
}

}  // namespace

TEST(Peers, TheDrivesSayTheirPositionsAndAnswerACommand)
{
  rig::CanPeer peer(QStringLiteral("virtualcan"), QString::fromStdString(test::virtualCan("can1")));
  ASSERT_TRUE(peer.connectDevice()) << peer.errorString().toStdString();
  CapturePlan plan;
  plan.source = test::virtualCanUrl("can1");
  Outbox outbox;
  test::LiveCapture live(plan, {}, &outbox);
  ASSERT_TRUE(live.until([&] { return live.capture() && live.capture()->channels[0].records->size() > 4; }));
  outbox.send(*outgoing(busesOfRecords(*live.capture(), {}).at(0), "122 0B 01"));
  ASSERT_TRUE(live.until([&] { return saidIn(*live.capture()).find("222") != std::string::npos; }));
  EXPECT_TRUE(live.finish());
  const std::string said = saidIn(*live.capture());
  EXPECT_THAT(said, testing::HasSubstr("121"));
  EXPECT_THAT(said, testing::HasSubstr("123"));
  EXPECT_EQ(live.capture()->sent.size(), 1U);
}

TEST(Peers, TheConsoleAnswersWhatItIsAsked)
{
  rig::SerialPeer peer;
  ASSERT_TRUE(peer.open());
  CapturePlan plan;
  plan.source = "serial:" + peer.port().toStdString();
  Outbox outbox;
  test::LiveCapture live(plan, {}, &outbox);
  ASSERT_TRUE(live.until([&] { return live.capture() != nullptr; }));
  Bus bus = busesOfRecords(*live.capture(), {}).at(0);
  outbox.send(*outgoing(bus, R"("level?" 0D 0A)"));
  ASSERT_TRUE(live.until([&] { return live.capture()->channels[0].records->size() > 0; }));
  EXPECT_TRUE(live.finish());
  // Of "level 98.108 m", in hex.
  EXPECT_THAT(saidIn(*live.capture()), testing::HasSubstr("6C 65 76 65 6C 20 39 38"));
}
