#include "support/rooms.h"

#include "core/decode/bus_spec.h"
#include "rig/can_driver.h"
#include "support/waves.h"

using namespace bexto;
using namespace bexto::test;
using namespace std::chrono_literals;
using rig::CanBit;
using rig::CanDriver;
using rig::CanFrameBits;
using rig::CanMessage;
using rig::CanPace;

namespace {

/// A wire at 500 kbit/s (2 us a bit) and 2 Mbit/s that has been quiet for twelve bits.
class Can : public testing::Test {
 protected:
  Can() { m_wire.hold(true, 12); }

  static CanMessage message(std::uint32_t id, std::vector<std::uint8_t> data)
  {
    CanMessage m;
    m.id = id;
    m.dlc = static_cast<unsigned>(data.size());
    m.data = std::move(data);
    return m;
  }
  static CanMessage fdMessage(std::uint32_t id, std::vector<std::uint8_t> data)
  {
    CanMessage m = message(id, std::move(data));
    m.fd = m.brs = true;
    return m;
  }

  /// All that was put on the wire, decoded after `quiet` more bits.
  FrameIndex decode(double quiet = 12)
  {
    m_wire.hold(true, quiet);
    m_input = {{m_wire.track()}, m_wire.now(), true};
    return decodeAll(m_bus, m_input);
  }
  /// "data stuff", "error": kinds and faults in order.
  static std::vector<std::string> story(const FrameIndex& frames)
  {
    std::vector<std::string> lines;
    for (const Frame& f : framesOf(frames)) {
      std::string line = canProtocol().kind(f.kind)->word;
      for (const std::string_view word : canProtocol().errorWords(f.errors))
        line += " " + std::string(word);
      lines.push_back(line);
    }
    return lines;
  }
  Anatomy anatomy(const FrameIndex& frames, std::uint64_t number) { return anatomyOf(m_bus, m_input, frames, number); }

  CanPace m_pace;
  CanDriver m_wire{m_pace};
  Bus m_bus = *parseBusSpec("c=can,rx=rx,bitrate=500000,fd_bitrate=2000000");
  StreamInput m_input;
};

using Story = std::vector<std::string>;

}  // namespace

TEST_F(Can, ReadsEveryKeyOfAClassicFrame)
{
  m_wire.send(message(0x2a4, {0x11, 0xff, 0x00}));
  const FrameIndex frames = decode();
  ASSERT_EQ(story(frames), (Story{"data"}));
  const CanFrame f = canFrame(frames.frame(0));
  EXPECT_TRUE(f.hasId && f.hasExtended && f.hasFormat && f.hasDlc && f.hasCrc && f.hasAck);
  EXPECT_EQ(f.id, 0x2a4U);
  EXPECT_FALSE(f.extended || f.fd || f.hasBrs || f.hasEsi);
  EXPECT_TRUE(f.ack);
  EXPECT_EQ(std::vector<std::uint8_t>(f.data.begin(), f.data.end()), (std::vector<std::uint8_t>{0x11, 0xff, 0x00}));
  EXPECT_EQ(f.crc, rig::canFrame(message(0x2a4, {0x11, 0xff, 0x00}), m_pace).crcValue);
  EXPECT_EQ(frames.frame(0).time.begin, 24us);
}

TEST_F(Can, RemoteFramesKeepTheirDlcAndHaveNoData)
{
  CanMessage m;
  m.id = 0x10;
  m.remote = true;
  m.dlc = 6;
  m_wire.send(m);
  const FrameIndex frames = decode();
  ASSERT_EQ(story(frames), (Story{"remote"}));
  EXPECT_EQ(canFrame(frames.frame(0)).dlc, 6U);
  EXPECT_TRUE(canFrame(frames.frame(0)).data.empty());
}

TEST_F(Can, ADlcAboveEightMeansEightBytesInAClassicFrame)
{
  CanMessage m = message(0x10, {1, 2, 3, 4, 5, 6, 7, 8});
  m.dlc = 13;
  m_wire.send(m);
  const FrameIndex frames = decode();
  ASSERT_EQ(story(frames), (Story{"data"}));
  EXPECT_EQ(canFrame(frames.frame(0)).dlc, 13U);
  EXPECT_EQ(canFrame(frames.frame(0)).data.size(), 8U);
}

