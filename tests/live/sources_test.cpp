#include <gmock/gmock.h>

#include "core/decode/bus_spec.h"
#include "live/live_source.h"

using namespace bexto;
using namespace bexto::live;
using namespace std::chrono_literals;

namespace {

TEST(Sources, AddressesAreRead)
{
  for (const char* const url : {"scpi://127.0.0.1:5187", "can://can0", "can://vCan0?bitrate=500000&fd_bitrate=2000000",
                                "serial:/dev/ttyUSB0", "serial:///dev/ttyUSB0?baud=9600&format=7E2"})
    EXPECT_TRUE(makeSource(url)) << url;
}

TEST(Sources, WhatIsNoneIsRefusedWithTheMend)
{
  for (const auto& [url, mend] :
       std::vector<std::pair<const char*, const char*>>{{"can0", "can://can0"},
                                                        {"scpi:", "scpi://"},
                                                        {"serial:", "serial:/dev"},
                                                        {"serial:/dev/ttyUSB0?baud=fast", "baud=115200"},
                                                        {"serial:/dev/ttyUSB0?baud=0", "baud=115200"},
                                                        {"serial:/dev/ttyUSB0?format=9N1", "format=8N1"},
                                                        {"serial:/dev/ttyUSB0?format=8N3", "format=8N1"},
                                                        {"can://can0?bitrate=-1", "bitrate="}}) {
    const auto source = makeSource(url);
    ASSERT_FALSE(source) << url;
    EXPECT_EQ(source.error().code, ErrorCode::BadArgument);
    EXPECT_THAT(source.error().text(), testing::HasSubstr(mend)) << url;
  }
}

TEST(Outbox, GivesWhatIsDueOnceAndWhatRepeatsAsOftenAsItShould)
{
  Outbox outbox;
  const auto bus = parseBusSpec("drives=can,rx=CAN_RX,bitrate=500000");
  ASSERT_TRUE(bus);
  outbox.send(*outgoing(*bus, "122 0B"));
  const int number = outbox.repeat(*outgoing(*bus, "123 0C"), 100ms);
  const auto now = Outbox::Clock::now();
  EXPECT_EQ(outbox.due(now).size(), 2U);
  EXPECT_EQ(outbox.due(now).size(), 0U);
  EXPECT_LE(outbox.rest(now, 1000ms), 100ms);
  EXPECT_EQ(outbox.rest(now, 20ms), 20ms);
  EXPECT_EQ(outbox.due(now + 101ms).size(), 1U);
  EXPECT_EQ(outbox.due(now + 1000ms).size(), 1U) << "what was missed is not made up for";
  outbox.cancel(number);
  EXPECT_EQ(outbox.due(now + 5000ms).size(), 0U);
}

TEST(Outbox, SaysWhichChannelsALineIsFor)
{
  const auto sensors = parseBusSpec("sensors=i2c,scl=C,sda=D");
  ASSERT_TRUE(sensors);
  const auto what = outgoing(*sensors, "2A write 10 read 3");
  ASSERT_TRUE(what);
  EXPECT_EQ(what->channels, (std::vector<std::string>{"C", "D"}));
  const auto wrong = outgoing(*sensors, "2A wrote 10");
  ASSERT_FALSE(wrong);
  EXPECT_THAT(wrong.error().text(), testing::HasSubstr("neither write nor read"));
}

}  // namespace
