// What a 1-Wire line says, sent by the rig's controller and read back; faults of every kind on purpose, and each edge
// of what a pulse may be.
#include <optional>

#include "core/decode/bus_spec.h"
#include "core/view/bus_lane.h"
#include "core/view/overview.h"
#include "core/view/time_axis.h"
#include "rig/onewire_driver.h"
#include "support/checks.h"

using namespace bexto;
using namespace bexto::test;
using namespace std::chrono_literals;
using rig::OneWireDriver;
using rig::OneWireRom;

namespace {

using Bytes = std::vector<std::uint8_t>;
using Story = std::vector<std::string>;

class OneWire : public testing::Test {
 protected:
  OneWire() { m_wire.waitUntil(1ms); }
  void setting(const char* value) { ASSERT_TRUE(m_bus.set("speed", value)); }

  /// "55 4E…:44 A1 +3 !crc": command, ROM, data, slots left over; "fast" in front where the reset was short.
  Story story(Picoseconds quiet = 5ms)
  {
    m_input = {{m_wire.track()}, m_wire.now() + quiet, true};
    return read();
  }
  Story read()
  {
    m_frames = decodeAll(m_bus, m_input);
    Story lines;
    for (const Frame& frame : framesOf(m_frames)) {
      const OneWireTransaction t = oneWireTransaction(frame);
      std::string line = t.isOverdrive ? "fast " : "";
      line += t.command ? hex(*t.command) : t.presence ? "nothing" : "nobody";
      if (!t.rom.empty())
        line += " " + hexOf(t.rom) + ":";
      for (const std::uint8_t b : t.data)
        line += " " + hex(b);
      if (t.bits > 0)
        line += " +" + std::to_string(t.bits);
      for (const std::string_view word : oneWireProtocol().errorWords(frame.errors))
        line += " !" + std::string(word);
      lines.push_back(line);
    }
    return lines;
  }
  static std::string hex(std::uint32_t value) { return valueText(value, 8, ValueFormat::Hex); }
  Frame frame(std::uint64_t i) const { return m_frames.frame(i); }
  /// A reset, and a presence pulse of that length so long behind it.
  void answered(Picoseconds resetLow, Picoseconds delay, Picoseconds low)
  {
    m_wire.low(resetLow);
    m_wire.waitUntil(m_wire.now() + delay);
    m_wire.low(low);
    m_wire.waitUntil(m_wire.now() + 300us);
  }
  void skip() { m_wire.byte(0xcc); }
  /// A bit after the reset, and no more.
  Story afterReset(Picoseconds resetLow, Picoseconds delay, Picoseconds low)
  {
    m_wire = OneWireDriver(rig::standardOneWire());
    m_wire.waitUntil(1ms);
    answered(resetLow, delay, low);
    skip();
    return story();
  }

  const OneWireRom kRom = rig::oneWireRom(0x4e, 0x123456);
  OneWireDriver m_wire{rig::standardOneWire()};
  Bus m_bus = *parseBusSpec("w=onewire,dq=dq");
  StreamInput m_input;
  FrameIndex m_frames;
};

}  // namespace

TEST_F(OneWire, EachCommandIsFollowedByWhatItAsksFor)
{
  const std::string rom = hexOf(kRom);
  m_wire.reset();
  m_wire.byte(0x33);
  m_wire.bytes(kRom);
  m_wire.reset();
  m_wire.byte(0x55);
  m_wire.bytes(kRom);
  m_wire.bytes(Bytes{0x44, 0xa1});
  m_wire.reset();
  m_wire.byte(0xf0);
  m_wire.search(std::vector<OneWireRom>{kRom, rig::oneWireRom(0x4e, 7)}, kRom);
  m_wire.reset();
  m_wire.byte(0xec);
  m_wire.search(std::vector<OneWireRom>{kRom}, kRom);
  m_wire.byte(0x17);
  m_wire.reset();
  m_wire.bytes(Bytes{0xa5, 0x01});
  m_wire.reset();
  m_wire.bytes(Bytes{0xcc, 0x02, 0x03});
  m_wire.reset();
  m_wire.bytes(Bytes{0x91, 0x04});
  EXPECT_EQ(story(), (Story{"33 " + rom + ":", "55 " + rom + ": 44 A1", "F0 " + rom + ":", "EC " + rom + ": 17",
                            "A5 01", "CC 02 03", "91 04"}));
}

