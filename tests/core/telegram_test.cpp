#include "core/decode/telegram.h"

#include <random>

#include "core/decode/bus_spec.h"
#include "core/decode/decoder.h"
#include "core/decode/protocol.h"
#include "core/signal/edge_track_builder.h"

using namespace bexto;
using namespace std::chrono_literals;

namespace {

Bus talkBus(const std::string& spec)
{
  auto bus = parseBusSpec(spec);
  EXPECT_TRUE(bus) << spec;
  return *bus;
}

/// What the bus says of the capture.
std::vector<std::string> saidIn(const Bus& bus, Capture& capture)
{
  nameChannels(capture);
  const auto resolved = resolveBus(bus, capture);
  EXPECT_TRUE(resolved);
  const auto decoded = decodeStream(resolved->bus, inputOf(capture, resolved->streams.at(0)), std::stop_token());
  const Transactions lines(resolved->bus, decoded->frames);
  std::vector<std::string> said;
  for (std::uint64_t i = 0; i < lines.size(); ++i)
    said.push_back(bus.protocol().sentence(resolved->bus, lines, i, 64).text());
  return said;
}

/// The levels of the telegram as wires, decoded by the same bus.
std::vector<std::string> saidBy(const Bus& bus, const Telegram& telegram)
{
  Capture capture;
  for (std::size_t wire = 0; wire < telegram.roles.size(); ++wire) {
    EdgeTrackBuilder track(0);
    for (const Telegram::Step& step : telegram.steps)
      track.set(step.time.count(), (step.levels >> wire & 1U) != 0);
    capture.channels.push_back({bus.channelOf(telegram.roles[wire]), {}, track.snapshot()});
  }
  capture.end = telegram.length + 1ms;
  return saidIn(bus, capture);
}

/// The telegram as a record of an interface, decoded.
std::vector<std::string> saidByRecord(const Bus& bus, const Telegram& telegram)
{
  RecordLogBuilder records;
  records.add(1ms, telegram.record);
  Capture capture;
  Channel channel;
  channel.path = bus.wires.front().channel;
  channel.records = records.take(*bus.protocol().facts().linkType);
  capture.channels.push_back(channel);
  capture.end = 10ms;
  return saidIn(bus, capture);
}

void expectRefused(const Bus& bus, const std::string& line, const std::string& mend)
{
  const auto telegram = bus.protocol().telegram(bus, line);
  ASSERT_FALSE(telegram) << line;
  EXPECT_EQ(telegram.error().code, ErrorCode::BadArgument);
  EXPECT_THAT(telegram.error().text(), testing::HasSubstr(mend)) << line;
}

}  // namespace

TEST(Telegram, AnI2cTransferIsWhatItsLineSays)
{
  const Bus bus = talkBus("sensors=i2c,scl=SCL,sda=SDA");
  const auto telegram = bus.protocol().telegram(bus, "2A write 10 read 3");
  ASSERT_TRUE(telegram);
  const auto said = saidBy(bus, *telegram);
  ASSERT_EQ(said.size(), 1U) << "a repeated START joins both";
  // Nobody answers here, so nothing is acknowledged.
  EXPECT_THAT(said[0], testing::HasSubstr("2A"));
  EXPECT_THAT(said[0], testing::HasSubstr("10"));
  EXPECT_THAT(said[0], testing::HasSubstr("FF FF FF"));
  EXPECT_EQ(telegram->open, 3U) << "both wires are let go of";
  EXPECT_EQ(telegram->steps.back().levels, 3U) << "at rest";
  // Standard mode wants 4.7 us low and 4.0 us high.
  for (std::size_t i = 1; i < telegram->steps.size(); ++i)
    EXPECT_GE(telegram->steps[i].time - telegram->steps[i - 1].time, 1us);
}

TEST(Telegram, I2cTakesTextAndSeveralPartsAndRefusesWhatIsNone)
{
  const Bus bus = talkBus("sensors=i2c,scl=SCL,sda=SDA");
  const auto text = bus.protocol().telegram(bus, R"(50 write 00 10 "AB" write 0x11)");
  ASSERT_TRUE(text);
  const auto said = saidBy(bus, *text);
  ASSERT_EQ(said.size(), 1U);
  EXPECT_THAT(said[0], testing::HasSubstr("00 10 41 42"));
  const auto probe = bus.protocol().telegram(bus, "2A write");
  EXPECT_TRUE(probe) << "an address alone asks whether anybody is there";
  expectRefused(bus, "", "2A write 10 read 3");
  expectRefused(bus, "2A", "2A write 10 read 3");
  expectRefused(bus, "80 write 1", "0 to 7F");
  expectRefused(bus, "sensor write 1", "hexadecimal");
  expectRefused(bus, "2A read", "read 3");
  expectRefused(bus, "2A read 0", "from 1 to");
  expectRefused(bus, "2A read 9999", "from 1 to");
  expectRefused(bus, "2A poke 10", "write");
  expectRefused(bus, "2A write 1G", "two hexadecimal digits");
  expectRefused(bus, R"(2A write "open)", "quote");
  expectRefused(bus, R"(2A write "\q")", "backslash");
}

