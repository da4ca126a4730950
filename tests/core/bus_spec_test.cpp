#include "core/decode/bus_spec.h"

#include "support/rooms.h"
#include "support/waves.h"

using namespace bexto;
using namespace bexto::test;

namespace {

std::string refusalOf(const std::string& spec)
{
  const auto bus = parseBusSpec(spec);
  return bus ? "no error" : bus.error().message + (bus.error().mend.empty() ? "" : "; " + bus.error().mend);
}

}  // namespace

TEST(BusSpec, TakesEverySetting)
{
  const auto bus = parseBusSpec("sonar=uart,rx=UP,tx=DOWN,baud=57600,bits=7,parity=even,stop=1.5,order=msb,invert=yes");
  ASSERT_TRUE(bus);
  const auto& uart = bus->settings.as<UartSettings>();
  EXPECT_EQ(bus->name, "sonar");
  EXPECT_EQ(bus->channelOf("rx"), "UP");
  EXPECT_EQ(bus->channelOf("tx"), "DOWN");
  EXPECT_EQ(uart, (UartSettings{57600.0, 7, UartParity::Even, 3, BitOrder::Msb, true}));
  const auto i2c = parseBusSpec("s=i2c,scl=A,sda=B,spike=50ns");
  ASSERT_TRUE(i2c);
  EXPECT_EQ(i2c->settings.as<I2cSettings>().spike, std::chrono::nanoseconds(50));
}

TEST(BusSpec, TakesEverySettingOfSpiAndCan)
{
  const auto spi = parseBusSpec("s=spi,clk=C,mosi=O,cs=S,mode=3,bits=12,order=lsb,cs_active=high,gap=4us,frames=word");
  ASSERT_TRUE(spi);
  EXPECT_EQ(spi->settings.as<SpiSettings>(),
            (SpiSettings{3, 12, BitOrder::Lsb, true, std::chrono::microseconds(4), SpiFrames::Word}));
  const auto can =
      parseBusSpec("c=can,rx=R,bitrate=250000,sample_point=0.875,fd_bitrate=2e6,fd_sample_point=0.7,iso=no,invert=yes");
  ASSERT_TRUE(can) << can.error().text();
  EXPECT_EQ(can->settings.as<CanSettings>(), (CanSettings{250000.0, 0.875, 2e6, 0.7, false, true}));
}

TEST(BusSpec, SaysWhatSpiAndCanNeed)
{
  EXPECT_EQ(refusalOf("s=spi,clk=C,cs=S"), "no data line is given; add mosi=CHANNEL, miso=CHANNEL or both");
  EXPECT_EQ(refusalOf("s=spi,clk=C,miso=I"), "nothing says where a transfer ends; add cs=CHANNEL or gap=8us");
  EXPECT_EQ(refusalOf("s=spi,mosi=O,cs=S"), "no channel is given for clk; add clk=CHANNEL");
  EXPECT_EQ(refusalOf("s=spi,clk=C,mosi=O,cs=S,bits=33").substr(0, 24), "'33' is no value for bit");
  EXPECT_EQ(refusalOf("s=spi,clk=C,mosi=O,gap=2s"), "'2s' is no value for gap; write a time from 0s to 1s, like 8us");
  EXPECT_EQ(refusalOf("c=can,rx=R"), "bitrate is not given; add bitrate=250000");
  EXPECT_EQ(refusalOf("c=can,rx=R,bitrate=fast"),
            "'fast' is no value for bitrate; write the bits a second from 1 to 1000000000, or auto");
  EXPECT_EQ(refusalOf("c=can,rx=R,bitrate=500000,sample_point=1"),
            "'1' is no value for sample_point; write a share between 0 and 1, like 0.8");
  EXPECT_EQ(refusalOf("c=can,rx=R,bitrate=500000,fd_bitrate=no"),
            "'no' is no value for fd_bitrate; write the bits a second from 1 to 1000000000, auto or none");
}