TEST_F(OneWire, ATransactionReachesToTheNextResetOrToTheRestBehindIt)
{
  m_wire.reset();
  skip();
  // The line rests from the end of the last slot on.
  const Picoseconds second = m_wire.now() - 10us + 1999us;
  m_wire.waitUntil(second);
  m_wire.reset();
  skip();
  const Picoseconds end = m_wire.now() - 70us + 60us;  // a slot ends 60 µs behind its falling edge
  m_wire.waitUntil(end + 2ms);
  m_wire.reset();
  m_wire.waitUntil(m_wire.now() + 3ms);
  m_wire.reset(false);
  m_wire.waitUntil(m_wire.now() + 3ms);
  EXPECT_EQ(story(), (Story{"CC", "CC", "nothing", "nobody !no-presence"}));
  EXPECT_EQ(frame(0).time, (TimeRange{1ms, second})) << "it rests a little less than 2 ms";
  EXPECT_EQ(frame(1).time, (TimeRange{second, end}));
  EXPECT_EQ(frame(2).time.length(), 500us + 30us + 120us) << "its presence pulse";
  EXPECT_EQ(frame(3).time.length(), 500us) << "its reset";
}

TEST_F(OneWire, SlotsBehindALongRestStillBelongToIt)
{
  m_wire.reset();
  m_wire.bytes(Bytes{0xcc, 0x31});
  m_wire.waitUntil(m_wire.now() + 750ms);
  m_wire.bit(false);
  m_wire.waitUntil(m_wire.now() + 10ms);
  m_wire.bit(true);
  m_wire.waitUntil(m_wire.now() + 10ms);
  m_wire.reset();
  EXPECT_EQ(story(), (Story{"CC 31 +2", "nothing"})) << "before a rest, leftover slots are no mistake";
}

TEST_F(OneWire, APulseIsWhatItsLengthSays)
{
  // A low of more than 240 µs is a reset; shorter ones are slots, and without a reset nothing is shown.
  EXPECT_EQ(afterReset(240us, 30us, 100us), Story{});
  EXPECT_EQ(afterReset(241us, 30us, 100us), Story{"CC"});
  // Presence: within 60 µs, for 60 to 240.
  EXPECT_EQ(afterReset(500us, 60us, 60us), Story{"CC"});
  EXPECT_EQ(afterReset(500us, 1us, 240us), Story{"CC"});
  // Else that low is a slot, a 0 in front of all others.
  EXPECT_EQ(afterReset(500us, 61us, 100us), Story{"98 +1 !no-presence"});
  EXPECT_EQ(afterReset(500us, 30us, 59us), Story{"98 +1 !no-presence"});
  for (const Picoseconds low : {1us, 18us, 19us, 100us}) {
    m_wire = OneWireDriver(rig::standardOneWire());
    m_wire.waitUntil(1ms);
    m_wire.reset();
    for (int i = 0; i < 8; ++i) {
      m_wire.low(low);
      m_wire.waitUntil(m_wire.now() + 80us);
    }
    EXPECT_EQ(story(), Story{low <= 18us ? "FF" : "00"}) << low.count();
  }
}

TEST_F(OneWire, OverdriveBeginsBehindItsCommandAndEndsWithALongReset)
{
  const std::string rom = hexOf(kRom);
  m_wire.reset();
  m_wire.byte(0x69);
  m_wire.setPace(rig::overdriveOneWire());
  m_wire.bytes(kRom);
  m_wire.byte(0xa6);
  m_wire.reset();
  m_wire.bytes(Bytes{0xcc, 0x5a});
  m_wire.waitUntil(m_wire.now() + 50ms);  // a rest does not end it
  m_wire.reset(false);
  m_wire.waitUntil(m_wire.now() + 3ms);
  m_wire.setPace(rig::standardOneWire());
  m_wire.reset();
  m_wire.bytes(Bytes{0xcc, 0x0f});
  const Story expected{"69 " + rom + ": A6", "fast CC 5A", "fast nobody !no-presence", "CC 0F"};
  EXPECT_EQ(story(), expected);
  // Each opened from its own begin says what the whole said.
  for (std::uint64_t i = 0; i < m_frames.size(); ++i) {
    Bytes bytes;
    for (const Field& field : anatomyOf(m_bus, m_input, m_frames, i).fields) {
      if (field.bitCount > 0)
        bytes.push_back(static_cast<std::uint8_t>(field.value));
    }
    const OneWireTransaction t = oneWireTransaction(frame(i));
    Bytes said;
    if (t.command)
      said.push_back(static_cast<std::uint8_t>(*t.command));
    said.insert(said.end(), t.rom.begin(), t.rom.end());
    said.insert(said.end(), t.data.begin(), t.data.end());
    EXPECT_EQ(bytes, said) << i;
  }
  setting("standard");
  EXPECT_NE(read(), expected);
}

