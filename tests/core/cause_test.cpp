#include "core/check/cause.h"

#include <gtest/gtest.h>

#include "support/checks.h"
#include "support/random_traffic.h"

using namespace bexto;
using namespace bexto::test;
using namespace std::chrono_literals;

namespace {

/// The track with a pulse of that length put in, which turns the level around.
EdgeTrack withPulse(const EdgeTrack& track, Picoseconds at, Picoseconds length)
{
  std::vector<std::int64_t> times = timesOf(track);
  times.push_back(at.count());
  times.push_back((at + length).count());
  std::sort(times.begin(), times.end());
  return trackOf(track.startLevel(), times);
}

Capture character(unsigned value, const Bus& bus)
{
  LineWriter line(true);
  const double bit = 1e12 / uartSettings(bus).baud;
  line.hold(true, 20 * bit);
  sendCharacter(line, uartSettings(bus), value, bit);
  line.hold(true, 40 * bit);
  return captureOf({{"RX", line.track()}}, line.now());
}

const Bus& uart()
{
  static const Bus kBus = *parseBusSpec("b=uart,rx=RX,baud=100000,parity=even");
  return kBus;
}

TEST(Causes, APulseInTheMiddleOfABitIsAGlitch)
{
  // Bits of 10 µs from 200 µs on; bit 3 is sampled at 245 µs.
  Capture capture = character(0x00, uart());
  capture.channels[0].track = withPulse(capture.channels[0].track, 243us, 4us);
  const BusCheck check = checked(uart(), capture);
  const auto found = findingsOf(check, "parity");
  ASSERT_EQ(found.size(), 1U);
  ASSERT_TRUE(found[0]->cause);
  EXPECT_EQ(found[0]->cause->kind, Cause::Kind::Glitch);
  EXPECT_EQ(found[0]->cause->time, (TimeRange{243us, 247us}));
  EXPECT_NE(found[0]->cause->why.find("without that the frame would be right"), std::string::npos);
}

TEST(Causes, APulseRightBesideAnEdgeIsTheThreshold)
{
  // The line falls at 200 µs (start); it bounces at 243 µs beside a fall at 242 µs.
  Capture capture = character(0x00, uart());
  capture.channels[0].track = withPulse(withPulse(capture.channels[0].track, 242500ns, 1500ns), 244100ns, 4us);
  const BusCheck check = checked(uart(), capture);
  for (const Finding* finding : findingsOf(check, "parity"))
    EXPECT_TRUE(!finding->cause || finding->cause->kind == Cause::Kind::Threshold) << finding->cause->why;
}

TEST(Causes, WhereNothingPointsToOneNoneIsClaimed)
{
  // A wrong parity that was sent so, and a pulse elsewhere that changes nothing.
  UartSettings odd = uartSettings(uart());
  odd.parity = UartParity::Odd;
  LineWriter line(true);
  line.hold(true, 200e6);
  sendCharacter(line, odd, 0x35, 10e6);
  line.hold(true, 400e6);
  Capture capture = captureOf({{"RX", line.track()}}, line.now());
  const BusCheck plain = checked(uart(), capture);
  EXPECT_FALSE(findingsOf(plain, "parity").front()->cause);
  capture.channels[0].track = withPulse(capture.channels[0].track, 221us, 1us);  // far from a sample
  const BusCheck check = checked(uart(), capture);
  const auto found = findingsOf(check, "parity");
  ASSERT_EQ(found.size(), 1U);
  EXPECT_FALSE(found[0]->cause);
}

TEST(Causes, ABitThatIsTooLongForAGlitchIsNone)
{
  // Half a bit and more: without it the parity would be right, but nobody would call it a glitch.
  Capture capture = character(0x00, uart());
  capture.channels[0].track = withPulse(capture.channels[0].track, 241us, 8us);
  const BusCheck check = checked(uart(), capture);
  const auto found = findingsOf(check, "parity");
  ASSERT_EQ(found.size(), 1U);
  EXPECT_FALSE(found[0]->cause);
}

TEST(Causes, ASlowSenderIsNamedToo)
{
  // 5.5 % slow: the stop bit is sampled while the last data bit is still there.
  LineWriter line(true);
  const Bus bus = *parseBusSpec("b=uart,rx=RX,baud=100000");
  line.hold(true, 200e6);
  sendCharacter(line, uartSettings(bus), 0x15, 10e6 * 1.056);
  line.hold(true, 400e6);
  const BusCheck check = checked(bus, captureOf({{"RX", line.track()}}, line.now()));
  const auto found = findingsOf(check, "framing");
  ASSERT_EQ(found.size(), 1U);
  ASSERT_TRUE(found[0]->cause);
  EXPECT_EQ(found[0]->cause->kind, Cause::Kind::Rate);
  EXPECT_NE(found[0]->cause->why.find("slower"), std::string::npos);
}

/// Any glitch that breaks a frame of CAN so that its CRC is wrong is found, wherever it is.
TEST(Causes, GlitchesThatBreakACrcAreFoundWhereverTheyAre)
{
  std::mt19937_64 random(3);
  int broken = 0;
  for (int seed = 1; seed <= cases(60); ++seed) {
    rig::CanDriver wire{rig::CanPace{}};
    wire.hold(true, 12.5);
    rig::CanMessage message;
    message.id = 0x123;
    message.dlc = 8;
    for (int i = 0; i < 8; ++i)
      message.data.push_back(static_cast<std::uint8_t>(random()));
    wire.send(message);
    wire.hold(true, 13);
    Capture capture = captureOf({{"RX", wire.track()}}, wire.now());
    const Bus bus = *parseBusSpec("b=can,rx=RX,bitrate=500000");
    const CheckInput clean = checkInputOf(bus, capture);
    const TimeRange frame = clean.streams[0].frames.frame(0).time;
    // Over a sample point, at 80 % of a bit of 2 µs.
    const Picoseconds at = frame.begin + 2us * static_cast<int>(20 + random() % 60) + 1550ns;
    capture.channels[0].track = withPulse(capture.channels[0].track, at, 100ns);
    const BusCheck check = checked(bus, capture);
    const auto found = findingsOf(check, "crc");
    if (found.empty())
      continue;  // it broke the stuffing, or what stands before the CRC
    ++broken;
    ASSERT_TRUE(found[0]->cause) << seed;
    EXPECT_EQ(found[0]->cause->kind, Cause::Kind::Glitch);
    EXPECT_EQ(found[0]->cause->time.begin, at) << seed;
  }
  EXPECT_GT(broken, 5);
}

TEST(Causes, WhereAClockLeadsAGlitchIsShorterThanHalfItsPulses)
{
  // Clock pulses of 5 µs, all bits low; in bit 3 it is high for 15 µs and drops once, so there is a bit too many.
  constexpr std::int64_t kHalf = 5'000'000;
  const auto causes = [&](std::int64_t length) {
    std::vector<std::int64_t> scl;
    std::int64_t t = 21 * kHalf;
    for (int bit = 0; bit < 9; ++bit) {
      scl.push_back(t);
      scl.push_back(t += kHalf);
      if (bit == 3) {
        scl.push_back(t + 6 * kHalf / 5);
        scl.push_back(t + 6 * kHalf / 5 + length);
        t += 2 * kHalf;
      }
      t += kHalf;
    }
    scl.push_back(t);
    scl.push_back(t + 2 * kHalf);
    const Capture capture =
        captureOf({{"SCL", trackOf(true, scl)}, {"SDA", trackOf(true, {20 * kHalf, t + 3 * kHalf})}},
                  Picoseconds{t + 40 * kHalf});
    const BusCheck check = checked(*parseBusSpec("b=i2c,scl=SCL,sda=SDA"), capture);
    std::size_t count = 0;
    for (const Finding& finding : check.findings)
      count += finding.cause ? 1U : 0U;
    return std::pair(check.findings.size(), count);
  };
  EXPECT_GT(causes(kHalf * 46 / 100).second, 0U);
  EXPECT_GT(causes(kHalf * 54 / 100).first, 0U) << "what it breaks is found";
  EXPECT_EQ(causes(kHalf * 54 / 100).second, 0U) << "too long to be one";
}

}  // namespace
