// SPI and CAN in words and on lanes. Those of UART and I2C are in transactions_test.cpp and view_test.cpp.
#include "core/decode/bus_spec.h"
#include "core/decode/sentence.h"
#include "core/export/frame_writer.h"
#include "core/view/bus_lane.h"
#include "core/view/overview.h"
#include "rig/can_driver.h"
#include "rig/spi_driver.h"
#include "support/rooms.h"
#include "support/waves.h"

using namespace bexto;
using namespace bexto::test;
using namespace std::chrono_literals;

namespace {

struct Worded {
  Bus bus;
  StreamInput input;
  Transactions transactions;

  Worded(Bus b, StreamInput i) : bus(std::move(b)), input(std::move(i)), transactions(bus, decodeAll(bus, input)) {}

  std::string sentence(std::uint64_t n, std::size_t most = 48) const
  {
    return sentenceOf(bus, transactions, n, most).text();
  }
  std::vector<std::string> details(std::uint64_t n) const
  {
    std::vector<std::string> lines;
    for (std::uint64_t i = 0; i < detailCount(bus, transactions, n); ++i) {
      const Detail d = detailAt(bus, transactions, n, i);
      lines.push_back((d.wrong ? "! " : "") + d.name + " " + d.value + (d.meaning.empty() ? "" : ", " + d.meaning));
    }
    return lines;
  }
  BusLane lane(TimeRange span, int width = 1000) const
  {
    return busLane(bus, input, transactions, faultyFrames(transactions.frames()), TimeAxis(span, width));
  }
};

using Lines = std::vector<std::string>;

rig::CanMessage canMessage(std::uint32_t id, std::vector<std::uint8_t> data)
{
  rig::CanMessage m;
  m.id = id;
  m.dlc = static_cast<unsigned>(data.size());
  m.data = std::move(data);
  return m;
}

/// A frame, a remote one, an FD one, one that nobody answers with its error frame, and an overload frame.
Worded canStory()
{
  rig::CanDriver wire{rig::CanPace{}};
  wire.hold(true, 12);
  wire.send(canMessage(0x1a4, {1, 2}));
  rig::CanMessage remote;
  remote.id = 0x18ff50e5;
  remote.extended = remote.remote = true;
  remote.dlc = 8;
  wire.send(remote);
  rig::CanMessage fd = canMessage(0x2b, {7});
  fd.fd = fd.brs = fd.esi = true;
  wire.send(fd);
  rig::CanMessage lonely = canMessage(0x33, {0x55});
  lonely.acknowledged = false;
  const rig::CanFrameBits bits = rig::canFrame(lonely, rig::CanPace{});
  wire.drive(bits.bits, bits.crcDelimiter + 2);
  wire.flag(6);
  wire.hold(true, 1);
  wire.flag(6);
  wire.hold(true, 12);
  return {*parseBusSpec("c=can,rx=r,bitrate=500000,fd_bitrate=2000000"), {{wire.track()}, wire.now(), true}};
}

Worded spiStory(const std::string& more = {}, int words = 3)
{
  rig::SpiDriver driver(1);
  const rig::SpiPace pace;
  driver.select(0, pace);
  for (int i = 0; i < words; ++i)
    driver.word(0x90U + static_cast<std::uint32_t>(i), 0x40U + static_cast<std::uint32_t>(i), pace);
  driver.release(0, pace);
  driver.select(0, pace);
  driver.word(1, 2, pace);
  driver.bits(3, 4, 5, pace);
  driver.release(0, pace);
  return {*parseBusSpec("s=spi,clk=c,mosi=o,miso=i,cs=s" + more),
          {{driver.clock(), driver.mosi(), driver.miso(), driver.selectOf(0)}, driver.now(), true}};
}

}  // namespace