TEST(BusSpec, WritesTheShortestSpecThatReadsBackTheSame)
{
  for (const std::string spec : {"a=uart,rx=R,baud=115200", "b=uart,tx=T,baud=auto,parity=odd,stop=2",
                                 "f=spi,clk=C,mosi=O,cs=S", "g=spi,clk=C,miso=I,bits=16,gap=8us",
                                 "h=can,rx=R,bitrate=auto", "k=can,rx=R,bitrate=500000,fd_bitrate=2000000,iso=no",
                                 "c=i2c,scl=A,sda=B", "d=i2c,scl=A,sda=B,spike=50ns", "e=uart,rx=R,baud=31250.5"})
    EXPECT_EQ(busSpecText(*parseBusSpec(spec)), spec);
}

TEST(BusSpec, NamesInQuotesMayHoldAnything)
{
  const auto bus = parseBusSpec("\"a,b=c\"=uart,rx=\"A,\"\"B\"\"\",baud=9600");
  ASSERT_TRUE(bus) << bus.error().text();
  EXPECT_EQ(bus->name, "a,b=c");
  EXPECT_EQ(bus->channelOf("rx"), "A,\"B\"");
  const auto back = parseBusSpec(busSpecText(*bus));
  ASSERT_TRUE(back) << busSpecText(*bus);
  EXPECT_EQ(*back, *bus);
  EXPECT_EQ(parseBusSpec("u=uart,rx=GPIO 1,baud=9600")->channelOf("rx"), "GPIO 1");
  EXPECT_EQ(specName("A,B"), "\"A,B\"");
  EXPECT_EQ(specName("GPIO 1"), "GPIO 1");
  for (const char* open : {"u=uart,rx=\"A,baud=9600", "u=uart,rx=\"A\"B,baud=9600", "\"u=uart"}) {
    const auto wrong = parseBusSpec(open);
    ASSERT_FALSE(wrong) << open;
    EXPECT_EQ(wrong.error().message, "a quote does not close") << open;
  }
}