TEST_F(OneWire, TheSettingTakesShortResetsFromTheStart)
{
  m_wire.setPace(rig::overdriveOneWire());
  for (const Picoseconds low : {47us, 48us, 80us}) {
    m_wire.low(low);
    m_wire.waitUntil(m_wire.now() + 2us);
    m_wire.low(8us);
    m_wire.waitUntil(m_wire.now() + 30us);
    m_wire.bytes(Bytes{0xcc, 0x11});
    m_wire.waitUntil(m_wire.now() + 3ms);
  }
  EXPECT_EQ(story(), Story{}) << "auto begins at standard speed";
  setting("overdrive");
  EXPECT_EQ(read(), (Story{"fast CC 11", "fast CC 11"})) << "47 µs are none";
}

TEST_F(OneWire, ARomWithAWrongCheckIsSaid)
{
  OneWireRom wrong = kRom;
  wrong[7] ^= 0x10;
  m_wire.reset();
  m_wire.byte(0x33);
  m_wire.bytes(wrong);
  m_wire.byte(0x01);
  EXPECT_EQ(story(), Story{"33 " + hexOf(wrong) + ": 01 !crc"});
  const Anatomy anatomy = anatomyOf(m_bus, m_input, m_frames, 0);
  const auto check = std::find_if(anatomy.fields.begin(), anatomy.fields.end(),
                                  [](const Field& field) { return field.role == Role::Check; });
  ASSERT_NE(check, anatomy.fields.end());
  EXPECT_TRUE(check->wrong);
}

TEST_F(OneWire, WhatAResetCutsIsUnfinished)
{
  m_wire.reset();
  for (int i = 0; i < 3; ++i)
    m_wire.bit(true);
  m_wire.reset();
  skip();
  m_wire.bit(false);
  m_wire.reset();
  m_wire.byte(0x33);
  m_wire.bytes(Bytes{0x4e, 0x01});  // between two bytes of a ROM
  m_wire.reset();
  skip();
  EXPECT_EQ(story(), (Story{"nothing +3 !incomplete", "CC +1 !incomplete", "33 !incomplete", "CC"}));
}

TEST_F(OneWire, ASearchThatNobodyAnswersIsNoMistake)
{
  m_wire.reset();
  m_wire.byte(0xec);
  m_wire.bit(true);
  m_wire.bit(true);
  m_wire.reset();
  m_wire.byte(0xec);
  for (const bool bit : {false, true, false, true, true})
    m_wire.bit(bit);
  m_wire.reset();
  m_wire.byte(0xf0);
  for (const bool bit : {false, true, false, true})
    m_wire.bit(bit);
  m_wire.reset();
  m_wire.byte(0xf0);
  EXPECT_EQ(story(), (Story{"EC +2", "EC +5", "F0 +4 !incomplete", "F0 !incomplete"}));
}

TEST_F(OneWire, TheCapturesEndCuts)
{
  m_wire.reset();
  skip();
  m_wire.bit(true);
  EXPECT_EQ(story(100us), Story{"CC +1 !incomplete"});
  EXPECT_EQ(frame(0).time.end, m_input.until);
  EXPECT_EQ(story(3ms), Story{"CC +1"}) << "the line has rested";
  EXPECT_LT(frame(0).time.end, m_input.until);
  // Low at the end: how long the slot would have been nobody knows, and a long low is one more reset.
  m_wire.low(10us);
  m_wire.low(1us);
  const EdgeTrack track = m_wire.track();
  std::vector<std::int64_t> times = timesOf(track);
  times.pop_back();
  m_input = {{trackOf(track.startLevel(), times)}, Picoseconds{times.back()} + 30us, true};
  EXPECT_EQ(read(), Story{"CC +1 !incomplete"});
  m_input.until = Picoseconds{times.back()} + 300us;
  EXPECT_EQ(read(), (Story{"CC +1 !incomplete", "nobody !incomplete"}));
  EXPECT_EQ(frame(1).time, (TimeRange{Picoseconds{times.back()}, m_input.until}));
  // Whether somebody answers cannot be told yet.
  m_wire = OneWireDriver(rig::standardOneWire());
  m_wire.waitUntil(1ms);
  m_wire.low(500us);
  EXPECT_EQ(story(59us), Story{"nobody !incomplete"});
  EXPECT_EQ(story(60us), Story{"nobody !no-presence"});
}