TEST(Telegram, AnSpiTransferIsReadBackInEveryMode)
{
  for (const char* const mode : {"0", "1", "2", "3"}) {
    const Bus bus = talkBus(std::string("flash=spi,clk=CLK,mosi=MOSI,cs=CS,mode=") + mode);
    const auto telegram = bus.protocol().telegram(bus, "9F A5 read 2");
    ASSERT_TRUE(telegram);
    const auto said = saidBy(bus, *telegram);
    ASSERT_EQ(said.size(), 1U) << mode;
    EXPECT_THAT(said[0], testing::HasSubstr("9F A5 00 00")) << mode;
  }
  const Bus wide = talkBus("adc=spi,clk=CLK,mosi=MOSI,cs=CS,bits=16,order=lsb,cs_active=high");
  const auto telegram = wide.protocol().telegram(wide, "write 1234 BEEF");
  ASSERT_TRUE(telegram);
  EXPECT_THAT(saidBy(wide, *telegram).at(0), testing::HasSubstr("1234 BEEF"));
  expectRefused(wide, "12345", "0 to FFFF");
  expectRefused(wide, "", "9F read 3");
  expectRefused(wide, "read many", "from 1 to");
}

TEST(Telegram, ACanFrameIsARecord)
{
  const Bus bus = talkBus("drives=can,rx=can0,bitrate=500000");
  const auto said = [&](const std::string& line) {
    const auto telegram = bus.protocol().telegram(bus, line);
    EXPECT_TRUE(telegram) << line;
    return saidByRecord(bus, *telegram).at(0);
  };
  EXPECT_THAT(said("122 0B 01"), testing::HasSubstr("0B 01"));
  EXPECT_THAT(said("122"), testing::HasSubstr("122"));
  EXPECT_THAT(said("0122 01"), testing::HasSubstr("00000122")) << "more than three digits are an extended identifier";
  EXPECT_THAT(said("122 ext 01"), testing::HasSubstr("00000122"));
  EXPECT_THAT(said("18FF1234 0102030405060708"), testing::HasSubstr("18FF1234"));
  EXPECT_THAT(said("7A5 remote 4"), testing::HasSubstr("emote"));
  EXPECT_THAT(said("122 brs 00 01 02 03 04 05 06 07 08 09 0A 0B"), testing::HasSubstr("FD"));
  expectRefused(bus, "", "122 0B 01");
  expectRefused(bus, "40000000", "1FFFFFFF");
  expectRefused(bus, "122 01 02 03 04 05 06 07 08 09", "fd");
  expectRefused(bus, "122 fd 01 02 03 04 05 06 07 08 09", "make it 12");
  expectRefused(bus, "122 remote 4 01", "leave the data out");
  expectRefused(bus, "122 remote 9", "from 1 to 8");
}

TEST(Telegram, CharactersAreARecordWithTheTimeOfEach)
{
  const Bus bus = talkBus("log=uart,tx=port.tx,baud=9600");
  const auto telegram = bus.protocol().telegram(bus, R"("level?" 0D 0A)");
  ASSERT_TRUE(telegram);
  EXPECT_EQ(telegram->record.size(), 4U + 8U);
  EXPECT_THAT(saidByRecord(bus, *telegram).at(0), testing::HasSubstr("6C 65 76 65 6C 3F 0D 0A"));
  expectRefused(bus, "", "level?");
  expectRefused(bus, "level?", "text in quotes");
}

TEST(Telegram, WhatHasNoWordsForItSaysSo)
{
  const Bus bus = talkBus("lamps=lin,rx=LIN,baud=19200");
  expectRefused(bus, "11 01", "nothing can be sent");
}

TEST(Telegram, AnyTextIsATelegramOrALineThatSaysWhy)
{
  std::mt19937_64 random(1187);
  const std::vector<std::string> pieces{"2A",  "write", "read", "10", "0x",  "\"", "\\x",   "\\", "remote", "fd",
                                        "ext", "9F",    " ",    ",",  "FFF", "1",  "999",   "-1", "\t",     "\xff",
                                        "…",   "brs",   "4096", "0",  "G",   "\n", "\"a\"", "122"};
  for (const Bus& bus :
       {talkBus("a=i2c,scl=A,sda=B"), talkBus("b=spi,clk=A,mosi=B,cs=C,bits=12"), talkBus("d=can,rx=A,bitrate=1000"),
        talkBus("e=uart,rx=A,baud=9600"), talkBus("f=lin,rx=A,baud=9600")}) {
    int sent = 0;
    for (int i = 0; i < 4000; ++i) {
      std::string line;
      for (std::uint64_t n = random() % 8; n > 0; --n)
        line += pieces[random() % pieces.size()] + (random() % 3 != 0 ? " " : "");
      const auto telegram = bus.protocol().telegram(bus, line);
      if (!telegram) {
        EXPECT_EQ(telegram.error().code, ErrorCode::BadArgument);
        EXPECT_FALSE(telegram.error().message.empty());
        continue;
      }
      ++sent;
      EXPECT_TRUE(!telegram->record.empty() || !telegram->steps.empty());
      EXPECT_TRUE(telegram->steps.empty() || telegram->steps.back().time <= telegram->length);
    }
    EXPECT_EQ(sent > 0, !bus.protocol().facts().sendExample.empty()) << bus.name;
  }
}