TEST(BusSpec, SaysWhatIsWrongAndWhatWouldBeRight)
{
  EXPECT_EQ(refusalOf("nothing"), "it does not begin with NAME=PROTOCOL; write it like log=uart,tx=TX,baud=115200");
  EXPECT_EQ(refusalOf("a=laser"), "there is no protocol 'laser'; there are uart, i2c, spi, can, lin and onewire");
  EXPECT_EQ(refusalOf("a=uart,rx=R"), "baud is not given; add baud=115200");
  EXPECT_EQ(refusalOf("a=uart,rx=R,baud=0"),
            "'0' is no value for baud; write the bits a second from 1 to 1000000000, or auto");
  EXPECT_EQ(refusalOf("a=uart,rx=R,baud=9600,bits=10"), "'10' is no value for bits; choose 5, 6, 7, 8, 9");
  EXPECT_EQ(refusalOf("a=uart,baud=9600"), "no channel is given; add rx=CHANNEL, tx=CHANNEL or both");
  EXPECT_EQ(refusalOf("a=i2c,scl=S"), "no channel is given for sda; add sda=CHANNEL");
  EXPECT_EQ(refusalOf("a=i2c,scl=S,sda=D,mode=1"), "i2c has no setting 'mode'; it has scl, sda, spike");
  EXPECT_EQ(refusalOf("a=i2c,scl=S,scl=D"), "scl is given twice; leave one out");
  EXPECT_EQ(refusalOf("a=i2c,scl=,sda=D"), "'scl=' is not key=value");
  EXPECT_EQ(refusalOf("a=i2c,scl=S,sda=D,spike=1h"),
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
            "the baud cannot be found: no rate explains what the line does");
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

namespace {
std::string summary(const Bus& bus)
{
  return bus.protocol().settingsSummary(bus);
}
}  // namespace

TEST(SettingsSummary, SaysItAsEngineersDo)
{
  EXPECT_EQ(summary(*parseBusSpec("a=uart,rx=R,baud=57600,parity=even")), "57600 8E1");
  EXPECT_EQ(summary(*parseBusSpec("a=uart,rx=R,baud=auto,bits=7,stop=1.5,invert=yes")), "auto 7N1.5 · inverted");
  EXPECT_EQ(summary(*parseBusSpec("a=i2c,scl=A,sda=B,spike=50ns")), "ignores < 50 ns");
  EXPECT_EQ(summary(*parseBusSpec("a=spi,clk=C,mosi=O,cs=S,mode=1,bits=16,cs_active=high")),
            "mode 1 · 16 bits · CS high");
  EXPECT_EQ(summary(*parseBusSpec("a=spi,clk=C,mosi=O,gap=8us,order=lsb,frames=word")),
            "mode 0 · lsb first · gap 8.0 µs · by word");
  EXPECT_EQ(summary(*parseBusSpec("a=can,rx=R,bitrate=83333,fd_bitrate=2e6,iso=no")),
            "83.333 kbit/s · FD 2 Mbit/s · non-ISO");
}

TEST(Applies, OnlyWhatMeansSomethingBesideTheOthers)
{
  const auto names = [](const char* spec) {
    const Bus bus = *parseBusSpec(spec);
    std::vector<std::string> keys;
    for (const SettingSpec& setting : bus.settings.specs()) {
      if (bus.applies(setting))
        keys.push_back(setting.key);
    }
    return keys;
  };
  using Keys = std::vector<std::string>;
  EXPECT_EQ(names("s=spi,clk=C,mosi=O,cs=S"), (Keys{"mode", "bits", "order", "cs_active", "frames"}));
  EXPECT_EQ(names("s=spi,clk=C,mosi=O,gap=8us"), (Keys{"mode", "bits", "order", "gap", "frames"}));
  EXPECT_EQ(names("c=can,rx=R,bitrate=auto"),
            (Keys{"bitrate", "sample_point", "fd_bitrate", "fd_sample_point", "iso", "invert"}));
  EXPECT_EQ(names("c=can,rx=R,bitrate=auto,fd_bitrate=none").size(), 5U);
}

TEST(SuggestBus, LeavesChannelsThatNameAnotherProtocolToIt)
{
  Capture capture;
  for (const char* name : {"top.can_rx", "top.con_tx", "top.con_rx", "top.scan.tx2"})
    capture.channels.push_back({name, {}, trackOf(false, {1})});
  nameChannels(capture);
  const Bus uart = suggestBus(uartProtocol(), &capture, {});
  EXPECT_EQ(uart.channelOf("rx"), "con_rx");
  EXPECT_EQ(uart.channelOf("tx"), "con_tx");
  EXPECT_EQ(suggestBus(canProtocol(), &capture, {}).channelOf("rx"), "can_rx");
  // Where there is nothing else, it is better than nothing.
  capture.channels.resize(1);
  EXPECT_EQ(suggestBus(uartProtocol(), &capture, {}).channelOf("rx"), "can_rx");
}

TEST(SuggestBus, TheLikelyProtocolIsTheOneThatChannelsAreNamedFor)
{
  const auto likely = [](const std::vector<std::string>& names, const std::vector<Bus>& others = {}) {
    Capture capture;
    for (const std::string& name : names)
      capture.channels.push_back({name, {}, trackOf(false, {1})});
    nameChannels(capture);
    return likelyProtocol(&capture, others).name();
  };
  EXPECT_EQ(likely({"can_rx"}), "can");
  EXPECT_EQ(likely({"RX", "LIN0"}), "lin");
  EXPECT_EQ(likely({"SDA", "SCL"}), "i2c");
  EXPECT_EQ(likely({"sck", "mosi", "cs"}), "spi");
  EXPECT_EQ(likely({"DQ"}), "onewire");
  EXPECT_EQ(likely({"con_tx", "con_rx", "can_rx"}), "can");
  EXPECT_EQ(likely({"con_tx", "con_rx", "can_rx"}, {*parseBusSpec("c=can,rx=can_rx,bitrate=500000")}), "uart")
      << "of what is left";
  EXPECT_EQ(likely({"SDA"}), "uart") << "half a bus is none";
  EXPECT_EQ(likely({"D0", "D1"}), "uart") << "the first in the list";
  EXPECT_EQ(&likelyProtocol(nullptr, {}), protocols().front());
}