TEST_F(Can, ReadsNothingBeforeElevenRecessiveBits)
{
  CanDriver wire(m_pace);
  wire.hold(false, 1);
  wire.hold(true, 10);
  wire.send(message(0x55, {1}));
  wire.send(message(0x56, {2}));
  wire.hold(true, 12);
  const FrameIndex frames = decodeAll(m_bus, {{wire.track()}, wire.now(), true});
  ASSERT_EQ(frames.size(), 1U) << "the first frame begins after ten bits only";
  EXPECT_EQ(canFrame(frames.frame(0)).id, 0x56U);
}

TEST_F(Can, ACaptureThatBeginsInsideAFrameReadsTheNextOne)
{
  const CanFrameBits frame = rig::canFrame(message(0x123, {0xde, 0xad, 0x00, 0xff}), m_pace);
  for (std::size_t from = 1; from < frame.bits.size() - 8; ++from) {
    CanDriver wire(m_pace);
    wire.drive({frame.bits.begin() + static_cast<std::ptrdiff_t>(from), frame.bits.end()});
    wire.hold(true, 3);
    wire.send(message(0x77, {1}));
    wire.hold(true, 12);
    const FrameIndex frames = decodeAll(m_bus, {{wire.track()}, wire.now(), true});
    ASSERT_EQ(frames.size(), 1U) << from;
    EXPECT_EQ(canFrame(frames.frame(0)).id, 0x77U) << from;
  }
}

TEST_F(Can, ADominantSpikeShorterThanToTheSamplePointIsNoStartOfFrame)
{
  m_wire.hold(false, 0.75);
  m_wire.hold(true, 3);
  m_wire.send(message(0x31, {7}));
  const FrameIndex frames = decode();
  EXPECT_EQ(story(frames), (Story{"data"}));
  EXPECT_EQ(frames.frame(0).time.begin, 24us + 7500ns);
}

TEST_F(Can, SixDominantBitsBeginTheErrorFrameWithTheirFirst)
{
  const CanFrameBits frame = rig::canFrame(message(0x2aa, {0x55, 0x55, 0x55}), m_pace);
  m_wire.drive(frame.bits, frame.data + 16);  // two whole bytes
  const bool lastRecessive = frame.bits[frame.data + 15].recessive;
  const Picoseconds flag = lastRecessive ? m_wire.now() : m_wire.now() - 2us;
  m_wire.flag(6);
  const FrameIndex frames = decode();
  ASSERT_EQ(story(frames), (Story{"data stuff", "error"}));
  EXPECT_EQ(frames.frame(0).time.end, flag);
  EXPECT_EQ(frames.frame(1).time.begin, flag);
  EXPECT_EQ(frames.frame(1).time.end, m_wire.now() - 24us) << "the end of its eight delimiter bits";
  EXPECT_EQ(canFrame(frames.frame(0)).data.size(), 2U);
  EXPECT_FALSE(canFrame(frames.frame(0)).hasCrc);
}

TEST_F(Can, AfterSixRecessiveBitsTheErrorFrameBeginsAtTheNextFallingEdge)
{
  const CanFrameBits frame = rig::canFrame(message(0x2aa, {0x55, 0x55}), m_pace);
  m_wire.drive(frame.bits, frame.data + 9);
  m_wire.hold(true, 7);
  const Picoseconds flag = m_wire.now();
  m_wire.flag(7);
  m_wire.hold(true, 3);
  m_wire.send(message(1, {}));
  const FrameIndex frames = decode();
  ASSERT_EQ(story(frames), (Story{"data stuff", "error", "data"}));
  EXPECT_EQ(frames.frame(0).time.end, flag);
  EXPECT_EQ(frames.frame(1).time.begin, flag);
  EXPECT_EQ(frames.frame(1).time.length(), 30us);
}

TEST_F(Can, APassiveErrorFlagLeavesNoErrorFrameAndElevenRecessiveBitsEndIt)
{
  const CanFrameBits frame = rig::canFrame(message(0x2aa, {0x55, 0x55}), m_pace);
  m_wire.drive(frame.bits, frame.data + 9);
  m_wire.hold(true, 20);
  m_wire.send(message(0x99, {4}));
  const FrameIndex frames = decode();
  ASSERT_EQ(story(frames), (Story{"data stuff", "data"}));
  EXPECT_EQ(canFrame(frames.frame(1)).id, 0x99U);
}

