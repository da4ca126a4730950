#include "rig/targets.h"

#include "core/decode/bus_spec.h"
#include "core/decode/decoder.h"
#include "core/decode/protocol.h"
#include "core/signal/edge_track_builder.h"
#include "rig/instrument/acquisition.h"
#include "rig/plant.h"

using namespace bexto;
using namespace bexto::rig;
using namespace std::chrono_literals;

namespace {

Bus busOf(const std::string& spec)
{
  return *parseBusSpec(spec);
}
const char* const kSensors = "sensors=i2c,scl=SCL,sda=SDA";
const char* const kLog = "log=spi,clk=SPI_CLK,mosi=SPI_MOSI,miso=SPI_MISO,cs=LOG_CS";
const char* const kAdc = "adc=spi,clk=SPI_CLK,mosi=SPI_MOSI,miso=SPI_MISO,cs=ADC_CS,mode=1";

std::uint16_t probeOf(const std::string& name)
{
  const auto found = std::find(kProbeNames.begin(), kProbeNames.end(), name);
  return static_cast<std::uint16_t>(1U << (found - kProbeNames.begin()));
}

/// The line's levels on the probes.
WirePattern patternOf(const Bus& bus, const std::string& line)
{
  const auto telegram = bus.protocol().telegram(bus, line);
  EXPECT_TRUE(telegram) << line;
  WirePattern pattern;
  pattern.length = telegram->length.count();
  for (std::size_t wire = 0; wire < telegram->roles.size(); ++wire) {
    const std::uint16_t probe = probeOf(bus.channelOf(telegram->roles[wire]));
    pattern.driven |= probe;
    pattern.open = static_cast<std::uint16_t>(pattern.open | ((telegram->open >> wire & 1U) != 0 ? probe : 0U));
  }
  for (const Telegram::Step& step : telegram->steps) {
    std::uint16_t levels = 0;
    for (std::size_t wire = 0; wire < telegram->roles.size(); ++wire)
      levels = static_cast<std::uint16_t>(
          levels | ((step.levels >> wire & 1U) != 0 ? probeOf(bus.channelOf(telegram->roles[wire])) : 0U));
    pattern.steps.push_back({step.time.count(), levels});
  }
  return pattern;
}

Capture probed(const std::vector<ProbeChange>& changes, Picoseconds end)
{
  Capture capture;
  for (std::size_t probe = 0; probe < kProbes; ++probe) {
    EdgeTrackBuilder track(0);
    for (const ProbeChange& change : changes)
      track.set(change.time, (change.levels >> probe & 1U) != 0);
    capture.channels.push_back({std::string(kProbeNames[probe]), {}, track.snapshot()});
  }
  nameChannels(capture);
  capture.end = end;
  return capture;
}

struct Line {
  Picoseconds begin;
  std::string text;
};

std::vector<Line> linesOf(const Bus& bus, const Capture& capture)
{
  const auto resolved = resolveBus(bus, capture);
  EXPECT_TRUE(resolved);
  const auto decoded = decodeStream(resolved->bus, inputOf(capture, resolved->streams.at(0)), std::stop_token());
  const Transactions lines(resolved->bus, decoded->frames);
  std::vector<Line> all;
  for (std::uint64_t i = 0; i < lines.size(); ++i)
    all.push_back({lines.beginOf(i), bus.protocol().sentence(resolved->bus, lines, i, 64).text()});
  return all;
}

/// What the devices make of the line, decoded.
std::string answerTo(Targets& targets, const char* spec, const std::string& line)
{
  const Bus bus = busOf(spec);
  const WirePattern pattern = patternOf(bus, line);
  const auto lines = linesOf(bus, probed(targets.answered(pattern), Picoseconds{pattern.length} + 1ms));
  EXPECT_EQ(lines.size(), 1U) << line;
  return lines.empty() ? std::string() : lines[0].text;
}

}  // namespace

TEST(Targets, TheLevelTransducerSaysItsLevel)
{
  Targets targets;
  const std::string said = answerTo(targets, kSensors, "2A write 10 read 3");
  EXPECT_THAT(said, testing::HasSubstr("01 7F 3C"));
  EXPECT_THAT(said, testing::HasSubstr("10"));
}

