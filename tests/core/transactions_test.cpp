#include "core/decode/transactions.h"

#include <limits>

#include "core/decode/bus_spec.h"
#include "core/decode/sentence.h"
#include "rig/chance.h"
#include "rig/i2c_driver.h"
#include "support/rooms.h"
#include "support/waves.h"

using namespace bexto;
using namespace bexto::test;
using namespace std::chrono_literals;

namespace {

struct Decoded {
  Bus bus;
  StreamInput input;
  Transactions transactions;
};

Decoded sensors(const std::function<void(rig::I2cDriver&)>& drive)
{
  rig::Chance chance(1);
  rig::I2cDriver driver(rig::I2cPace{}, chance);
  driver.waitUntil(10us);
  drive(driver);
  Decoded d{*parseBusSpec("s=i2c,scl=a,sda=b"), {{driver.scl(), driver.sda()}, driver.now() + 20us, true}, {}};
  d.transactions = Transactions(d.bus, decodeAll(d.bus, d.input));
  return d;
}

Decoded console(const std::vector<std::string>& runs, ValueFormat format, double pauseBits)
{
  Decoded d{*parseBusSpec("c=uart,rx=a,baud=115200"), {}, {}};
  d.bus.format = format;
  const auto& uart = d.bus.settings.as<UartSettings>();
  LineWriter line(true);
  for (const std::string& run : runs) {
    line.hold(true, pauseBits * 1e12 / 115200);
    for (const char c : run)
      sendCharacter(line, uart, static_cast<unsigned char>(c), 1e12 / 115200);
  }
  line.hold(true, 1e9);
  d.input = {{line.track()}, line.now(), true};
  d.transactions = Transactions(d.bus, decodeAll(d.bus, d.input));
  return d;
}

std::vector<std::string> sentences(const Decoded& d)
{
  std::vector<std::string> texts;
  for (std::uint64_t i = 0; i < d.transactions.size(); ++i)
    texts.push_back(sentenceOf(d.bus, d.transactions, i).text());
  return texts;
}

const std::array<std::uint8_t, 1> kPointer{0x10};
const std::array<std::uint8_t, 3> kAnswer{0x01, 0x7f, 0x3c};

}  // namespace

TEST(Transactions, AnI2cExchangeRunsFromStartToStop)
{
  const Decoded d = sensors([](rig::I2cDriver& bus) {
    bus.write(0x2a, kPointer);
    bus.read(0x2a, kAnswer);
    bus.stop();
    bus.write(0x21, kPointer);
    bus.stop();
  });
  ASSERT_EQ(d.transactions.size(), 2U);
  EXPECT_EQ(d.transactions.framesOf(0), (FrameRange{0, 2}));
  EXPECT_EQ(d.transactions.framesOf(1), (FrameRange{2, 3}));
  EXPECT_EQ(d.transactions.transactionOf(1), 0U);
  EXPECT_EQ(d.transactions.transactionOf(2), 1U);
  EXPECT_EQ(d.transactions.timeOf(0).begin, d.transactions.frames().frame(0).time.begin);
  EXPECT_EQ(d.transactions.timeOf(0).end, d.transactions.frames().frame(1).time.end);
  EXPECT_EQ(d.transactions.firstFrom(d.transactions.beginOf(1)), 1U);
  EXPECT_EQ(d.transactions.firstFrom(d.transactions.beginOf(1) + Picoseconds{1}), 2U);
  EXPECT_EQ(sentences(d), (std::vector<std::string>{"2A write 10 · read 01 7F 3C", "21 write 10"}));
}

TEST(Transactions, APauseOrALineEndEndsARunOfCharacters)
{
  EXPECT_EQ(sentences(console({"one\r\n", "two\r\n"}, ValueFormat::Text, 0.0)),
            (std::vector<std::string>{"one\\r\\n", "two\\r\\n"}));
  EXPECT_EQ(sentences(console({"ab", "cd"}, ValueFormat::Hex, 0.0)), (std::vector<std::string>{"61 62 63 64"}));
  EXPECT_EQ(sentences(console({"ab", "cd"}, ValueFormat::Hex, 25.0)), (std::vector<std::string>{"61 62", "63 64"}));
}

TEST(Transactions, GoingOnFromAShorterListGivesTheSame)
{
  const Decoded d = console({"one\r\n", "two", "three", "four\r\n", std::string(600, 'x')}, ValueFormat::Text, 25.0);
  const FrameIndex& all = d.transactions.frames();
  Transactions growing;
  FrameIndexBuilder builder;
  for (std::uint64_t i = 0; i < all.size(); ++i) {
    builder.add(all.frame(i));
    if (i % 7 == 0 || i + 1 == all.size())
      growing = Transactions(d.bus, builder.snapshot(), growing);
  }
  ASSERT_EQ(growing.size(), d.transactions.size());
  for (std::uint64_t n = 0; n < growing.size(); ++n)
    EXPECT_EQ(growing.framesOf(n), d.transactions.framesOf(n));
}

TEST(Transactions, EachFrameCanStandAlone)
{
  const Decoded d = console({"abc"}, ValueFormat::Hex, 0.0);
  const Transactions each = Transactions::eachFrame(d.transactions.frames());
  ASSERT_EQ(each.size(), 3U);
  EXPECT_EQ(each.framesOf(1), (FrameRange{1, 2}));
  EXPECT_EQ(each.transactionOf(2), 2U);
  EXPECT_EQ(each.firstFrom(each.beginOf(1)), 1U);
}