TEST(CanWords, EveryKindHasItsSentence)
{
  const Worded said = canStory();
  ASSERT_EQ(said.transactions.size(), 6U);
  EXPECT_EQ(said.sentence(0), "1A4 [2]  01 02 ✓");
  EXPECT_EQ(said.sentence(1), "18FF50E5 remote [8]  ✓") << "with the length that it asks for";
  EXPECT_EQ(said.sentence(2), "02B FD BRS ESI [1]  07 ✓");
  EXPECT_EQ(said.sentence(3), "033 [1]  55 ✗ not acknowledged");
  EXPECT_EQ(said.sentence(4), "error frame");
  EXPECT_EQ(said.sentence(5), "overload frame");
  EXPECT_TRUE(said.transactions.isFaulty(3));
  EXPECT_TRUE(said.transactions.isFaulty(4)) << "an error frame is a fault, whatever its own errors";
  EXPECT_FALSE(said.transactions.isFaulty(5));
}

TEST(CanWords, OpensToTheKeysThatWereRead)
{
  ASSERT_EQ(rig::canFrame(canMessage(0x1a4, {1, 2}), rig::CanPace{}).crcValue, 0x5c70U);
  const Worded said = canStory();
  EXPECT_EQ(said.details(0), (Lines{"identifier 1A4, 11 bits", "format classic", "DLC 2, 2 bytes", "byte 0 01",
                                    "byte 1 02", "CRC 5C70, right", "ACK ✓, acknowledged"}));
  EXPECT_EQ(said.details(1)[0], "identifier 18FF50E5, 29 bits");
  EXPECT_EQ(said.details(1)[1], "format classic, asks for data");
  EXPECT_EQ(said.details(2)[1], "format FD, rate switched, sender error passive");
  EXPECT_EQ(said.details(3).back(), "! ACK ✗, not acknowledged");
  EXPECT_EQ(said.details(4), (Lines{"! error flag 28.0 µs, with its delimiter"}));
}

TEST(CanWords, ACutFrameSaysWhereAndWhy)
{
  rig::CanDriver wire{rig::CanPace{}};
  wire.hold(true, 12);
  const rig::CanFrameBits bits = rig::canFrame(canMessage(0x2aa, {0x55, 0x55, 0x55}), rig::CanPace{});
  wire.drive(bits.bits, bits.data + 9);
  wire.hold(true, 7);
  wire.flag(6);
  wire.hold(true, 12);
  const Worded said(*parseBusSpec("c=can,rx=r,bitrate=500000"), {{wire.track()}, wire.now(), true});
  EXPECT_EQ(said.sentence(0), "six equal bits · 2AA [3]  55");
  EXPECT_EQ(said.details(0).back(), "! byte 0 55, then six equal bits");
  rig::CanDriver shortest{rig::CanPace{}};
  shortest.hold(true, 12);
  shortest.drive(bits.bits, 6);
  const Worded none(*parseBusSpec("c=can,rx=r,bitrate=500000"), {{shortest.track()}, shortest.now(), true});
  EXPECT_EQ(none.sentence(0), "cut by the capture's end · no identifier");
  EXPECT_EQ(none.details(0), (Lines{"! identifier –, cut before it was whole; then cut by the capture's end"}));
}

TEST(CanWords, TheLaneHasFieldsAndBitsAndMarksTheFault)
{
  const Worded said = canStory();
  const TimeRange first = said.transactions.timeOf(0);
  const BusLane lane = said.lane(first, 4000);
  std::vector<std::string> texts;
  for (const LaneField& f : lane.fields)
    texts.push_back(f.text);
  EXPECT_EQ(texts.front(), "SOF");
  EXPECT_NE(std::find(texts.begin(), texts.end(), "1A4"), texts.end());
  EXPECT_NE(std::find(texts.begin(), texts.end(), "DLC 2"), texts.end());
  EXPECT_NE(std::find(texts.begin(), texts.end(), "CRC 5C70"), texts.end());
  const auto stuff =
      std::count_if(lane.bits.begin(), lane.bits.end(), [](const LaneBit& b) { return b.role == Role::Stuff; });
  EXPECT_GT(stuff, 0);
  const TimeRange lonely = said.transactions.timeOf(3);
  bool marked = false;
  for (const LaneField& f : said.lane(lonely, 4000).fields)
    marked = marked || (f.fault && f.role == Role::Acknowledge);
  EXPECT_TRUE(marked);
}