TEST_F(Can, AFlagInTheDataPhaseIsReadAtTheNominalRate)
{
  const CanFrameBits frame = rig::canFrame(fdMessage(0x2aa, {0x55, 0x55, 0x55, 0x55, 0x55, 0x55, 0x55, 0x55}), m_pace);
  for (std::size_t bits = frame.data + 8; bits < frame.data + 16; ++bits) {
    CanDriver wire(m_pace);
    wire.hold(true, 12);
    wire.drive(frame.bits, bits);
    const bool before = frame.bits[bits - 1].recessive;
    const Picoseconds run = before ? wire.now() : wire.now() - 500ns;
    wire.flag(7);
    const Picoseconds end = wire.now();
    wire.hold(true, 3);
    wire.send(message(0x7, {1}));
    wire.hold(true, 12);
    const FrameIndex frames = decodeAll(m_bus, {{wire.track()}, wire.now(), true});
    ASSERT_EQ(story(frames), (Story{"data stuff", "error", "data"})) << bits;
    EXPECT_EQ(frames.frame(0).time.end, run);
    EXPECT_EQ(frames.frame(1).time, (TimeRange{run, end})) << bits;
    EXPECT_EQ(canFrame(frames.frame(0)).data.size(), 1U);
  }
}

TEST_F(Can, FlagsOfSixToTwelveBitsAreOneErrorFrame)
{
  for (int bits = 6; bits <= 12; ++bits) {
    m_wire.drive(rig::canFrame(message(0x2aa, {0x55, 0x55}), m_pace).bits, 24);
    m_wire.flag(bits);
    m_wire.hold(true, 3);
  }
  const FrameIndex frames = decode();
  ASSERT_EQ(frames.size(), 14U);
  for (std::uint64_t i = 0; i < 14; ++i)
    EXPECT_EQ(frames.frame(i).kind, i % 2 == 0 ? kCanData : kCanError) << i;
}

TEST_F(Can, AWrongFixedBitIsAFormErrorThatBeginsThere)
{
  const CanFrameBits good = rig::canFrame(message(0x2aa, {0x55}), m_pace);
  struct Case {
    std::size_t bit;
    const char* what;
    const char* story;
  };
  const std::array<Case, 3> cases{{{good.crcDelimiter, "CRC delimiter", "data form"},
                                   {good.crcDelimiter + 2, "ACK delimiter", "data form"},
                                   {good.crcDelimiter + 5, "third EOF bit", "data form"}}};
  for (const Case& c : cases) {
    CanDriver wire(m_pace);
    wire.hold(true, 12);
    wire.drive(good.bits, c.bit);
    const Picoseconds wrong = wire.now();
    wire.flag(6);
    wire.hold(true, 12);
    const FrameIndex frames = decodeAll(m_bus, {{wire.track()}, wire.now(), true});
    ASSERT_EQ(story(frames), (Story{c.story, "error"})) << c.what;
    EXPECT_EQ(frames.frame(1).time.begin, wrong) << c.what;
    EXPECT_EQ(frames.frame(0).time.end, wrong) << c.what;
  }
}

TEST_F(Can, WithoutAnAnswerTheFlagStandsInTheAckDelimiterAndFormIsNotAdded)
{
  CanMessage m = message(0x2aa, {0x55});
  m.acknowledged = false;
  const CanFrameBits frame = rig::canFrame(m, m_pace);
  m_wire.drive(frame.bits, frame.crcDelimiter + 2);
  m_wire.flag(6);
  m_wire.hold(true, 3);
  m_wire.send(m);  // an error-passive sender goes on to the end
  const FrameIndex frames = decode();
  ASSERT_EQ(story(frames), (Story{"data ack", "error", "data ack"}));
  EXPECT_TRUE(canFrame(frames.frame(0)).hasAck);
  EXPECT_FALSE(canFrame(frames.frame(0)).ack);
}

TEST_F(Can, AFlagInTheFirstEofBitIsExplainedByTheMissingAnswerAndALaterOneIsNot)
{
  CanMessage m = message(0x2aa, {0x55});
  for (const bool acknowledged : {false, true}) {
    m.acknowledged = acknowledged;
    const CanFrameBits frame = rig::canFrame(m, m_pace);
    for (const std::size_t late : {0U, 1U, 4U}) {
      CanDriver wire(m_pace);
      wire.hold(true, 12);
      wire.drive(frame.bits, frame.crcDelimiter + 3 + late);
      wire.flag(6);
      wire.hold(true, 12);
      const std::string expected = acknowledged ? "data form" : late == 0 ? "data ack" : "data form ack";
      EXPECT_EQ(story(decodeAll(m_bus, {{wire.track()}, wire.now(), true})), (Story{expected, "error"})) << late;
    }
  }
}

