#include <random>

#include "core/decode/rate_meter.h"
#include "core/format/vcd_header.h"
#include "support/rooms.h"

using namespace bexto;
using namespace std::chrono_literals;

TEST(RateMeter, IsEmptyUntilSomethingIsMeasured)
{
  RateMeter meter;
  EXPECT_EQ(meter.hertz(), 0.0);
  meter.add(Picoseconds{0});
  meter.add(-1ns);
  EXPECT_EQ(meter.hertz(), 0.0);
}

TEST(RateMeter, TakesTheTypicalPeriodAndNotTheMean)
{
  RateMeter meter;
  for (int i = 0; i < 100; ++i)
    meter.add(2500ns);
  for (int i = 0; i < 40; ++i)
    meter.add(900us);
  EXPECT_NEAR(meter.hertz(), 400e3, 1.0);
}

TEST(RateMeter, JitterAveragesOutAtAnyScale)
{
  for (const std::int64_t period : {50L, 8681L, 8680556L, 1000000007L, 3000000000000L}) {
    std::mt19937_64 random(1);
    RateMeter meter;
    const std::int64_t jitter = period / 200;
    for (int i = 0; i < 20000; ++i)
      meter.add(Picoseconds{period + static_cast<std::int64_t>(random() % static_cast<std::uint64_t>(2 * jitter + 1)) -
                            jitter});
    EXPECT_NEAR(meter.typicalPicoseconds() / static_cast<double>(period), 1.0, 0.001) << period;
  }
}

namespace {

Result<VcdHeader> headerOf(const std::string& text)
{
  auto header = parseVcdHeader(text, true, "x");
  return header ? Result<VcdHeader>(std::move(**header)) : tl::unexpected(header.error());
}

}  // namespace

TEST(VcdHeader, KeepsScopesRangesAndKinds)
{
  const std::string text =
      "$date today $end $scope module top $end $scope begin gen[0] $end $var reg 8 # data [7:0] $end "
      "$var wire 1 % flag[3] $end $var wire 2 & pair[1:0] $end $upscope $end $var real 64 ' volts $end $upscope $end "
      "$var wire 1 ( \\odd.name[1] $end $timescale 10 ps $end $enddefinitions $end #0";
  const auto header = headerOf(text);
  ASSERT_TRUE(header) << header.error().text();
  ASSERT_EQ(header->variables.size(), 5U);
  EXPECT_EQ(header->variables[0].path, "top.gen[0].data");
  EXPECT_EQ(header->variables[0].leftIndex, 7);
  EXPECT_EQ(header->variables[0].step, -1);
  EXPECT_EQ(header->variables[1].path, "top.gen[0].flag");
  EXPECT_EQ(header->variables[1].leftIndex, 3);
  EXPECT_EQ(header->variables[2].width, 2U);
  EXPECT_TRUE(header->variables[3].skipped);
  EXPECT_EQ(header->variables[3].path, "top.volts");
  EXPECT_EQ(header->variables[4].path, "\\odd.name[1]") << "an escaped name keeps its brackets";
  EXPECT_EQ(header->tickPower, 1);
  EXPECT_EQ(text.substr(header->bodyOffset), " #0");
}

TEST(VcdHeader, ARangeThatDoesNotFitTheWidthIsNotTaken)
{
  const auto header = headerOf("$var wire 4 ! a [7:0] $end $enddefinitions $end");
  ASSERT_TRUE(header);
  EXPECT_EQ(header->variables[0].leftIndex, 3);
  EXPECT_EQ(header->notes, std::vector<std::string>{"the file names no time unit; 1 ns is taken"});
}

TEST(VcdHeader, AbsurdDeclarationsAreRefused)
{
  EXPECT_FALSE(headerOf("$var wire 99999999 ! a $end $enddefinitions $end"));
  EXPECT_FALSE(headerOf("$var wire -1 ! a $end $enddefinitions $end"));
  EXPECT_FALSE(headerOf("$var wire 1 \x01 a $end $enddefinitions $end"));
  std::string many;
  for (int i = 0; i < 20; ++i)
    many += "$var wire 65536 ! a $end\n";
  const auto header = headerOf(many + "$enddefinitions $end");
  ASSERT_FALSE(header);
  EXPECT_EQ(header.error().text(), "x, line 17: the file declares more than 1 048 576 wires; dump fewer scopes");
}

TEST(Settings, EveryRowOfTheTableCanBeReadAndSet)
{
  for (const Protocol* protocol : protocols()) {
    Bus bus("b", *protocol);
    EXPECT_TRUE(bus.isOf(*protocol));
    for (const SettingSpec& setting : bus.settings.specs()) {
      if (!setting.fallback.empty()) {
        EXPECT_EQ(bus.settings.text(setting.key), setting.fallback) << "a new bus has the fallback of " << setting.key;
      }
      for (const std::string& choice : setting.choices) {
        ASSERT_TRUE(bus.set(setting.key, choice)) << setting.key << "=" << choice;
        EXPECT_EQ(bus.settings.text(setting.key), choice);
      }
      EXPECT_FALSE(bus.set(setting.key, "nonsense"));
      EXPECT_EQ(bus.settings.text(setting.key), setting.choices.back()) << "a refused value changes nothing";
    }
  }
}

TEST(Settings, ChannelsCanBeGivenAndTakenAway)
{
  Bus bus("b", i2cProtocol());
  bus.setChannel("scl", "A");
  bus.setChannel("scl", "B");
  EXPECT_EQ(bus.channelOf("scl"), "B");
  EXPECT_EQ(bus.wires.size(), 1U);
  bus.setChannel("scl", "");
  EXPECT_EQ(bus.channelOf("scl"), "");
  EXPECT_FALSE(bus.check());
}
