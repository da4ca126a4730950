#include "core/decode/bus_spec.h"

#include "core/decode/settings.h"
#include "support/waves.h"

using namespace bexto;
using namespace bexto::test;

namespace {

std::string errorOf(const std::string& spec)
{
  const auto bus = parseBusSpec(spec);
  return bus ? "no error" : bus.error().message + (bus.error().mend.empty() ? "" : "; " + bus.error().mend);
}

}  // namespace

TEST(BusSpec, TakesEverySetting)
{
  const auto bus = parseBusSpec("sonar=uart,rx=UP,tx=DOWN,baud=57600,bits=7,parity=even,stop=1.5,order=msb,invert=yes");
  ASSERT_TRUE(bus);
  const auto& uart = std::get<UartSettings>(bus->settings);
  EXPECT_EQ(bus->name, "sonar");
  EXPECT_EQ(bus->channelOf("rx"), "UP");
  EXPECT_EQ(bus->channelOf("tx"), "DOWN");
  EXPECT_EQ(uart, (UartSettings{57600.0, 7, Parity::Even, 3, BitOrder::Msb, true}));
  const auto i2c = parseBusSpec("s=i2c,scl=A,sda=B,spike=50ns");
  ASSERT_TRUE(i2c);
  EXPECT_EQ(std::get<I2cSettings>(i2c->settings).spike, std::chrono::nanoseconds(50));
}

TEST(BusSpec, WritesTheShortestSpecThatReadsBackTheSame)
{
  for (const std::string spec : {"a=uart,rx=R,baud=115200", "b=uart,tx=T,baud=auto,parity=odd,stop=2",
                                 "c=i2c,scl=A,sda=B", "d=i2c,scl=A,sda=B,spike=50ns", "e=uart,rx=R,baud=31250.5"})
    EXPECT_EQ(busSpecText(*parseBusSpec(spec)), spec);
}

TEST(BusSpec, SaysWhatIsWrongAndWhatWouldBeRight)
{
  EXPECT_EQ(errorOf("nothing"), "it does not begin with NAME=PROTOCOL; write it like sensors=i2c,scl=SCL,sda=SDA");
  EXPECT_EQ(errorOf("a=laser"), "there is no protocol 'laser'; there are uart, i2c, spi and can");
  EXPECT_EQ(errorOf("a=uart,rx=R"), "baud is not given; add baud=115200");
  EXPECT_EQ(errorOf("a=uart,rx=R,baud=0"),
            "'0' is no value for baud; write the bits a second from 1 to 1000000000, or auto");
  EXPECT_EQ(errorOf("a=uart,rx=R,baud=9600,bits=10"), "'10' is no value for bits; choose 5, 6, 7, 8, 9");
  EXPECT_EQ(errorOf("a=uart,baud=9600"), "no channel is given; add rx=CHANNEL, tx=CHANNEL or both");
  EXPECT_EQ(errorOf("a=i2c,scl=S"), "no channel is given for sda; add sda=CHANNEL");
  EXPECT_EQ(errorOf("a=i2c,scl=S,sda=D,mode=1"), "i2c has no setting 'mode'; it has scl, sda, spike");
  EXPECT_EQ(errorOf("a=i2c,scl=S,scl=D"), "scl is given twice; leave one out");
  EXPECT_EQ(errorOf("a=i2c,scl=,sda=D"), "'scl=' is not key=value");
  EXPECT_EQ(errorOf("a=i2c,scl=S,sda=D,spike=1h"),
            "'1h' is no value for spike; write a time from 0s to 1ms, like 50ns");
}

TEST(ResolveBus, NeedsTwoWiresForTwoRoles)
{
  Capture capture;
  capture.source = "x.vcd";
  capture.channels = {{"a", "a", wave("_#", Picoseconds{1})}, {"b", "b", wave("_#", Picoseconds{1})}};
  EXPECT_TRUE(resolveBus(*parseBusSpec("i=i2c,scl=a,sda=b"), capture));
  EXPECT_EQ(resolveBus(*parseBusSpec("i=i2c,scl=a,sda=a"), capture).error().text(),
            "bus i: two lines of the bus are on one wire, 'a'; choose another channel for one of them");
  EXPECT_EQ(resolveBus(*parseBusSpec("i=i2c,scl=a,sda=c"), capture).error().message, "there is no channel 'c'");
  EXPECT_EQ(resolveBus(*parseBusSpec("u=uart,rx=a,baud=auto"), capture).error().message,
            "the baud cannot be found: the line has too few edges");
}

TEST(ResolveBus, AUartHasAStreamForEachLine)
{
  Capture capture;
  capture.channels = {{"a", "a", wave("_#", Picoseconds{1})}, {"b", "b", wave("_#", Picoseconds{1})}};
  const auto both = resolveBus(*parseBusSpec("u=uart,tx=b,rx=a,baud=9600"), capture);
  ASSERT_TRUE(both);
  ASSERT_EQ(both->streams.size(), 2U);
  EXPECT_EQ(both->streams[0].line, "rx");
  EXPECT_EQ(both->streams[1].channels, (std::vector<std::size_t>{1}));
}

TEST(SettingsSummary, SaysItAsEngineersDo)
{
  EXPECT_EQ(settingsSummary(*parseBusSpec("a=uart,rx=R,baud=57600,parity=even")), "57600 8E1");
  EXPECT_EQ(settingsSummary(*parseBusSpec("a=uart,rx=R,baud=auto,bits=7,stop=1.5,invert=yes")),
            "auto 7N1.5 · inverted");
  EXPECT_EQ(settingsSummary(*parseBusSpec("a=i2c,scl=A,sda=B,spike=50ns")), "ignores < 50 ns");
}