TEST_F(Can, AWrongCrcIsSaidAndTheFlagAfterTheAckDelimiterIsNoFormError)
{
  CanFrameBits frame = rig::canFrame(message(0x2aa, {0x55, 0x66}), m_pace);
  // 0x55 alternates: no stuff bit is near, so one of its bits can be another.
  frame.bits[frame.data + 3].recessive = !frame.bits[frame.data + 3].recessive;
  m_wire.drive(frame.bits, frame.crcDelimiter + 3);
  m_wire.flag(9);
  const FrameIndex frames = decode();
  ASSERT_EQ(story(frames), (Story{"data crc", "error"}));
  EXPECT_TRUE(canFrame(frames.frame(0)).ack);
  EXPECT_EQ(canFrame(frames.frame(0)).data.size(), 2U);
}

TEST_F(Can, DominantInTheFirstTwoIntermissionBitsOrTheLastEofBitIsOverload)
{
  const CanFrameBits frame = rig::canFrame(message(0x2aa, {0x55}), m_pace);
  for (const int place : {-1, 0, 1}) {
    CanDriver wire(m_pace);
    wire.hold(true, 12);
    wire.drive(frame.bits, frame.bits.size() - (place < 0 ? 1 : 0));
    if (place > 0)
      wire.hold(true, place);
    const Picoseconds flag = wire.now();
    wire.flag(6);
    wire.hold(true, 2);
    wire.send(message(0x3, {1}));  // in the third bit: SOF
    wire.hold(true, 12);
    const FrameIndex frames = decodeAll(m_bus, {{wire.track()}, wire.now(), true});
    ASSERT_EQ(story(frames), (Story{"data", "overload", "data"})) << place;
    EXPECT_EQ(frames.frame(1).time.begin, flag) << place;
    EXPECT_EQ(frames.frame(1).time.length(), 28us) << place;
  }
}

TEST_F(Can, ADominantBitInADelimiterBeginsANewErrorFrame)
{
  m_wire.drive(rig::canFrame(message(0x2aa, {0x55, 0x55}), m_pace).bits, 24);
  m_wire.hold(false, 7);
  m_wire.hold(true, 4);
  const Picoseconds second = m_wire.now();
  m_wire.flag(6);
  const FrameIndex frames = decode();
  ASSERT_EQ(story(frames), (Story{"data stuff", "error", "error"}));
  EXPECT_EQ(frames.frame(1).time.end, second);
  EXPECT_EQ(frames.frame(2).time.begin, second);
}

TEST_F(Can, ARecessiveResBitIsAProtocolException)
{
  CanFrameBits frame = rig::canFrame(fdMessage(0x2aa, {0x55}), m_pace);
  std::size_t res = 0;  // SOF, eleven bits, RRS, IDE and FDF before it; 2aa has no stuff bits
  res = 15;
  ASSERT_FALSE(frame.bits[res].recessive);
  m_wire.drive(frame.bits, res);
  m_wire.hold(true, 1);
  for (int i = 0; i < 9; ++i) {
    m_wire.hold(false, 2);
    m_wire.hold(true, 3);
  }
  m_wire.hold(true, 11);
  m_wire.send(message(0x5, {9}));
  const FrameIndex frames = decode();
  ASSERT_EQ(story(frames), (Story{"data form", "data"}));
  EXPECT_EQ(canFrame(frames.frame(0)).id, 0x2aaU);
  EXPECT_EQ(canFrame(frames.frame(1)).id, 0x5U);
}

