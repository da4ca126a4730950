// How fast a UART line is, and how "auto" finds that out.
#include "core/protocol/uart/uart_rate.h"

#include <gtest/gtest.h>

#include <random>

#include "core/decode/bit_rate.h"
#include "core/protocol/uart/uart_settings.h"
#include "support/uart_line.h"

using namespace bexto;
using namespace bexto::test;
using namespace std::chrono_literals;

namespace {

/// Text at that rate, seen by an instrument that looks every `sample` ps, from some moment within a sample on. `rest`:
/// bits of it behind each character; `off`: by which the sender's clock differs.
StreamInput sampledText(double baud, std::int64_t sample, std::uint64_t seed, double rest = 0.0, double off = 0.0)
{
  std::mt19937_64 random(seed);
  LineWriter line(true);
  const double bit = 1e12 / baud / (1.0 + off);
  line.hold(true, 20 * bit + static_cast<double>(random() % static_cast<std::uint64_t>(sample)));
  for (int i = 0; i < 224; ++i) {
    sendCharacter(line, plain(), 32 + static_cast<std::uint32_t>(random() % 95), bit);
    line.hold(true, rest * bit);
    if (i % 40 == 39)
      line.hold(true, 100 * bit);
  }
  std::vector<std::int64_t> edges;
  for (Picoseconds t = line.track().nextAfter(Picoseconds{-1}); t != kNever; t = line.track().nextAfter(t))
    edges.push_back((t.count() + sample - 1) / sample * sample);
  return {{trackOf(true, edges)}, line.now() + Picoseconds{std::llround(20 * bit)}, true};
}

/// What auto finds, and how many of the characters are clean then.
std::pair<double, std::uint64_t> foundBy(const StreamInput& input)
{
  Bus bus = uartBus();
  bus.settings.edit<UartSettings>().baud = 0.0;
  if (!uartProtocol().findAuto(bus, {input}))
    return {0.0, 0};
  const FrameIndex frames = decodeAll(bus, input);
  return {uartSettings(bus).baud, frames.size() - frames.errorCount()};
}

}  // namespace

TEST(UartRate, IsMeasuredFromTheCharacters)
{
  LineWriter line(true);
  line.hold(true, kBit);
  for (std::uint32_t i = 0; i < 100; ++i)
    sendCharacter(line, plain(), i * 37 % 256, kBit / 1.026);
  line.hold(true, 20 * kBit);
  const auto decoded = decodeStream(uartBus(), inputFrom(line), std::stop_token());
  EXPECT_NEAR(decoded->measuredHertz / kBaud, 1.026, 0.001);
}

TEST(UartRate, AutoFindsTheCustomaryRateInDirtyTraffic)
{
  for (const double baud : {9600.0, 57600.0, 115200.0, 1000000.0}) {
    std::mt19937_64 random(4);
    LineWriter line(true);
    const double bit = 1e12 / baud;
    line.hold(true, bit);
    for (int i = 0; i < 300; ++i) {
      sendCharacter(line, plain(), 32 + static_cast<std::uint32_t>(random() % 90), bit * 1.011);
      if (i % 40 == 0) {
        line.hold(false, bit * 0.03);
        line.hold(true, bit * 1.5);
      }
    }
    EXPECT_EQ(nearestStandardRate(estimateBitRate(line.track())), baud);
  }
}

TEST(UartRate, AutoReadsTextHoweverCoarseItsSamplesAre)
{
  for (const auto& [baud, samples] : std::vector<std::pair<double, double>>{{115200, 1e6},
                                                                            {57600, 500e3},
                                                                            {230400, 1e6},
                                                                            {921600, 10e6},
                                                                            {9600, 50e3},
                                                                            {115200, 24e6},
                                                                            {1e6, 5e6},
                                                                            {3e6, 24e6},
                                                                            {300, 2000}}) {
    for (std::uint64_t seed = 0; seed < 10; ++seed) {
      const auto [found, clean] = foundBy(sampledText(baud, std::llround(1e12 / samples), seed));
      EXPECT_EQ(found, baud) << samples;
      EXPECT_EQ(clean, 224U) << baud << " at " << samples;
    }
  }
}

TEST(UartRate, RestsBetweenCharactersAndASendersClockDoNotLeadAutoAstray)
{
  for (const double rest : {0.3, 0.5, 0.7, 1.5, 7.3}) {
    for (const double off : {-0.025, 0.0, 0.025}) {
      const auto [found, clean] = foundBy(sampledText(9600, 1000000, 3, rest, off));
      EXPECT_EQ(found, 9600) << rest << " " << off;
      EXPECT_EQ(clean, 224U) << rest << " " << off;
    }
  }
}

TEST(UartRate, AutoFindsTheRateOfAnotherFormatThanIsSet)
{
  for (const UartParity parity : {UartParity::Even, UartParity::Odd}) {
    UartSettings sent = plain();
    sent.parity = parity;
    std::mt19937_64 random(2);
    LineWriter line(true);
    line.hold(true, 3 * kBit);
    for (int i = 0; i < 300; ++i)
      sendCharacter(line, sent, 32 + static_cast<std::uint32_t>(random() % 95), kBit);
    line.hold(true, 30 * kBit);
    EXPECT_EQ(foundBy(inputFrom(line)).first, kBaud);
  }
}

TEST(UartRate, AutoMeasuresARateThatIsNotCustomary)
{
  for (const double baud : {10400.0, 100000.0, 125000.0, 333333.0}) {
    const auto [found, clean] = foundBy(sampledText(baud, 1000, 5));
    EXPECT_NEAR(found / baud, 1.0, 0.002) << baud;
    EXPECT_EQ(clean, 224U) << baud;
  }
}

TEST(UartRate, AutoFindsNothingWhereNothingIsSaid)
{
  EXPECT_EQ(foundBy({{trackOf(true, {1000000, 9000000, 12000000})}, 1ms, true}).first, 0.0);
  // Edges anywhere.
  std::mt19937_64 random(8);
  for (const std::uint64_t longest : {1000000U, 100000000U, 1000000000U, 4000000000U}) {
    std::vector<std::int64_t> edges;
    std::int64_t t = 0;
    for (int i = 0; i < 2000; ++i)
      edges.push_back(t += 1 + static_cast<std::int64_t>(random() % longest));
    EXPECT_EQ(foundBy({{trackOf(true, edges)}, Picoseconds{t}, true}).first, 0.0) << longest;
  }
}

TEST(UartRate, ACustomaryRateIsFoundWhenItIsMeasuredALittleOff)
{
  for (const double rate :
       {110.0,    134.5,    150.0,   200.0,   300.0,   600.0,   1200.0,  1800.0,   2400.0,   4800.0,   9600.0,
        14400.0,  19200.0,  28800.0, 31250.0, 38400.0, 57600.0, 76800.0, 115200.0, 230400.0, 250000.0, 460800.0,
        500000.0, 576000.0, 921600., 1e6,     1152e3,  1.5e6,   2e6,     2.5e6,    3e6,      4e6}) {
    EXPECT_EQ(nearestStandardRate(rate * 1.004), rate);
    EXPECT_EQ(nearestStandardRate(rate * 0.996), rate);
  }
}

TEST(UartRate, FarFromEveryCustomaryRateTheMeasuredOneIsKept)
{
  EXPECT_EQ(nearestStandardRate(100000.0), 100000.0);
  EXPECT_EQ(nearestStandardRate(117000.0), 115200.0);
  EXPECT_EQ(estimateBitRate(EdgeTrack()), 0.0);
}
