#include "core/protocol/uart/uart_record.h"

#include "core/decode/bus_spec.h"
#include "core/decode/protocol.h"
#include "core/protocol/uart/uart_frame.h"

using namespace bexto;
using namespace std::chrono_literals;

namespace {

/// A record of characters of 100 us each.
void add(RecordLogBuilder& records, Picoseconds at, const std::string& text, std::uint32_t ns = 100000)
{
  std::vector<std::uint8_t> bytes;
  for (const unsigned shift : {0U, 8U, 16U, 24U})
    bytes.push_back(std::uint8_t(ns >> shift));
  bytes.insert(bytes.end(), text.begin(), text.end());
  records.add(at, bytes);
}

FrameIndex decode(RecordLogBuilder& records)
{
  StreamInput input;
  input.records = records.take(kUartLinkType);
  input.until = 1s;
  const auto decoder = makeUartRecordDecoder(input);
  FrameIndexBuilder frames;
  while (decoder->run(frames, 3)) {
  }
  return frames.snapshot();
}

}  // namespace

TEST(UartRecord, CharactersOfOneRecordLieBehindOneAnotherAndEndAtItsTime)
{
  RecordLogBuilder records;
  add(records, 10ms, "abc");
  const FrameIndex frames = decode(records);
  ASSERT_EQ(frames.size(), 3U);
  for (unsigned i = 0; i < 3; ++i) {
    EXPECT_EQ(frames.frame(i).key, 'a' + i);
    EXPECT_EQ(frames.frame(i).time.begin, 10ms - 100us * (3 - i));
    EXPECT_EQ(frames.frame(i).time.length(), 100us);
    EXPECT_TRUE(uartHasValue(frames.frame(i)));
    EXPECT_EQ(frames.frame(i).errors, 0U);
  }
}

TEST(UartRecord, WhereThereIsNoRoomTheySharesWhatIsBetween)
{
  RecordLogBuilder records;
  add(records, 10ms, "a");
  add(records, 10ms + 50us, "bcdef");
  add(records, 10ms + 50us, "g");
  add(records, 20ms, "", 100000);
  add(records, 30ms, "h", 0);
  const FrameIndex frames = decode(records);
  ASSERT_EQ(frames.size(), 8U);
  EXPECT_EQ(frames.frame(1).time.begin, 10ms);
  EXPECT_EQ(frames.frame(1).time.length(), 10us);
  EXPECT_EQ(frames.frame(5).time.end, 10ms + 50us);
  EXPECT_EQ(frames.frame(6).time.length(), 0us);
  EXPECT_EQ(frames.frame(7).time, (TimeRange{30ms, 30ms})) << "of an unknown rate";
}

TEST(UartRecord, ABusOfItNeedsNoRateAndJoinsWhatCameInBunches)
{
  RecordLogBuilder records;
  add(records, 10ms, "level ", 86805);
  add(records, 26ms, "98", 86805);  // a port hands over what it has every 16 ms
  add(records, 80ms, "next", 86805);
  Capture capture;
  Channel channel;
  channel.path = "port.rx";
  channel.records = records.take(kUartLinkType);
  capture.channels.push_back(channel);
  nameChannels(capture);
  capture.end = 1s;
  const auto buses = busesOfRecords(capture, {});
  ASSERT_EQ(buses.size(), 1U);
  EXPECT_EQ(buses[0].name, "port");
  const auto resolved = resolveBus(buses[0], capture);
  ASSERT_TRUE(resolved);
  EXPECT_NEAR(resolved->bus.protocol().setRate(resolved->bus), 115200, 5);
  const auto decoded = decodeStream(resolved->bus, inputOf(capture, resolved->streams.at(0)), std::stop_token());
  EXPECT_EQ(Transactions(resolved->bus, decoded->frames).size(), 2U);
}

TEST(UartRecord, BothLinesOfAPortAreOneBusAndThoseOfAnotherAnother)
{
  Capture capture;
  for (const char* const path : {"a.rx", "a.tx", "b.rx"}) {
    Channel channel;
    channel.path = path;
    channel.records = RecordLogBuilder().take(kUartLinkType);
    capture.channels.push_back(channel);
  }
  nameChannels(capture);
  const auto buses = busesOfRecords(capture, {});
  ASSERT_EQ(buses.size(), 2U);
  EXPECT_EQ(buses[0].name, "a");
  EXPECT_EQ(buses[0].channelOf("tx"), "tx");
  EXPECT_EQ(buses[1].channelOf("rx"), "b.rx");
  for (const Bus& bus : buses)
    EXPECT_TRUE(resolveBus(bus, capture));
}