TEST(Targets, WhatIsWrittenCanBeReadBack)
{
  Targets targets;
  EXPECT_THAT(answerTo(targets, kSensors, "52 write 01 F0 A5 5A 3C"), testing::HasSubstr("01 F0 A5 5A 3C"));
  EXPECT_THAT(answerTo(targets, kSensors, "52 write 01 F0 read 4"), testing::HasSubstr("A5 5A 3C"));
  answerTo(targets, kSensors, "52 write 0F FF 11 22");
  EXPECT_THAT(answerTo(targets, kSensors, "52 write 0F FF read 2"), testing::HasSubstr("11 22")) << "it wraps";
}

TEST(Targets, NobodyAnswersAtAnAddressThatNobodyHas)
{
  Targets targets;
  const Bus bus = busOf(kSensors);
  const WirePattern pattern = patternOf(bus, "33 write 10");
  const Capture capture = probed(targets.answered(pattern), Picoseconds{pattern.length} + 1ms);
  const auto lines = linesOf(bus, capture);
  ASSERT_EQ(lines.size(), 1U);
  EXPECT_THAT(lines[0].text, testing::HasSubstr("no answer"));
}

TEST(Targets, FlashAndConverterAnswerInTheirModes)
{
  Targets targets;
  EXPECT_THAT(answerTo(targets, kLog, "9F read 3"), testing::HasSubstr("6E 32 16"));
  EXPECT_THAT(answerTo(targets, kLog, "03 01 00 10 read 4"), testing::HasSubstr("30 33 36 39"));
  EXPECT_THAT(answerTo(targets, kAdc, "94 read 2"), testing::HasSubstr("7F F1"));
}

TEST(PlantDriven, WhatIsDrivenFindsAPlaceBetweenTheOthersAndHarmsNothing)
{
  Plant plant(1187);
  const Bus bus = busOf(kSensors);
  const std::int64_t earliest = Picoseconds(100ms).count();
  for (int i = 0; i < 20; ++i)
    ASSERT_TRUE(plant.drive(patternOf(bus, "2A write 10 read 3"), earliest + i * Picoseconds(20ms).count()));
  std::vector<ProbeChange> changes{{0, plant.levels()}};
  std::vector<ProbeChange> alone;
  Plant other(1187);
  const std::int64_t end = Picoseconds(1500ms).count();
  std::vector<Plant::Driven> driven;
  while (plant.next() < end) {
    const std::int64_t at = plant.next();
    plant.advance();
    changes.push_back({at, plant.levels()});
    for (const auto& one : plant.takeDriven())
      driven.push_back(one);
  }
  alone.push_back({0, other.levels()});
  while (other.next() < end) {
    const std::int64_t at = other.next();
    other.advance();
    alone.push_back({at, other.levels()});
  }
  ASSERT_EQ(driven.size(), 20U);
  const Capture with = probed(changes, 1500ms);
  const Capture without = probed(alone, 1500ms);
  const auto ours = linesOf(bus, with);
  const auto own = linesOf(bus, without);
  ASSERT_EQ(ours.size(), own.size() + 20);
  // Take ours out again, and what is left is what was there.
  std::vector<Line> left;
  for (const Line& line : ours) {
    const bool isOurs = std::any_of(driven.begin(), driven.end(), [&](const Plant::Driven& d) {
      return line.begin.count() >= d.begin && line.begin.count() <= d.end;
    });
    if (isOurs)
      EXPECT_THAT(line.text, testing::HasSubstr("01 7F 3C"));
    else
      left.push_back(line);
  }
  ASSERT_EQ(left.size(), own.size());
  for (std::size_t i = 0; i < own.size(); ++i) {
    EXPECT_EQ(left[i].begin, own[i].begin);
    EXPECT_EQ(left[i].text, own[i].text);
  }
  for (std::size_t probe = 2; probe < kProbes; ++probe)
    EXPECT_EQ(with.channels[probe].track.size(), without.channels[probe].track.size()) << kProbeNames[probe];
}

TEST(PlantDriven, TooManyAreRefused)
{
  Plant plant(1187);
  const WirePattern pattern = patternOf(busOf(kSensors), "2A write 10");
  int taken = 0;
  while (taken < 1000 && plant.drive(pattern, 0))
    ++taken;
  EXPECT_GE(taken, 64);
  EXPECT_LE(taken, 66);
}
