#include "core/signal/capture.h"

#include "support/waves.h"

using namespace bexto;
using namespace bexto::test;

namespace {

Capture wiresOf(const std::vector<std::pair<std::string, EdgeTrack>>& wires)
{
  Capture capture;
  capture.source = "bench.vcd";
  for (const auto& [path, track] : wires)
    capture.channels.push_back({path, {}, track});
  nameChannels(capture);
  return capture;
}

}  // namespace

TEST(ChannelNames, AreTheShortestPartThatNoOtherWireHas)
{
  const EdgeTrack a = wave("_#", Picoseconds{1});
  const Capture c = wiresOf({{"top.a.scl", a}, {"top.b.scl", a}, {"top.b.sda", a}, {"state[3]", a}});
  EXPECT_EQ(c.channels[0].name, "a.scl");
  EXPECT_EQ(c.channels[1].name, "b.scl");
  EXPECT_EQ(c.channels[2].name, "sda");
  EXPECT_EQ(c.channels[3].name, "state[3]");
}

TEST(FindChannel, TakesAnyTrailingPartThatNamesOneWire)
{
  const EdgeTrack a = wave("_#", Picoseconds{1});
  const EdgeTrack b = wave("#_", Picoseconds{1});
  const Capture c = wiresOf({{"top.a.scl", a}, {"top.b.scl", b}, {"top.a.sub.clk", a}, {"clk", b}});
  EXPECT_EQ(*c.find("a.scl"), 0U);
  EXPECT_EQ(*c.find("top.b.scl"), 1U);
  EXPECT_EQ(*c.find("clk"), 3U) << "a full path wins over a trailing part";
  EXPECT_FALSE(c.find("scl"));
  EXPECT_FALSE(c.find("cl")) << "a part begins after a dot";
}

TEST(FindChannel, OneWireWithSeveralNamesIsNotAmbiguous)
{
  const EdgeTrack a = wave("_#", Picoseconds{1});
  const Capture c = wiresOf({{"top.scl", a}, {"top.slave.scl", a}});
  EXPECT_TRUE(c.find("scl"));
}

TEST(FindChannel, NamesTheNearestOne)
{
  const Capture c = wiresOf({{"SCL", wave("_#", Picoseconds{1})}});
  EXPECT_EQ(c.find("SCK").error().text(), "bench.vcd: there is no channel 'SCK'; did you mean 'SCL'?");
}
