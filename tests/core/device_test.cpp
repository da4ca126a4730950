// What the plant says in the terms of its devices, and every way of a sheet on frames made by hand.
#include <gmock/gmock.h>

#include <algorithm>
#include <random>

#include "core/device/reading.h"
#include "core/view/overview.h"
#include "rig/i2c_driver.h"
#include "support/device_traffic.h"
#include "support/lock_cycle.h"
#include "support/lock_cycle_sources.h"

using namespace bexto;
using namespace bexto::test;
using testing::Contains;
using testing::ElementsAre;
using testing::HasSubstr;

namespace {

using Bytes = std::vector<std::uint8_t>;

/// A stream of the lock cycle with the sheets of its devices.
Transactions described(const std::string& name, const std::string& line = "")
{
  for (const LedgerSource& source : lockCycleSources()) {
    if (source.bus.name != name || source.line != line)
      continue;
    Bus bus = source.bus;
    for (const rig::LockCycleSheet& sheet : rig::lockCycleSheets()) {
      if (sheet.bus == name)
        attachSheet(bus, {sheet.name, sheet.text});
    }
    return {bus, source.transactions.frames()};
  }
  ADD_FAILURE() << name;
  return {};
}

Bus demoBus(const std::string& name)
{
  for (const LedgerSource& source : lockCycleSources()) {
    if (source.bus.name == name) {
      Bus bus = source.bus;
      for (const rig::LockCycleSheet& sheet : rig::lockCycleSheets()) {
        if (sheet.bus == name)
          attachSheet(bus, {sheet.name, sheet.text});
      }
      return bus;
    }
  }
  return {};
}

/// The sentence of the transaction that begins at or after `t`.
std::string sentenceAt(const std::string& name, Picoseconds t, const std::string& line = "")
{
  const Transactions all = described(name, line);
  return sentenceOf(demoBus(name), all, all.firstFrom(t)).text();
}

const rig::LockCycleFaults& faults()
{
  static const rig::LockCycleFaults kFaults = lockCycle().faults;
  return kFaults;
}

std::string addressed(const std::string& rest)
{
  return "sheet: 1\ndevice: d\nbus: i2c\naddress: 0x2A\n" + rest;
}

}  // namespace

TEST(DeviceDemo, TellsTheStoryOfTheLevelHead)
{
  EXPECT_EQ(sentenceAt("sensors", Picoseconds{0}), "LT-20 level = 95.899 m (ok)");
  EXPECT_EQ(sentenceAt("sensors", faults().stretchedRead),
            "START inside a byte · LT-20 state = ok · PX-8 set outputs: paddle up, lamp amber");
  EXPECT_EQ(sentenceAt("sensors", faults().staleRead), "LT-20 level = 98.083 m (stale)");
}

TEST(DeviceDemo, ShowsTimeRunBackwards)
{
  EXPECT_EQ(sentenceAt("sensors", faults().rolloverSeconds), "TK-9 seconds = 59 s");
  EXPECT_EQ(sentenceAt("sensors", faults().rolloverMinutes), "TK-9 time = 6 h 42 min");
}

TEST(DeviceDemo, ShowsTheJumpInAPosition)
{
  // One reading before, the one with the late bit, one behind: gate 2 stands still.
  const Transactions all = described("adc");
  const std::uint64_t at = all.firstFrom(faults().flippedBit);
  std::vector<double> positions;
  for (std::uint64_t i = at - 4; i <= at + 4; i += 4) {
    const auto told = all.meaning()->told(demoBus("adc"), all.frames(), all.framesOf(i));
    ASSERT_EQ(told.size(), 1U);
    ASSERT_EQ(told[0].values.size(), 1U);
    EXPECT_EQ(told[0].values[0].name, "gate_2");
    positions.push_back(*told[0].values[0].number);
  }
  EXPECT_NEAR(positions[0], 47.3, 0.1);
  EXPECT_NEAR(positions[2], 47.3, 0.1);
  EXPECT_GT(std::abs(positions[1] - positions[0]), 0.05);
}