TEST_F(Can, InFdASecondDelimiterBitAndATwoBitAnswerAreAccepted)
{
  const CanFrameBits frame = rig::canFrame(fdMessage(0x2aa, {0x55, 0x12}), m_pace);
  for (const bool late : {false, true}) {
    for (const bool wide : {false, true}) {
      CanDriver wire(m_pace);
      wire.hold(true, 12);
      wire.drive(frame.bits, frame.crcDelimiter + 1);
      wire.hold(true, late ? 1 : 0);
      wire.hold(false, wide ? 2 : 1);
      wire.hold(true, 8 + 3);
      wire.send(message(0x5, {9}));
      wire.hold(true, 12);
      const FrameIndex frames = decodeAll(m_bus, {{wire.track()}, wire.now(), true});
      ASSERT_EQ(story(frames), (Story{"data", "data"})) << late << wide;
      EXPECT_TRUE(canFrame(frames.frame(0)).ack);
    }
  }
}

TEST_F(Can, InFdALongDominantRunAfterAMissingAnswerIsTheFlag)
{
  CanMessage m = fdMessage(0x2aa, {0x55, 0x12});
  m.acknowledged = false;
  const CanFrameBits frame = rig::canFrame(m, m_pace);
  m_wire.drive(frame.bits, frame.crcDelimiter + 2);
  const Picoseconds flag = m_wire.now();
  m_wire.flag(6);
  const FrameIndex frames = decode();
  ASSERT_EQ(story(frames), (Story{"data ack", "error"}));
  EXPECT_EQ(frames.frame(1).time.begin, flag);
}

TEST_F(Can, AWrongFixedStuffBitIsAFormError)
{
  CanFrameBits frame = rig::canFrame(fdMessage(0x2aa, {0x55, 0x12}), m_pace);
  const std::size_t fixed = frame.crc + 5;
  frame.bits[fixed].recessive = frame.bits[fixed - 1].recessive;
  CanDriver wire(m_pace);
  wire.hold(true, 12);
  wire.drive(frame.bits, fixed + 1);
  wire.flag(6);
  wire.hold(true, 12);
  const FrameIndex frames = decodeAll(m_bus, {{wire.track()}, wire.now(), true});
  ASSERT_EQ(story(frames), (Story{"data form", "error"}));
  EXPECT_EQ(canFrame(frames.frame(0)).data.size(), 2U);
  EXPECT_FALSE(canFrame(frames.frame(0)).hasCrc);
}

TEST_F(Can, WhatTheCaptureCutsIsIncomplete)
{
  const CanFrameBits frame = rig::canFrame(message(0x2aa, {0x55, 0x12}), m_pace);
  for (std::size_t bits = 1; bits < frame.bits.size(); ++bits) {
    CanDriver wire(m_pace);
    wire.hold(true, 12);
    wire.drive(frame.bits, bits);
    const FrameIndex frames = decodeAll(m_bus, {{wire.track()}, wire.now(), true});
    ASSERT_EQ(story(frames), (Story{"data incomplete"})) << bits;
    EXPECT_EQ(frames.frame(0).time.end, wire.now());
    EXPECT_EQ(canFrame(frames.frame(0)).hasId, bits >= 14) << bits;
    EXPECT_EQ(canFrame(frames.frame(0)).hasCrc, bits >= frame.crcDelimiter) << bits;
  }
  // Each bit of an FD header is known from the moment that it was read, and not before. Alternating bits: nothing is
  // stuffed, so SOF, 11 of the identifier, RRS and IDE stand before FDF, res, BRS, ESI and the DLC.
  CanMessage fd = fdMessage(0x555, {0x55, 0x12});
  fd.esi = true;
  const CanFrameBits fdFrame = rig::canFrame(fd, m_pace);
  for (std::size_t bits = 13; bits < 24; ++bits) {
    CanDriver wire(m_pace);
    wire.hold(true, 12);
    wire.drive(fdFrame.bits, bits);
    const FrameIndex frames = decodeAll(m_bus, {{wire.track()}, wire.now(), true});
    ASSERT_EQ(story(frames), (Story{"data incomplete"})) << bits;
    const CanFrame read = canFrame(frames.frame(0));
    EXPECT_EQ(read.hasExtended, bits >= 14) << bits;
    EXPECT_EQ(read.hasFormat, bits >= 15) << bits;
    EXPECT_EQ(read.fd, bits >= 15) << bits;
    EXPECT_EQ(std::pair(read.hasBrs, read.brs), std::pair(bits >= 17, bits >= 17)) << bits;
    EXPECT_EQ(std::pair(read.hasEsi, read.esi), std::pair(bits >= 18, bits >= 18)) << bits;
    EXPECT_EQ(read.hasDlc, bits >= 22) << bits;
  }
  m_wire.drive(frame.bits, 24);
  m_wire.flag(6);
  const FrameIndex cutFlag = decodeAll(m_bus, {{m_wire.track()}, m_wire.now() - 5us, true});
  EXPECT_EQ(story(cutFlag), (Story{"data stuff", "error incomplete"}));
}

