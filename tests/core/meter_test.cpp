// What each room measures, on waves whose every interval is known.
#include <algorithm>

#include "support/checks.h"
#include "support/lock_cycle.h"
#include "support/random_traffic.h"

using namespace bexto;
using namespace bexto::test;

namespace {

constexpr std::int64_t kNs = 1000;
constexpr std::int64_t kUs = 1'000'000;

// ---- I2C

/// Both wires of a transfer, edge by edge, with lengths in ns that a test may change.
class I2cWriter {
 public:
  std::int64_t low = 1500;
  std::int64_t high = 1000;
  std::int64_t hold = 300;  ///< fall of SCL to the change of SDA

  I2cWriter() : m_scl(true), m_sda(true) { m_now = 10'000; }

  void start(std::int64_t holdStart = 700)
  {
    drive(m_sda, m_now, false);
    m_now += holdStart;
    drive(m_scl, m_now, false);
  }
  void restart(std::int64_t setup, std::int64_t holdStart)
  {
    drive(m_sda, m_now + hold, true);
    m_now += low;
    drive(m_scl, m_now, true);
    m_now += setup;
    start(holdStart);
  }
  void bit(bool level, std::int64_t extraLow = 0)
  {
    drive(m_sda, m_now + hold, level);
    m_now += low + extraLow;
    drive(m_scl, m_now, true);
    m_now += high;
    drive(m_scl, m_now, false);
  }
  void byte(unsigned value, bool ack = true)
  {
    for (int i = 7; i >= 0; --i)
      bit((value >> i & 1U) != 0);
    bit(!ack);
  }
  void stop(std::int64_t setup = 800)
  {
    drive(m_sda, m_now + hold, false);
    m_now += low;
    drive(m_scl, m_now, true);
    m_now += setup;
    drive(m_sda, m_now, true);
  }
  void rest(std::int64_t ns) { m_now += ns; }
  Capture capture() const
  {
    return captureOf({{"SCL", m_scl.track}, {"SDA", m_sda.track}}, Picoseconds{(m_now + 50'000) * kNs});
  }

 private:
  struct Line {
    explicit Line(bool level) : at(level) { builder.set(0, level); }
    EdgeTrackBuilder builder;
    EdgeTrack track;
    bool at;
  };
  void drive(Line& line, std::int64_t ns, bool level)
  {
    line.builder.set(ns * kNs, level);
    line.track = line.builder.snapshot();
    line.at = level;
  }
  Line m_scl;
  Line m_sda;
  std::int64_t m_now = 0;
};

BusCheck i2cChecked(const I2cWriter& wires)
{
  return checked(*parseBusSpec("b=i2c,scl=SCL,sda=SDA"), wires.capture());
}

TEST(I2cMeter, MeasuresEveryIntervalOfATransfer)
{
  I2cWriter wires;
  wires.start(700);
  wires.byte(0x54);  // 2A write
  wires.byte(0x55);
  wires.restart(650, 720);
  wires.byte(0x55);  // 2A read
  wires.byte(0xf0, false);
  wires.stop(810);
  wires.rest(5000);
  wires.start(710);
  wires.byte(0x54, false);
  wires.stop(900);
  const BusCheck check = i2cChecked(wires);
  EXPECT_EQ(check.books, (std::vector<std::string>{"i2c-fast"}));
  const auto expect = [&](const char* name, std::uint64_t count, double min, double max) {
    const RuleResult& rule = ruleNamed(check, name);
    EXPECT_EQ(rule.spread.count, count) << name;
    EXPECT_DOUBLE_EQ(rule.spread.min, min * kNs) << name;
    EXPECT_DOUBLE_EQ(rule.spread.max, max * kNs) << name;
  };
  const RuleResult& clock = ruleNamed(check, "fSCL");
  EXPECT_EQ(clock.spread.count, 5U * 8U);  // inside each of five bytes
  EXPECT_DOUBLE_EQ(clock.spread.max, 400e3);
  EXPECT_EQ(clock.verdict, Verdict::Pass);
  // Nine a byte, and those that lead to the repeated START and to both STOPs.
  expect("tLOW", 48, 1500, 1500);
  expect("tHIGH", 45, 1000, 1000);
  expect("tHD;STA", 3, 700, 720);
  expect("tSU;STA", 1, 650, 650);
  expect("tSU;STO", 2, 810, 900);
  expect("tBUF", 1, 5000, 5000);
  EXPECT_DOUBLE_EQ(ruleNamed(check, "tSU;DAT").spread.min, 1200.0 * kNs);
  EXPECT_DOUBLE_EQ(ruleNamed(check, "tHD;DAT").spread.max, 300.0 * kNs);
  EXPECT_DOUBLE_EQ(ruleNamed(check, "tVD;ACK").spread.max, 300.0 * kNs);
  EXPECT_EQ(ruleNamed(check, "tSU;DAT").spread.count, ruleNamed(check, "tHD;DAT").spread.count);
}

TEST(I2cMeter, KeepsWhoDrivesApart)
{
  I2cWriter wires;
  wires.start();
  wires.byte(0x55);  // read from 2A: the target drives the bytes and the controller acknowledges
  wires.hold = 500;
  wires.byte(0x55, false);
  wires.hold = 300;
  wires.stop();
  const BusCheck check = i2cChecked(wires);
  const auto& groups = ruleNamed(check, "tHD;DAT").groups;
  ASSERT_EQ(groups.size(), 2U);
  EXPECT_EQ(groups[0].name, "2A · driven by the controller");
  EXPECT_EQ(groups[1].name, "2A · driven by the target");
  EXPECT_DOUBLE_EQ(groups[1].spread.max, 500.0 * kNs);
  EXPECT_EQ(groups[0].spread.count + groups[1].spread.count, ruleNamed(check, "tHD;DAT").spread.count);
}

TEST(I2cMeter, LowsThatAreHeldSayNothingOfValidData)
{
  I2cWriter wires;
  wires.start();
  wires.byte(0x54);
  wires.hold = 4000;
  wires.bit(true, 6000);  // stretched far beyond twice the usual low, with its data late
  wires.hold = 300;
  for (int i = 0; i < 7; ++i)
    wires.bit(false);
  wires.bit(false);
  wires.stop();
  const BusCheck check = i2cChecked(wires);
  EXPECT_DOUBLE_EQ(ruleNamed(check, "tVD;DAT").spread.max, 300.0 * kNs);
  EXPECT_DOUBLE_EQ(ruleNamed(check, "tHD;DAT").spread.max, 4000.0 * kNs);
  EXPECT_DOUBLE_EQ(ruleNamed(check, "tLOW").spread.max, 7500.0 * kNs);
}

TEST(I2cMeter, DataThatMovesWithTheClockBelongsToTheLow)
{
  I2cWriter wires;
  wires.hold = 0;
  wires.start();
  wires.byte(0x54);
  wires.stop();
  const BusCheck check = i2cChecked(wires);
  EXPECT_DOUBLE_EQ(ruleNamed(check, "tHD;DAT").spread.min, 0.0);
  EXPECT_DOUBLE_EQ(ruleNamed(check, "tHD;DAT").spread.max, 0.0);
  EXPECT_DOUBLE_EQ(ruleNamed(check, "tSU;DAT").spread.max, 1500.0 * kNs);
}

TEST(I2cMeter, EachPeriodCountsOnceForTheClass)
{
  I2cWriter wires;
  const auto say = [&](int times, std::int64_t half) {
    wires.low = wires.high = half;
    wires.hold = half / 4;
    for (int i = 0; i < times; ++i) {
      wires.start();
      wires.byte(0x54);
      wires.stop();
      wires.rest(5000);
    }
  };
  say(320, 5000);
  say(280, 1250);
  EXPECT_EQ(i2cChecked(wires).books.front(), "i2c-standard") << "most are of 100 kHz";
}

TEST(I2cMeter, TheClassFollowsTheMedianClock)
{
  const auto classOf = [](std::int64_t low, std::int64_t high) {
    I2cWriter wires;
    wires.low = low;
    wires.high = high;
    wires.hold = low / 4;
    wires.start();
    wires.byte(0x54);
    wires.byte(0x01);
    wires.stop();
    const BusCheck check = i2cChecked(wires);
    return check.books.empty() ? std::string() : check.books.front();
  };
  EXPECT_EQ(classOf(5000, 5000), "i2c-standard");
  EXPECT_EQ(classOf(5000, 4902), "i2c-standard");  // 100.99 kHz
  EXPECT_EQ(classOf(5000, 4900), "i2c-fast");      // 101.01 kHz
  EXPECT_EQ(classOf(1300, 1176), "i2c-fast");      // 403.9 kHz
  EXPECT_EQ(classOf(1300, 1174), "i2c-fast-plus");
  EXPECT_EQ(classOf(500, 400), "i2c-high-speed");
  // Without a clock there are no limits.
  const Capture still = captureOf({{"SCL", trackOf(true, {})}, {"SDA", trackOf(true, {})}}, Picoseconds{kUs});
  const BusCheck check = checked(*parseBusSpec("b=i2c,scl=SCL,sda=SDA"), still);
  EXPECT_TRUE(check.books.empty());
  EXPECT_EQ(ruleNamed(check, "tLOW").verdict, Verdict::NoEvidence);
}

// ---- UART

/// Characters of 8N1 or 8E1 whose sender's bits are `share` as long as set.
Capture uartCapture(const Bus& bus, double share, const std::vector<double>& pauses, unsigned value = 0x55)
{
  LineWriter line(true);
  const double bit = 1e12 / uartSettings(bus).baud * share;
  line.hold(true, 50 * bit);
  for (const double pause : pauses) {
    sendCharacter(line, uartSettings(bus), value, bit);
    line.hold(true, pause);
  }
  line.hold(true, 50 * bit);
  return captureOf({{"RX", line.track()}}, line.now());
}

TEST(UartMeter, MeasuresRateDisplacementAndPause)
{
  const Bus bus = *parseBusSpec("b=uart,rx=RX,baud=100000");
  const BusCheck check = checked(bus, uartCapture(bus, 1.0 / 1.01, {0.0, 3e6, 0.0}));
  const RuleResult& rate = ruleNamed(check, "bit rate error");
  EXPECT_EQ(rate.spread.count, 3U);
  EXPECT_NEAR(rate.spread.mean(), 1.0, 1e-3);
  EXPECT_EQ(rate.verdict, Verdict::Pass);
  // The stop bit's edge, nine bits behind the start, comes nine hundredths of a bit early.
  EXPECT_NEAR(ruleNamed(check, "edge displacement").spread.max, 100.0 * 9.0 * (1.0 - 1.0 / 1.01), 1e-3);
  const RuleResult& pause = ruleNamed(check, "pause");
  EXPECT_EQ(pause.spread.count, 2U);
  EXPECT_EQ(pause.spread.min, 0.0);  // the sender is fast: the next begins before the nominal end
  EXPECT_NEAR(pause.spread.max, 3e6 - 1e6, 2e4);
}

TEST(UartMeter, NeedsAnEdgeFiveBitsBehindTheStart)
{
  const Bus bus = *parseBusSpec("b=uart,rx=RX,baud=100000");
  // F0: low for five bits, then high: its only edge is at five. F8: at four.
  EXPECT_EQ(ruleNamed(checked(bus, uartCapture(bus, 1.0, {1e8}, 0xf0)), "bit rate error").spread.count, 1U);
  const BusCheck check = checked(bus, uartCapture(bus, 1.0, {1e8}, 0xf8));
  EXPECT_EQ(ruleNamed(check, "bit rate error").spread.count, 0U);
  EXPECT_EQ(ruleNamed(check, "bit rate error").verdict, Verdict::NoEvidence);
  EXPECT_EQ(ruleNamed(check, "edge displacement").spread.count, 1U);
}

TEST(UartMeter, TheResolutionIsThatOfTheLengthAndOfTheBit)
{
  const Bus bus = *parseBusSpec("b=uart,rx=RX,baud=100000");  // bits of 10 µs
  const BusCheck check = checked(checkInputOf(bus, uartCapture(bus, 1.0, {1e8}), 1e6));
  EXPECT_NEAR(ruleNamed(check, "bit rate error").resolution, 100.0 * 1e6 / 90e6, 1e-9);
  EXPECT_NEAR(ruleNamed(check, "edge displacement").resolution, 10.0, 1e-9);
}

// ---- SPI

class SpiWriter {
 public:
  std::int64_t half = 100;  ///< ns
  std::int64_t setup = 40;  ///< MISO moves so long before the edge that samples
  void word(unsigned value, std::int64_t pauseAfterBit = -1, std::int64_t pause = 0)
  {
    for (int i = 7; i >= 0; --i) {
      const bool level = (value >> i & 1U) != 0;
      edge(m_miso, level, m_now + half - setup);
      advance(half);
      edge(m_clk, true, m_now);
      advance(half);
      edge(m_clk, false, m_now);
      if (i == pauseAfterBit)
        advance(pause);
    }
  }
  void release(std::int64_t after)
  {
    advance(after);
    edge(m_select, true, m_now);
  }
  void begin()
  {
    edge(m_select, false, m_now);
    advance(300);
  }
  void rest(std::int64_t ns) { advance(ns); }
  Capture capture()
  {
    return captureOf({{"CLK", m_clk.snapshot()}, {"MISO", m_miso.snapshot()}, {"CS", m_select.snapshot()}},
                     Picoseconds{(m_now + 1000) * kNs});
  }
  SpiWriter()
  {
    m_clk.set(0, false);
    m_miso.set(0, false);
    m_select.set(0, true);
    m_now = 1000;
  }

 private:
  void advance(std::int64_t ns) { m_now += ns; }
  static void edge(EdgeTrackBuilder& line, bool level, std::int64_t ns) { line.set(ns * kNs, level); }
  EdgeTrackBuilder m_clk;
  EdgeTrackBuilder m_miso;
  EdgeTrackBuilder m_select;
  std::int64_t m_now;
};

TEST(SpiMeter, MeasuresClockDataAndSelect)
{
  SpiWriter wires;
  wires.begin();
  wires.word(0xaa);
  wires.word(0x55, 3, 5000);  // a pause inside a word is none of the clock
  wires.release(250);
  wires.rest(2000);
  wires.begin();
  wires.word(0xaa);
  wires.release(350);
  const BusCheck check = checked(*parseBusSpec("b=spi,clk=CLK,miso=MISO,cs=CS"), wires.capture());
  EXPECT_TRUE(check.books.empty());
  const auto expect = [&](const char* name, std::uint64_t count, double min, double max) {
    const RuleResult& rule = ruleNamed(check, name);
    EXPECT_EQ(rule.spread.count, count) << name;
    EXPECT_DOUBLE_EQ(rule.spread.min, min * kNs) << name;
    EXPECT_DOUBLE_EQ(rule.spread.max, max * kNs) << name;
    EXPECT_EQ(rule.verdict, Verdict::Measured) << name;
  };
  expect("tCH", 24, 100, 100);
  expect("tCL", 21, 100, 100);  // 22 between clocks, less the pause
  EXPECT_EQ(ruleNamed(check, "fCLK").spread.count, 21U);
  EXPECT_DOUBLE_EQ(ruleNamed(check, "fCLK").spread.max, 5e6);
  // 300 ns after the select, and half a period to the first edge.
  expect("tCSS", 2, 400, 400);
  expect("tCSH", 2, 250, 350);
  expect("tCSHIGH", 1, 2000, 2000);
  const RuleResult& setup = ruleNamed(check, "tSU;MISO");
  EXPECT_DOUBLE_EQ(setup.spread.min, 40.0 * kNs);
  EXPECT_DOUBLE_EQ(setup.spread.max, 40.0 * kNs);
  const RuleResult& hold = ruleNamed(check, "tHD;MISO");
  EXPECT_DOUBLE_EQ(hold.spread.min, 160.0 * kNs);
  EXPECT_EQ(ruleNamed(check, "tSU;MOSI").verdict, Verdict::NoEvidence);
}

TEST(SpiMeter, WordsAndTransfersMeasureTheSame)
{
  SpiWriter wires;
  for (int i = 0; i < 40; ++i) {
    wires.begin();
    wires.word(0xa5);
    wires.word(0x3c);
    wires.release(250);
    wires.rest(2000 + 10 * i);
  }
  const BusCheck transfers = checked(*parseBusSpec("b=spi,clk=CLK,miso=MISO,cs=CS"), wires.capture());
  const BusCheck words = checked(*parseBusSpec("b=spi,clk=CLK,miso=MISO,cs=CS,frames=word"), wires.capture());
  for (const char* const name : {"fCLK", "tCH", "tCL", "tSU;MISO", "tHD;MISO", "tCSS", "tCSH", "tCSHIGH"}) {
    EXPECT_EQ(ruleNamed(words, name).spread.count, ruleNamed(transfers, name).spread.count) << name;
    EXPECT_EQ(ruleNamed(words, name).spread.mean(), ruleNamed(transfers, name).spread.mean()) << name;
  }
}

TEST(SpiMeter, WithoutASelectARunIsAWindow)
{
  SpiWriter wires;
  wires.word(0xaa);
  wires.rest(20'000);
  wires.word(0x0f);
  const BusCheck check = checked(*parseBusSpec("b=spi,clk=CLK,miso=MISO,gap=5us"), wires.capture());
  EXPECT_EQ(ruleNamed(check, "tCH").spread.count, 16U);
  EXPECT_EQ(ruleNamed(check, "tCL").spread.count, 14U);
  EXPECT_EQ(ruleNamed(check, "tCSS").verdict, Verdict::NoEvidence);
}

// ---- CAN and LIN, as the rig drives them

TEST(CanMeter, FindsTheSendersRateInEveryFrame)
{
  std::uint64_t fast = 0;
  std::uint64_t rests = 0;
  for (int seed = 1; seed <= cases(200); ++seed) {
    const CanCase traffic = canCase(static_cast<std::uint64_t>(seed));
    const CheckInput input = checkInputOf(traffic.bus, traffic.input);
    const BusCheck check = checked(input);
    const CanSettings& can = canSettings(traffic.bus);
    const double off = 100.0 * (traffic.pace.bitrate / can.bitrate - 1.0);
    std::uint64_t clean = 0;
    for (std::uint64_t i = 0; i < input.streams[0].frames.size(); ++i) {
      const Frame frame = input.streams[0].frames.frame(i);
      clean += canHasHeader(frame) && frame.errors == 0 ? 1 : 0;
    }
    const RuleResult& rate = ruleNamed(check, "bit rate error");
    ASSERT_EQ(rate.spread.count, clean) << seed;
    if (clean == 0)
      continue;
    // The wire moves on whole nanoseconds: over 17 bits and more, at a microsecond and more each.
    EXPECT_NEAR(rate.spread.min, off, 0.012) << seed;
    EXPECT_NEAR(rate.spread.max, off, 0.012) << seed;
    const RuleResult& data = ruleNamed(check, "FD bit rate error");
    fast += data.spread.count;
    if (data.spread.count > 0) {
      const double finest = 100.0 * 1e3 * can.fdBitrate / 1e12;  // a nanosecond in a bit of the data phase
      EXPECT_NEAR(data.spread.min, off, finest / 2.0 + 0.01) << seed;
      EXPECT_NEAR(data.spread.max, off, finest / 2.0 + 0.01) << seed;
    }
    // Between two falls are at most ten bits; where the rate switches, up to two long ones count as eight times as
    // many.
    const double nanosecond = 100.0 * 1e3 * std::max(can.bitrate, can.fdBitrate) / 1e12;
    EXPECT_LE(ruleNamed(check, "edge displacement").spread.max, 27.0 * std::abs(off) + 2.0 * nanosecond) << seed;
    rests += ruleNamed(check, "intermission").spread.count;
    EXPECT_GE(ruleNamed(check, "intermission").spread.min, 3.0) << seed;  // of none it is endless
  }
  EXPECT_GT(fast, 10U);
  EXPECT_GT(rests, 10U);
}

TEST(CanMeter, ARestOfMoreThanTwentyBitsIsNoIntermission)
{
  const Bus bus = *parseBusSpec("c=can,rx=rx,bitrate=500000,fd_bitrate=2000000");
  const auto message = [](std::uint32_t id) {
    rig::CanMessage m;
    m.id = id;
    m.dlc = 1;
    m.data = {1};
    return m;
  };
  std::set<std::int64_t> rests;
  for (int quiet = 8; quiet < 26; ++quiet) {
    rig::CanDriver wire{rig::CanPace{}};
    wire.hold(true, 12);
    wire.send(message(0x123));
    wire.hold(true, quiet);
    wire.send(message(0x124));
    wire.hold(true, 40);
    const CheckInput input = checkInputOf(bus, StreamInput{{wire.track()}, wire.now(), true});
    const FrameIndex& frames = input.streams[0].frames;
    ASSERT_EQ(frames.size(), 2U);
    const std::int64_t rest = (frames.frame(1).time.begin - frames.frame(0).time.end) / 2us;
    rests.insert(rest);
    EXPECT_EQ(ruleNamed(checked(input), "intermission").spread.count, rest <= 20 ? 1U : 0U) << rest;
  }
  EXPECT_TRUE(rests.contains(20) && rests.contains(21)) << *rests.begin() << " to " << *rests.rbegin();
}

TEST(CanMeter, CountsErrorsAsNodesDo)
{
  const rig::LockCycle& cycle = lockCycle();
  const BusCheck check = checked(lockCycleBus("drives"), cycle.capture);
  EXPECT_EQ(ruleNamed(check, "receive error counter").spread.max, 1.0);
  const RuleResult& sender = ruleNamed(check, "transmit error counter");
  EXPECT_EQ(sender.spread.max, 8.0);
  for (const RuleGroup& group : sender.groups)
    EXPECT_EQ(group.spread.max, group.name == "122" ? 8.0 : 0.0) << group.name;
  const auto& cycles = ruleNamed(check, "cycle time").groups;
  const auto orders = std::find_if(cycles.begin(), cycles.end(), [](const RuleGroup& g) { return g.name == "121"; });
  ASSERT_NE(orders, cycles.end());
  EXPECT_NEAR(orders->spread.mean(), 20e9, 1e6);
  const RuleResult& load = ruleNamed(check, "bus load");
  EXPECT_EQ(load.spread.count, 84U);  // each tenth of a second
  EXPECT_GT(load.spread.min, 2.0);
  EXPECT_LT(load.spread.max, 5.0);
}

TEST(LinMeter, MeasuresBreakRateAndSpaces)
{
  const rig::LockCycle& cycle = lockCycle();
  const BusCheck check = checked(lockCycleBus("lamps"), cycle.capture);
  EXPECT_EQ(ruleNamed(check, "break").spread.min, 13.0);
  EXPECT_EQ(ruleNamed(check, "break").spread.max, 13.0);
  EXPECT_NEAR(ruleNamed(check, "break delimiter").spread.mean(), 1e12 / 19200.0, 2e3);
  EXPECT_NEAR(ruleNamed(check, "bit rate error").spread.mean(), 0.0, 0.01);
  EXPECT_EQ(ruleNamed(check, "bit rate error").spread.count, check.rules.front().spread.count);
  EXPECT_GT(ruleNamed(check, "inter-byte space").spread.count, ruleNamed(check, "response space").spread.count);
}

}  // namespace