TEST(DeviceDemo, SpeaksOfEveryDevice)
{
  EXPECT_THAT(sentenceAt("log", Picoseconds{0}), "NV-32 read id: maker = 0x6E, kind = 0x32, capacity = 4 MiB");
  EXPECT_THAT(sentenceAt("adc", Picoseconds{0}), "AQ-416 gate 1 = 0.0 %");
  EXPECT_THAT(sentenceAt("sonar", Picoseconds{0}, "tx"), "sonar upper asks for its level");
  EXPECT_THAT(sentenceAt("sonar", Picoseconds{0}, "rx"), HasSubstr("sonar upper echo: distance = 214"));
  EXPECT_THAT(sentenceAt("drives", Picoseconds{0}), "controller gate 1: hold to 160 mm at 0 mm/s");
  EXPECT_THAT(sentenceAt("console", std::chrono::milliseconds{150}, "tx"), HasSubstr("level 95."));
  const Transactions sensors = described("sensors");
  std::vector<std::string> devices;
  for (const Told& told : sensors.meaning()->told(demoBus("sensors"), sensors.frames(), {0, sensors.frames().size()}))
    devices.push_back(told.device);
  for (const char* device : {"LT-20", "PX-8", "TK-9", "EM-4"})
    EXPECT_THAT(devices, Contains(device));
}

TEST(DeviceDemo, NothingIsHeldAgainstItButTheBrokenMessage)
{
  for (const LedgerSource& source : lockCycleSources()) {
    const Transactions all = described(source.bus.name, source.line);
    const std::vector<std::uint32_t> wrong = all.meaning()->faulty(0);
    if (source.bus.name == "sonar" && source.line == "rx") {
      ASSERT_EQ(wrong.size(), 1U);
      EXPECT_NEAR(toSeconds(all.frames().frame(wrong[0]).time.begin), toSeconds(faults().sonarBroken), 0.001);
    } else {
      EXPECT_TRUE(wrong.empty()) << source.bus.name << " " << source.line;
    }
  }
}

TEST(DeviceDemo, OpensToItsValuesFirst)
{
  const Transactions all = described("sensors");
  const Bus bus = demoBus("sensors");
  ASSERT_GE(detailCount(bus, all, 0), 2U);
  const Detail state = detailAt(bus, all, 0, 0);
  const Detail level = detailAt(bus, all, 0, 1);
  EXPECT_TRUE(state.isValue);
  EXPECT_EQ(state.name, "state");
  EXPECT_EQ(state.value, "ok");
  EXPECT_EQ(level.value, "95.899 m");
  // Where it is: the second data byte of the read, which is the second frame.
  EXPECT_EQ(level.frame, 1U);
  EXPECT_EQ(level.field, 1U);
  const Detail field = detailAt(bus, all, 0, 2);
  EXPECT_FALSE(field.isValue);
  EXPECT_EQ(detailCount(bus, all, 0), 2 + detailCount(bus, Transactions(lockCycleSources()[0].bus, all.frames()), 0));
}

TEST(DeviceDemo, AnyPiecesAreTheWhole)
{
  for (const char* name : {"sensors", "drives", "adc"}) {
    const Bus bus = demoBus(name);
    const Transactions whole = described(name);
    std::vector<std::shared_ptr<const FrameChunk>> chunks;
    Transactions grown;
    FrameIndexBuilder frames;
    std::mt19937_64 random(3);
    for (std::uint64_t i = 0; i < whole.frames().size(); ++i) {
      frames.add(whole.frames().frame(i));
      if (random() % 400 == 0)
        grown = Transactions(bus, frames.snapshot(), grown);
    }
    grown = Transactions(bus, frames.snapshot(), grown);
    ASSERT_EQ(grown.size(), whole.size());
    EXPECT_EQ(grown.meaning()->faulty(0), whole.meaning()->faulty(0));
    for (std::uint64_t i = 0; i < whole.size(); i += 7)
      ASSERT_EQ(sentenceOf(bus, grown, i).text(), sentenceOf(bus, whole, i).text()) << name << " " << i;
  }
}