TEST_F(Can, InvertedTwiceIsAsSent)
{
  m_wire.send(message(0x123, {1, 2, 3}));
  m_wire.send(fdMessage(0x124, {4, 5}));
  const std::vector<std::string> straight = textsOf(decode());
  Bus inverted = m_bus;
  inverted.settings.edit<CanSettings>().invert = true;
  StreamInput turned = m_input;
  turned.tracks[0].how.invert = true;
  EXPECT_EQ(textsOf(decodeAll(inverted, turned)), straight);
  EXPECT_NE(textsOf(decodeAll(inverted, m_input)), straight);
}

TEST_F(Can, FindsTheBitRateThatGivesWholeFrames)
{
  for (const double rate : {125000.0, 500000.0, 1000000.0}) {
    CanPace pace;
    pace.bitrate = rate * 1.002;
    pace.fdBitrate = 4 * rate;
    CanDriver wire(pace);
    wire.hold(true, 20);
    for (std::uint32_t i = 0; i < 5; ++i) {
      wire.send(fdMessage(i, {1, 2, 3, 4, 5, 6}));
      wire.send(message(i + 8, {1}));
    }
    wire.hold(true, 20);
    CanSettings settings;
    settings.fdBitrate = 4 * rate;
    EXPECT_EQ(findCanBitRate(settings, {{wire.track()}, wire.now(), true}), rate);
  }
  EXPECT_EQ(findCanBitRate(CanSettings{}, {{wave("#_#_##__#", 10us)}, 1ms, true}), 0.0);
}

TEST_F(Can, OneWireOfThePairIsEnoughAndDominantIsHighOnCanh)
{
  m_wire.send(message(0x123, {1, 2, 3}));
  m_wire.send(fdMessage(0x124, {4, 5}));
  const std::vector<std::string> straight = textsOf(decode());
  const Bus low = *parseBusSpec("c=can,canl=w,bitrate=500000,fd_bitrate=2000000");
  EXPECT_EQ(textsOf(decodeAll(low, m_input)), straight);
  StreamInput turned = m_input;
  turned.tracks[0].how.invert = true;
  const Bus high = *parseBusSpec("c=can,canh=w,bitrate=500000,fd_bitrate=2000000");
  const FrameIndex frames = decodeAll(high, turned);
  EXPECT_EQ(textsOf(frames), straight);
  EXPECT_FALSE(anatomyOf(high, turned, frames, 1).bits.empty());
  EXPECT_EQ(parseBusSpec("c=can,bitrate=500000").error().message, "no channel is given");
  EXPECT_EQ(parseBusSpec("c=can,canh=A,canl=B,bitrate=500000").error().message,
            "several channels are given for one wire");
  Capture capture;
  capture.channels = {{"top.CAN_H", "CAN_H", m_wire.track()}};
  EXPECT_EQ(suggestBus(canProtocol(), &capture, {}).channelOf("canh"), "CAN_H");
  capture.channels = {{"CANL", "CANL", m_wire.track()}};
  EXPECT_EQ(suggestBus(canProtocol(), &capture, {}).channelOf("canl"), "CANL");
  EXPECT_FALSE(suggestBus(canProtocol(), &capture, {}).has("rx"));
}

TEST_F(Can, TheAnatomyNamesEveryPartAndMarksStuffBits)
{
  CanMessage m = fdMessage(0x000, {0x00, 0xff});
  m_wire.send(m);
  const FrameIndex frames = decode();
  const Anatomy a = anatomy(frames, 0);
  std::vector<std::string> names;
  for (const Field& f : a.fields)
    names.push_back(f.role == Role::Data ? "data " + std::to_string(f.value) : f.name);
  EXPECT_EQ(names, (Story{"SOF", "identifier", "RRS", "IDE", "FDF", "res", "BRS", "ESI", "DLC", "data 0", "data 255",
                          "stuff count", "CRC", "CRC delimiter", "ACK", "ACK delimiter", "end of frame"}));
  std::size_t stuff = 0;
  for (const Bit& bit : a.bits)
    stuff += bit.role == Role::Stuff ? 1U : 0U;
  EXPECT_GT(stuff, 6U + 3U) << "six fixed ones and those of the long runs";
  EXPECT_EQ(a.bits.front().cell.begin, frames.frame(0).time.begin);
  EXPECT_EQ(a.bits.back().cell.end, frames.frame(0).time.end);
  for (const Bit& bit : a.bits) {
    if (bit.actual > Picoseconds{0}) {
      EXPECT_NEAR(static_cast<double>(bit.actual.count()), static_cast<double>(bit.nominal.count()), 2000.0);
    }
  }
}

