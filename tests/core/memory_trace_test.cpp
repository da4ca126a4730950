// What a memory held at any moment, byte by byte.
#include <gmock/gmock.h>

#include <map>
#include <random>

#include "core/device/memory_trace.h"
#include "support/device_traffic.h"

using namespace bexto;
using namespace bexto::test;

namespace {

using namespace std::chrono_literals;

constexpr const char* kMemorySheet =
    "sheet: 1\ndevice: m\nbus: i2c\naddress: 0x50\npointer: {bytes: 2}\nmemory: {size: 512, page: 16}\n";

MemoryTrace traceOf(const DeviceTraffic& t)
{
  return *MemoryTrace::make(t.bus(), t.transactions(), 0, {}, std::stop_token());
}

/// "01w 02r ··".
std::string bytesAt(const MemoryTrace& trace, Picoseconds t, std::uint32_t address, std::size_t count)
{
  std::string text;
  for (const MemoryByte& b : trace.bytesOf(trace.stateAt(t), address, count))
    text += (text.empty() ? "" : " ") +
            (b.seen ? hexOf(std::vector<std::uint8_t>{b.value}) + (b.written ? "w" : "r") : std::string("··"));
  return text;
}

}  // namespace

TEST(MemoryTrace, HoldsWhatWasLastReadOrWritten)
{
  DeviceTraffic t("i2c");
  t.describe(kMemorySheet);
  t.write(0x50, {0, 4, 0xaa, 0xbb});  // to 1 ms
  t.ask(0x50, {0, 5}, {0xbc, 0xcd});  // 2 to 4 ms
  t.write(0x50, {0, 4}, true);        // only where
  t.write(0x50, {0, 4, 1}, false);    // nobody answered
  const MemoryTrace trace = traceOf(t);
  EXPECT_EQ(trace.size(), 512U);
  EXPECT_EQ(trace.units().size(), 2U);
  EXPECT_EQ(bytesAt(trace, 500us, 3, 5), "·· ·· ·· ·· ··");
  EXPECT_EQ(bytesAt(trace, 1ms, 3, 5), "·· aaw bbw ·· ··");
  EXPECT_EQ(bytesAt(trace, 90ms, 3, 5), "·· aaw bcr cdr ··");
  EXPECT_EQ(trace.bytesOf(trace.stateAt(90ms), 510, 16).size(), 2U) << "it ends there";
}

TEST(MemoryTrace, WritingGoesAroundInsideAPageAndReadingAroundTheEnd)
{
  DeviceTraffic t("i2c");
  t.describe(kMemorySheet);
  t.write(0x50, {0, 14, 1, 2, 3});
  t.ask(0x50, {1, 0xff}, {8, 9});
  const MemoryTrace trace = traceOf(t);
  EXPECT_EQ(bytesAt(trace, 90ms, 14, 3), "01w 02w ··");
  EXPECT_EQ(bytesAt(trace, 90ms, 511, 1), "08r");
  EXPECT_EQ(bytesAt(trace, 90ms, 0, 1), "09r") << "the read came later";
}

TEST(MemoryTrace, IsAtEveryMomentWhatAWalkFinds)
{
  std::mt19937_64 random(11);
  DeviceTraffic t("i2c");
  t.describe(kMemorySheet);
  MemoryTrace grown;
  Transactions lines;
  for (int i = 0; i < 9000; ++i) {
    const auto at = static_cast<std::uint8_t>(random() % 240);
    if (random() % 2 == 0)
      t.write(0x50, {0, at, static_cast<std::uint8_t>(random()), static_cast<std::uint8_t>(random())});
    else
      t.ask(0x50, {0, at}, {static_cast<std::uint8_t>(random())});
    if (i % 2500 == 0) {
      lines = Transactions(t.bus(), t.frames(), lines);
      grown = *MemoryTrace::make(t.bus(), lines, 0, grown, std::stop_token());
    }
  }
  lines = Transactions(t.bus(), t.frames(), lines);
  grown = *MemoryTrace::make(t.bus(), lines, 0, grown, std::stop_token());
  ASSERT_GT(grown.units().size(), 8192U) << "several states were kept";
  // The plain way: every access from the begin on.
  const FrameIndex& frames = lines.frames();
  for (int round = 0; round < 12; ++round) {
    const Picoseconds at{static_cast<std::int64_t>(
        random() % static_cast<std::uint64_t>(frames.frame(frames.size() - 1).time.end.count()))};
    std::map<std::uint32_t, std::uint8_t> plain;
    std::uint32_t pointer = 0;
    for (std::uint64_t i = 0; i < frames.size() && frames.frame(i).time.end <= at; ++i) {
      const I2cTransfer transfer = i2cTransfer(frames.frame(i));
      if (!transfer.read)
        pointer = static_cast<std::uint32_t>(transfer.data[0] << 8U | transfer.data[1]);
      for (std::size_t k = transfer.read ? 0 : 2; k < transfer.data.size(); ++k) {
        const std::uint32_t n = static_cast<std::uint32_t>(transfer.read ? k : k - 2);
        plain[transfer.read ? pointer + n : pointer / 16 * 16 + (pointer % 16 + n) % 16] = transfer.data[k];
      }
    }
    const auto bytes = grown.bytesOf(grown.stateAt(at), 0, 512);
    for (std::uint32_t address = 0; address < 512; ++address) {
      ASSERT_EQ(bytes[address].seen, plain.contains(address)) << address;
      if (bytes[address].seen) {
        ASSERT_EQ(bytes[address].value, plain[address]) << address;
      }
    }
  }
}

TEST(MemoryTrace, OfWhatIsNoMemoryIsEmpty)
{
  DeviceTraffic t("i2c");
  t.describe("sheet: 1\ndevice: d\nbus: i2c\naddress: 0x50\nregisters: {a: {at: 0}}\n");
  t.write(0x50, {0, 1});
  EXPECT_TRUE(traceOf(t).empty());
  EXPECT_TRUE(MemoryTrace().bytesOf({}, 0, 4).empty());
}