TEST(DeviceTutorial, SaysWhatItPromises)
{
  DeviceTraffic t("i2c");
  t.describe(fileText(sourceFolder("docs/examples/MV-7.yaml")));
  t.ask(0x36, {0x02}, {0x20, 0x03});
  t.ask(0x37, {0x02}, {0x20, 0x03, 41});
  t.write(0x36, {0x01, 0x35});
  t.ask(0x36, {0x00}, {0x4d});
  t.ask(0x36, {0x05}, {0x82});
  EXPECT_THAT(t.sentences(),
              ElementsAre("MV-7 position = 12.50 °", "MV-7 at 12.50 °, motor 41 °C",
                          "a bit is set that means nothing, mode is reserved · MV-7 set control: mode = 0x3, run",
                          "MV-7 ident = 0x4D", "MV-7 faults: low supply, overheated"));
}

TEST(DeviceRegisters, AreFollowedByTheirPointer)
{
  DeviceTraffic t("i2c");
  t.describe(addressed("registers: {a: {at: 0}, b: {at: 1}, c: {at: 2, bytes: 2}}\n"));
  t.read(0x2a, {1});
  t.write(0x2a, {1, 5});
  t.read(0x2a, {1, 2});
  t.write(0x2a, {0xff});
  t.read(0x2a, {9, 8});
  t.write(0x30, {1});
  EXPECT_THAT(t.sentences(), ElementsAre("d read 01, from where it was before the capture", "d set b = 5", "d c = 258",
                                         "d goes to 0xFF", "d 0xFF = 09, a = 8", HasSubstr("30 write 01")));
}

TEST(DeviceRegisters, NeedNotIncrementAndCanBeWide)
{
  DeviceTraffic t("i2c");
  t.describe(addressed(
      "pointer: {increment: no, unit: 2}\nregisters: {a: {at: 0, bytes: 2}, b: {at: 1, bytes: 2, order: little}}\n"));
  t.ask(0x2a, {1}, {1, 2});
  t.read(0x2a, {3, 4});
  t.ask(0x2a, {0}, {1, 2, 3, 4});
  EXPECT_THAT(t.sentences(), ElementsAre("d b = 513", "d b = 1027", "d a = 258, b = 1027"));
}

TEST(DeviceRegisters, WithoutAPointerAreOne)
{
  DeviceTraffic t("i2c");
  t.describe(addressed("pointer: {bytes: 0}\nregisters: {pins: {at: 0, hex: yes}}\n"));
  t.write(0x2a, {0x5a});
  t.read(0x2a, {0x12});
  EXPECT_THAT(t.sentences(), ElementsAre("d set pins = 0x5A", "d pins = 0x12"));
}

TEST(DeviceRegisters, MisuseIsAFault)
{
  DeviceTraffic t("i2c");
  t.describe(
      addressed("registers:\n  id: {at: 0, access: read}\n  mode: {at: 1, fields: {m: {bits: 1..0, reserved: 3}}}\n"));
  t.write(0x2a, {0, 1});
  t.write(0x2a, {1, 0x40});
  t.write(0x2a, {1, 3});
  t.write(0x2a, {1, 2});
  const Transactions all = t.transactions();
  EXPECT_THAT(all.meaning()->faulty(0), ElementsAre(0U, 1U, 2U));
  EXPECT_TRUE(all.isFaulty(0));
  EXPECT_FALSE(all.isFaulty(3));
  EXPECT_THAT(faultyFrames(all), ElementsAre(0U, 1U, 2U));
  EXPECT_THAT(t.sentences(), ElementsAre("id is only for reading · d set id = 1",
                                         "a bit is set that means nothing · d set mode: m = 0",
                                         "m is reserved · d set mode: m = 0x3", "d set mode: m = 2"));
}

TEST(DeviceRegisters, AReadAndAWriteRegisterCanShareAnAddress)
{
  DeviceTraffic t("i2c");
  t.describe(addressed("registers: {state: {at: 4, access: read}, command: {at: 4, access: write}}\n"));
  t.write(0x2a, {4, 7});
  t.ask(0x2a, {4}, {9});
  EXPECT_THAT(t.sentences(), ElementsAre("d set command = 7", "d state = 9"));
  EXPECT_TRUE(t.transactions().meaning()->faulty(0).empty());
}