TEST_F(Can, EachBitBeginsWhereTheOneBeforeReallyEnded)
{
  m_wire.send(fdMessage(0x155, {0x0f, 0xf0, 0x81}));
  const FrameIndex frames = decode();
  const Anatomy a = anatomy(frames, 0);
  EXPECT_EQ(a.bits.front().actualBegin, frames.frame(0).time.begin);
  for (std::size_t i = 0; i + 1 < a.bits.size(); ++i) {
    if (a.bits[i + 1].actual > Picoseconds{0}) {
      EXPECT_LE(std::chrono::abs(a.bits[i].actualBegin + a.bits[i].actual - a.bits[i + 1].actualBegin), 1ns) << i;
    }
  }
}

TEST_F(Can, TheAnatomyOfAnErrorFrameIsFlagAndDelimiter)
{
  m_wire.drive(rig::canFrame(message(0x2aa, {0x55, 0x55}), m_pace).bits, 24);
  m_wire.flag(6);
  const FrameIndex frames = decode();
  ASSERT_EQ(frames.size(), 2U);
  const Anatomy flag = anatomy(frames, 1);
  ASSERT_EQ(flag.fields.size(), 2U);
  EXPECT_STREQ(flag.fields[0].name, "flag");
  EXPECT_EQ(flag.fields[1].bitCount, 8U);
  const Anatomy cut = anatomy(frames, 0);
  EXPECT_STREQ(cut.fields.back().name, "stuff error");
  EXPECT_TRUE(cut.fields.back().wrong);
  EXPECT_EQ(cut.fields.back().time.begin, frames.frame(0).time.end);
}

TEST_F(Can, BitsThatArePointedAtComeWithTheirGroup)
{
  m_wire.send(fdMessage(0x155, {0x0f, 0xf0}));
  const FrameIndex frames = decode();
  const Anatomy a = anatomy(frames, 0);
  const auto around = [&](const Field& field) {
    const TimeRange cell = a.bits.at(field.firstBit).cell;
    return canProtocol().bitsAround(a, cell.begin + cell.length() / 2);
  };
  const auto bitsOf = [&](const std::string& first, const std::string& last) {
    std::pair<std::size_t, std::size_t> bits{0, 0};
    for (const Field& f : a.fields) {
      bits.first = f.name == first ? f.firstBit : bits.first;
      bits.second = f.name == last ? f.firstBit + f.bitCount : bits.second;
    }
    return bits;
  };
  const std::vector<std::array<std::string, 2>> groups{
      {"SOF", "identifier"}, {"RRS", "DLC"}, {"stuff count", "CRC"}, {"CRC delimiter", "end of frame"}};
  std::vector<std::size_t> checked;
  for (const Field& field : a.fields) {
    if (field.role == Role::Data) {
      EXPECT_EQ(around(field), std::pair(field.firstBit, field.firstBit + field.bitCount)) << "each byte by itself";
      continue;
    }
    bool found = false;
    for (const auto& [first, last] : groups) {
      const auto bits = bitsOf(first, last);
      if (field.firstBit >= bits.first && field.firstBit < bits.second) {
        EXPECT_EQ(around(field), bits) << field.name;
        found = true;
      }
    }
    EXPECT_TRUE(found) << field.name;
  }
  EXPECT_EQ(canProtocol().bitsAround(a, Picoseconds{0}), bitsOf("SOF", "identifier")) << "before it: the first";
  EXPECT_EQ(canProtocol().bitsAround(a, a.bits.back().cell.end + 1us), bitsOf("CRC delimiter", "end of frame"));
  EXPECT_EQ(canProtocol().bitsAround(Anatomy(), 1us), (std::pair<std::size_t, std::size_t>(0, 0)));
}