TEST(Transactions, AnEndlessRunIsCutIntoReadablePieces)
{
  const Decoded d = console({std::string(1000, 'U')}, ValueFormat::Text, 0.0);
  EXPECT_EQ(d.transactions.size(), 4U);
}

TEST(Sentence, SaysWhatIsWrongFirst)
{
  const Decoded d = sensors([](rig::I2cDriver& bus) {
    bus.start();
    bus.byte(0x2a << 1U | 1U, true);
    bus.byte(0x01, true);
    bus.bits(0x7f, 5);
    bus.giveUp(264us);
    bus.byte(0x21 << 1U, true);
    bus.byte(0x03, true);
    bus.stop();
    bus.start();
    bus.byte(0x52 << 1U, false);
    bus.stop();
  });
  EXPECT_EQ(sentences(d),
            (std::vector<std::string>{"START inside a byte · 2A read 01 · 21 write 03", "52 write, no answer"}));
}

TEST(Sentence, FollowsTheBussFormat)
{
  Decoded d = sensors([](rig::I2cDriver& bus) {
    bus.write(0x2a, kAnswer);
    bus.stop();
  });
  for (const auto& [format, text] : std::vector<std::pair<ValueFormat, std::string>>{
           {ValueFormat::Hex, "2A write 01 7F 3C"},
           {ValueFormat::Decimal, "42 write 1 127 60"},
           {ValueFormat::Octal, "052 write 001 177 074"},
           {ValueFormat::Binary, "0101010 write 00000001 01111111 00111100"},
           {ValueFormat::Text, "2A write ‹01›‹7F›<"}}) {
    d.bus.format = format;
    EXPECT_EQ(sentenceOf(d.bus, d.transactions, 0).text(), text);
  }
}

TEST(Sentence, LongPayloadsEndInTheirLength)
{
  const std::vector<std::uint8_t> page(20, 0xaa);
  const Decoded d = sensors([&](rig::I2cDriver& bus) {
    bus.write(0x52, page);
    bus.stop();
  });
  EXPECT_EQ(sentenceOf(d.bus, d.transactions, 0, 3).text(), "52 write AA AA AA … 20 bytes");
}

TEST(Details, AreTheFieldsOfATransaction)
{
  const Decoded d = sensors([](rig::I2cDriver& bus) {
    bus.write(0x2a, kPointer);
    bus.read(0x2a, kAnswer);
    bus.stop();
  });
  std::vector<std::string> lines;
  for (std::uint64_t i = 0; i < detailCount(d.bus, d.transactions, 0); ++i) {
    const Detail detail = detailAt(d.bus, d.transactions, 0, i);
    lines.push_back(detail.name + " " + detail.value + " " + detail.meaning);
  }
  EXPECT_EQ(lines, (std::vector<std::string>{"address 2A write, acked", "byte 0 10 acked", "address 2A read, acked",
                                             "byte 0 01 acked", "byte 1 7F acked", "byte 2 3C last, not acked"}));
}

TEST(Details, ASpaceThatStandsAloneCanBeSeen)
{
  const Decoded d = console({"a b"}, ValueFormat::Text, 0.0);
  EXPECT_EQ(sentences(d), (std::vector<std::string>{"a b"}));
  EXPECT_EQ(detailAt(d.bus, d.transactions, 0, 1).value, "␣");
  EXPECT_EQ(detailAt(d.bus, d.transactions, 0, 1).meaning, "20");
}

TEST(FrameIndex, FindsFramesByTimeOverManyChunks)
{
  FrameIndexBuilder builder;
  constexpr std::uint64_t kCount = 40000;
  for (std::uint64_t i = 0; i < kCount; ++i) {
    Frame f;
    f.time = {Picoseconds{static_cast<std::int64_t>(i) * 100}, Picoseconds{static_cast<std::int64_t>(i) * 100 + 60}};
    f.key = static_cast<std::uint32_t>(i);
    const std::array<std::uint8_t, 2> payload{static_cast<std::uint8_t>(i), static_cast<std::uint8_t>(i >> 8U)};
    f.payload = std::span(payload).first(i % 3);
    f.errors = i % 1000 == 0 ? errorBit(I2cError::Nack) : std::uint16_t{0};
    builder.add(f);
  }
  const FrameIndex index = builder.snapshot();
  ASSERT_EQ(index.size(), kCount);
  EXPECT_EQ(index.errorCount(), 40U);
  EXPECT_EQ(index.bytes(), 29 * kCount + 39999) << "all that is kept of a frame, and what it carries";
  for (std::uint64_t i = 0; i < kCount; i += 37) {
    const Frame f = index.frame(i);
    ASSERT_EQ(f.key, i);
    ASSERT_EQ(f.payload.size(), i % 3);
    if (!f.payload.empty()) {
      ASSERT_EQ(f.payload[0], static_cast<std::uint8_t>(i));
    }
    ASSERT_EQ(index.firstFrom(f.time.begin), i);
    ASSERT_EQ(index.firstFrom(f.time.begin + Picoseconds{1}), i + 1);
    ASSERT_EQ(index.lastUpTo(f.time.begin + Picoseconds{99}), i);
  }
  EXPECT_EQ(index.firstFrom(kNever - Picoseconds{1}), kCount);
  EXPECT_EQ(FrameIndex().lastUpTo(Picoseconds{5}), 0U);
}