TEST(DeviceRegisters, APartOfOneIsSaidToBeOne)
{
  DeviceTraffic t("i2c");
  t.describe(addressed("registers: {wide: {at: 0, bytes: 4}}\n"));
  t.ask(0x2a, {0}, {1, 2});
  t.ask(0x2a, {2}, {3, 4});
  EXPECT_THAT(t.sentences(), ElementsAre("d wide in part: 01 02", "d wide in part: 03 04"));
}

TEST(DeviceMemory, GoesAroundInsideItsPage)
{
  DeviceTraffic t("i2c");
  t.describe(addressed("pointer: {bytes: 2}\nmemory: {size: 256, page: 8}\nunanswered: busy\n"));
  t.write(0x2a, {0, 6, 1, 2, 3});
  t.read(0x2a, {9});
  t.write(0x2a, {}, false);
  t.write(0x2a, {});
  const auto told = t.sentences();
  EXPECT_EQ(told[0], "d write to 0x06: 01 02 03");
  EXPECT_EQ(told[1], "d read at 0x01: 09") << "three bytes on from 6, inside a page of eight";
  EXPECT_THAT(told[2], HasSubstr("d does not answer: busy"));
  EXPECT_EQ(told[3], "d is there");
}

TEST(DevicePacketErrorCode, CoversAddressesAndTheWriteInFront)
{
  const auto pec = [](const Bytes& bytes) {
    SheetChecksum c;
    c.polynomial = 0x07;
    return static_cast<std::uint8_t>(c.of(bytes));
  };
  DeviceTraffic t("i2c");
  t.describe(addressed("packet_error_code: yes\nregisters: {a: {at: 8}}\n"));
  t.write(0x2a, {8, 5, pec({0x54, 8, 5})});
  t.write(0x2a, {8, 5, static_cast<std::uint8_t>(pec({0x54, 8, 5}) ^ 1U)});
  t.ask(0x2a, {8}, {7, pec({0x54, 8, 0x55, 7})});
  t.ask(0x2a, {8}, {7, pec({0x55, 7})});
  EXPECT_THAT(t.sentences(), ElementsAre("d set a = 5", "packet error code is wrong · d set a = 5", "d a = 7",
                                         "packet error code is wrong · d a = 7"));
}

TEST(DeviceCommands, AreKnownByWhatIsWrittenFirst)
{
  DeviceTraffic t("i2c");
  t.describe(addressed(
      "commands:\n  measure: {opcode: [0xF4, 0x2E], answered: {warmth: {byte: 0, bytes: 2, scale: 0.1, unit: °C}}}\n"
      "  reset: {opcode: 0xE0}\n"));
  t.write(0x2a, {0xf4, 0x2e});
  t.read(0x2a, {0x00, 0xeb});
  t.write(0x2a, {0xe0});
  t.write(0x2a, {0xaa});
  EXPECT_THAT(t.sentences(),
              ElementsAre("d measure", "d measure: warmth = 23.5 °C", "d reset", "no command of d · d write AA"));
}

TEST(DeviceExchange, ReadsRegistersByADirectionBitAnywhere)
{
  DeviceTraffic t("spi");
  t.describe(
      "sheet: 1\ndevice: d\nbus: spi\ncommands:\n  get: {opcode: 0x80, mask: 0x80, address: {byte: 0, bits: 6..0}, "
      "reads: 1}\n"
      "  set: {opcode: 0x00, mask: 0x80, address: {byte: 0, bits: 6..0}, writes: 1}\n"
      "registers:\n  gain: {at: 4, fields: {channel: {bits: 1..0}, factor: {bits: 7..4}}}\n  rate: {at: 5, bytes: "
      "2}\n");
  t.exchange({0x84, 0, 0, 0}, {0, 0x32, 1, 2});
  t.exchange({0x05, 3, 4}, {0, 0, 0});
  t.exchange({0x90, 0}, {0, 7});
  EXPECT_THAT(t.sentences(),
              ElementsAre("d gain: channel = 2, factor = 3, rate = 258", "d set rate = 772", "d get at 0x10: 07"));
}