TEST_F(OneWire, ALowThatTheCaptureBeginsInHasNoBegin)
{
  m_input = {{trackOf(false, {2'000'000'000})}, 20ms, true};
  EXPECT_EQ(read(), Story{});
}

TEST_F(OneWire, IsMeasuredAtBothSpeeds)
{
  m_wire.reset();
  m_wire.byte(0x3c);
  m_wire.setPace(rig::overdriveOneWire());
  m_wire.byte(0x0f);
  m_wire.waitUntil(m_wire.now() + 1ms);  // a pause
  m_wire.byte(0x0f);
  m_wire.reset();
  skip();
  m_wire.waitUntil(m_wire.now() + 4ms);
  m_wire.setPace(rig::standardOneWire());
  m_wire.reset(false);
  story();
  const BusCheck check = checked(checkInputOf(m_bus, m_input));
  const auto spread = [&](const char* rule) { return ruleNamed(check, rule).spread; };
  const auto expect = [&](const char* rule, std::uint64_t count, double min, double max) {
    EXPECT_EQ(spread(rule).count, count) << rule;
    EXPECT_EQ(spread(rule).min, min) << rule;
    EXPECT_EQ(spread(rule).max, max) << rule;
  };
  expect("reset low", 3, 60e6, 500e6);
  expect("presence delay", 2, 2e6, 30e6);
  expect("presence low", 2, 12e6, 120e6);
  expect("low of a 1", 4 + 8 + 4, 1e6, 6e6);
  expect("low of a 0", 4 + 8 + 4, 7.5e6, 62e6);
  // Between the slots of each byte; a pause does not count, nor what lies between two speeds.
  expect("slot", 4 * 7, 10e6, 70e6);
  expect("recovery", 4 * 7, 2.5e6, 64e6);
  const auto& groups = ruleNamed(check, "slot").groups;
  ASSERT_EQ(groups.size(), 1U);
  EXPECT_EQ(groups.front().name, "at overdrive");
  EXPECT_EQ(ruleNamed(check, "no-presence").verdict, Verdict::Fail);
  EXPECT_EQ(ruleNamed(check, "no-presence").failed, 1U);
  EXPECT_EQ(ruleNamed(check, "crc").verdict, Verdict::Pass);
}

TEST_F(OneWire, IsPutInWords)
{
  const std::string rom = "4E563412000000";
  m_wire.reset();
  m_wire.byte(0x55);
  m_wire.bytes(kRom);
  m_wire.bytes(Bytes{0x44, 0xa1});
  m_wire.reset(false);
  m_wire.reset();
  m_wire.byte(0x91);
  m_wire.bit(true);
  m_wire.reset();
  story();
  const Transactions transactions(m_bus, m_frames);
  const auto words = [&](std::uint64_t i) { return sentenceOf(m_bus, transactions, i).text(); };
  EXPECT_EQ(words(0), "match ROM " + rom + hex(kRom[7]) + " 44 A1");
  EXPECT_EQ(words(1), "nobody answered the reset · reset");
  EXPECT_EQ(words(2), "cut short · command 91");
  EXPECT_EQ(words(3), "reset, answered");
  ASSERT_EQ(detailCount(m_bus, transactions, 0), 7U);
  const auto line = [&](std::uint64_t i, std::uint64_t d) {
    const Detail detail = detailAt(m_bus, transactions, i, d);
    return detail.name + " = " + detail.value + (detail.meaning.empty() ? "" : ", " + detail.meaning);
  };
  EXPECT_EQ(line(0, 0), "reset = answered");
  EXPECT_EQ(line(0, 1), "ROM command = 55, match ROM");
  EXPECT_EQ(line(0, 2), "family code = 4E");
  EXPECT_EQ(line(0, 3), "serial number = 563412000000");
  EXPECT_EQ(line(0, 4), "CRC = " + hex(kRom[7]) + ", right");
  EXPECT_EQ(line(0, 6), "byte 1 = A1");
  EXPECT_EQ(line(1, 0), "reset = not answered");
  EXPECT_EQ(line(2, 2), "bits left over = 1, then cut short");
  const BusLane lane = busLane(m_bus, m_input, transactions, faultyFrames(m_frames), TimeAxis(frame(0).time, 4000));
  Story fields;
  for (const LaneField& field : lane.fields)
    fields.push_back(field.text);
  EXPECT_EQ(fields, (Story{"reset", "✓", "ROM command 55", "4E", "56", "34", "12", "00", "00", "00",
                           "CRC " + hex(kRom[7]), "44", "A1"}));
  // Each line but those without bits leads to its place on the wire.
  const Anatomy anatomy = anatomyOf(m_bus, m_input, m_frames, 0);
  for (std::uint64_t d = 0; d < 7; ++d)
    EXPECT_NE(fieldOf(anatomy, detailAt(m_bus, transactions, 0, d)), nullptr) << d;
  // Pointing at a byte shows its bits, and in front of all of them those of the command.
  const auto bitsAt = [&](Picoseconds at) { return oneWireProtocol().bitsAround(anatomy, at); };
  EXPECT_EQ(bitsAt(frame(0).time.begin), (Protocol::BitRange{0, 8}));
  EXPECT_EQ(bitsAt(anatomy.fields.back().time.begin + 1us), (Protocol::BitRange{80, 88}));
}