TEST(CanWords, RecordsHaveTheDocumentedKeys)
{
  const Worded said = canStory();
  const FrameOrigin origin{&said.bus, ""};
  const auto record = [&](std::uint64_t i, FrameFormat format) {
    return test::frameRecord(said.transactions.frames().frame(i), origin, format);
  };
  EXPECT_EQ(record(0, FrameFormat::Jsonl),
            "{\"bus\":\"c\",\"protocol\":\"can\",\"kind\":\"data\",\"start_ps\":24000000,\"end_ps\":150000000,"
            "\"errors\":[],\"id\":420,\"extended\":false,\"format\":\"classic\",\"dlc\":2,\"data\":\"0102\","
            "\"crc\":23664,\"ack\":true}\n");
  EXPECT_NE(record(2, FrameFormat::Jsonl).find("\"dlc\":1,\"brs\":true,\"esi\":true,\"data\":\"07\""),
            std::string::npos);
  EXPECT_NE(record(0, FrameFormat::Text).find("data  1A4  [2]  0102  ack"), std::string::npos)
      << record(0, FrameFormat::Text);
  EXPECT_NE(record(1, FrameFormat::Text).find("remote  18FF50E5  [8]  ack"), std::string::npos)
      << record(1, FrameFormat::Text);
}

TEST(SpiWords, BothDirectionsStandInOneSentence)
{
  const Worded said = spiStory();
  EXPECT_EQ(said.sentence(0), "MOSI 90 91 92  MISO 40 41 42");
  EXPECT_EQ(said.sentence(0, 4), "MOSI 90 91 …  MISO 40 41 …  3 words");
  EXPECT_EQ(said.sentence(1), "cut inside a word or by the capture · MOSI 01  MISO 02");
  EXPECT_EQ(said.details(0), (Lines{"word 0 90 / 40, MOSI / MISO", "word 1 91 / 41", "word 2 92 / 42"}));
  EXPECT_EQ(said.details(1), (Lines{"! word 0 01 / 02, then cut inside a word or by the capture"}));
}

TEST(SpiWords, ByWordEachIsATransaction)
{
  const Worded said = spiStory(",frames=word");
  ASSERT_EQ(said.transactions.size(), 5U);
  EXPECT_EQ(said.sentence(1), "MOSI 91  MISO 41");
  EXPECT_NE(test::frameRecord(said.transactions.frames().frame(1), {&said.bus, ""}, FrameFormat::Jsonl)
                .find("\"kind\":\"word\""),
            std::string::npos);
}

TEST(SpiWords, TheLaneHasARowForEachDirection)
{
  const Worded said = spiStory();
  const BusLane lane = said.lane(said.transactions.timeOf(0));
  std::vector<std::string> rows[2];
  for (const LaneField& f : lane.fields)
    rows[f.line].push_back(f.text);
  EXPECT_EQ(rows[0], (Lines{"90", "91", "92"}));
  EXPECT_EQ(rows[1], (Lines{"40", "41", "42"}));
  EXPECT_EQ(lane.bits.size(), 48U);
}

TEST(SpiWords, ALongTransferCostsWhatIsInView)
{
  const Worded said = spiStory({}, 20000);
  const TimeRange all = said.transactions.timeOf(0);
  const Picoseconds middle = all.begin + all.length() / 2;
  const BusLane lane = said.lane({middle, middle + 5us});
  EXPECT_GT(lane.fields.size(), 4U);
  EXPECT_LT(lane.fields.size(), 20U);
  for (const LaneField& f : lane.fields)
    EXPECT_GT(f.x1, 0.0);
  EXPECT_TRUE(said.lane(all).fields.empty()) << "20000 words on 1000 pixels are not even looked at";
}

TEST(FieldOf, FindsThePlaceThatALineSpeaksOf)
{
  const Worded said = canStory();
  const Anatomy a = anatomyOf(said.bus, said.input, said.transactions.frames(), 0);
  for (std::uint64_t i = 0; i < detailCount(said.bus, said.transactions, 0); ++i) {
    const Detail d = detailAt(said.bus, said.transactions, 0, i);
    const Field* const field = fieldOf(a, d);
    ASSERT_NE(field, nullptr) << d.name;
    if (d.role == Role::Data) {
      EXPECT_EQ(field->value, i - 2) << "bytes 1 and 2 are the fourth and fifth line";
    }
  }
  EXPECT_EQ(fieldOf(Anatomy{}, Detail{}), nullptr);
}