TEST(DeviceExchange, AConverterNeedsNoCommand)
{
  DeviceTraffic t("spi");
  t.describe(
      "sheet: 1\ndevice: d\nbus: spi\ncommands:\n  sample: {answered: {level: {byte: 0, bytes: 2, bits: 13..2, scale: "
      "0.001, unit: V}}, text: \"{level}\"}\n");
  t.exchange({0, 0}, {0x1f, 0xfc});
  EXPECT_THAT(t.sentences(), ElementsAre("d 2.047 V"));
}

TEST(DeviceExchange, TheLongestOpcodeWinsAndAnUnknownOneIsAFault)
{
  DeviceTraffic t("spi");
  t.describe("sheet: 1\ndevice: d\nbus: spi\ncommands:\n  any: {opcode: 0x10}\n  exact: {opcode: [0x10, 0x01]}\n");
  t.exchange({0x10, 2}, {0, 0});
  t.exchange({0x10, 1}, {0, 0});
  t.exchange({0x11, 1}, {0, 0});
  EXPECT_THAT(t.sentences(), ElementsAre("d any", "d exact", HasSubstr("no command of d")));
  DeviceTraffic masked("spi");
  masked.describe(
      "sheet: 1\ndevice: d\nbus: spi\ncommands:\n  first: {opcode: 0x10, mask: 0xF0}\n"
      "  second: {opcode: 0x02, mask: 0x0F}\n");
  masked.exchange({0x12}, {0});
  EXPECT_THAT(masked.sentences(), ElementsAre("d first")) << "of equals, the one that the sheet says first";
}

TEST(DeviceMessages, HaveSignalsMultiplexersAndCounters)
{
  DeviceTraffic t("can");
  t.describe(
      "sheet: 1\ndevice: net\nbus: can\nmessages:\n  state:\n    id: 0x100\n    from: engine\n    fields:\n"
      "      page: {start: 0, length: 4}\n      speed: {start: 4, length: 12, scale: 0.25, unit: rpm, when: {page: "
      "0}}\n"
      "      warmth: {start: 4, length: 8, type: signed, when: {page: [1, 3]}}\n      run: {start: 16, length: 4, "
      "counter: yes}\n");
  t.can(0x100, {0x00, 0x10, 0});
  t.can(0x100, {0xe1, 0xff, 1});
  t.can(0x100, {0xe2, 0xff, 2});
  t.can(0x100, {0x00, 0x10, 9});
  t.can(0x100, {0x00, 0x10, 10}, false, errorBit(CanError::Crc));
  t.can(0x100, {0x00, 0x10, 10});
  t.can(0x100, {0x00});
  t.can(0x101, {1});
  t.can(0x100, {1}, true);
  const auto said = t.sentences();
  EXPECT_EQ(said[0], "engine state: page = 0, speed = 64.00 rpm, run = 0");
  EXPECT_EQ(said[1], "engine state: page = 1, warmth = -2, run = 1");
  EXPECT_EQ(said[2], "engine state: page = 2, run = 2");
  EXPECT_EQ(said[3], "run jumps · engine state: page = 0, speed = 64.00 rpm, run = 9");
  EXPECT_THAT(said[4], HasSubstr("(not certain)"));
  EXPECT_EQ(said[5], "engine state: page = 0, speed = 64.00 rpm, run = 10") << "what is not certain does not count";
  EXPECT_THAT(said[6], HasSubstr("too short"));
  EXPECT_THAT(said[7], testing::Not(HasSubstr("engine")));
  EXPECT_THAT(said[8], testing::Not(HasSubstr("engine"))) << "the same number, and another identifier";
}

TEST(DeviceMessages, AreKnownByMasksAndByTheirBytes)
{
  DeviceTraffic t("can");
  t.describe(
      "sheet: 1\ndevice: net\nbus: can\nmessages:\n  alive: {id: 0x700, mask: 0x7F0, fields: {mode: {byte: 0, values: "
      "{5: up}}}}\n"
      "  ask: {id: 0x600, match: {byte: 0, value: 1}}\n  tell: {id: 0x600, match: [{byte: 0, value: 0x20, mask: 0xF0}, "
      "{byte: -1, value: 9}]}\n"
      "  far: {id: 0x18FF0102, wide: yes}\n");
  t.can(0x703, {5});
  t.can(0x600, {1});
  t.can(0x600, {0x2f, 9});
  t.can(0x600, {0x2f, 8});
  t.can(0x18ff0102, {0}, true);
  EXPECT_THAT(t.sentences(), ElementsAre("net alive: mode = up", "net ask", "net tell",
                                         "no message of net · net message 2F 08", "net far"));
}

TEST(DeviceMessages, HaveChecksums)
{
  DeviceTraffic t("can");
  t.describe(
      "sheet: 1\ndevice: net\nbus: can\nmessages:\n  a: {id: 1, fields: {v: {byte: 0, max: 3}}, checksum: {kind: "
      "xor}}\n");
  t.can(1, {2, 5, 7});
  t.can(1, {2, 5, 6});
  t.can(1, {9, 9});
  EXPECT_THAT(t.sentences(), ElementsAre("net a: v = 2", "checksum is wrong · net a: v = 2",
                                         "v is above its most, 3 · net a: v = 0x09"));
}

TEST(DeviceMessages, ASilentNodeSaysNothing)
{
  DeviceTraffic t("lin");
  t.describe(
      "sheet: 1\ndevice: lamps\nbus: lin\nmessages:\n  state: {id: 0x21, from: lamp 1, fields: {current: {byte: 0, "
      "bytes: 2, order: big, unit: mA}}}\n");
  t.lin(0x21, {1, 2});
  t.lin(0x21, {});
  const auto said = t.sentences();
  EXPECT_EQ(said[0], "lamp 1 state: current = 258 mA");
  EXPECT_THAT(said[1], HasSubstr("lamp 1 state: no answer"));
  EXPECT_TRUE(t.transactions().meaning()->faulty(0).empty()) << "the bus says it already";
}

TEST(DeviceMessages, ShareALineByTheirAddress)
{
  DeviceTraffic t("uart");
  t.describe(
      "sheet: 1\ndevice: head\nbus: uart\nframing: {start: 0x7E, size: 4}\naddress: {byte: 1, names: {1: upper}}\n"
      "messages:\n  echo: {match: {byte: 2, value: 0x90}, fields: {d: {byte: 3}}}\n");
  t.say(Bytes{0x7e, 1, 0x90, 7, 0x7e, 2, 0x90, 8, 0x7e, 1, 0x91, 0});
  EXPECT_THAT(t.sentences(),
              ElementsAre("head upper echo: d = 7", "head 02 echo: d = 8", HasSubstr("no message of head upper")));
}

TEST(Devices, OfOtherBusesAndWithMistakesAreLeftOut)
{
  DeviceTraffic t("i2c");
  t.describe("sheet: 1\ndevice: d\nbus: can\nmessages: {a: {id: 1}}\n");
  t.describe("sheet: 1\ndevice: d\n");
  EXPECT_EQ(describerOf(t.bus()), nullptr);
  t.write(0x2a, {1});
  EXPECT_THAT(t.sentences(), ElementsAre(HasSubstr("2A write 01")));
}

TEST(Devices, OnePartOfATransactionCanBeKnown)
{
  DeviceTraffic t("i2c");
  t.describe(addressed("registers: {a: {at: 0}}\n"));
  t.write(0x30, {1, 2}, true, true);
  t.write(0x2a, {0, 7});
  EXPECT_THAT(t.sentences(), ElementsAre(testing::MatchesRegex("30 write 01 02.* · d set a = 7")));
}

TEST(Devices, EqualSheetsAreReadOnce)
{
  const Bus one = demoBus("sensors");
  const Bus two = demoBus("sensors");
  EXPECT_EQ(describerOf(one), describerOf(two));
  const auto held = describerOf(one);
  EXPECT_EQ(held, describerOf(two));
}
