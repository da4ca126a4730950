// Which fields and bits of a CAN frame are marked as wrong: those that are why it has an error, and no others.
#include "core/decode/bus_spec.h"
#include "rig/can_driver.h"
#include "support/rooms.h"
#include "support/waves.h"
#include "support/wrong_parts.h"

using namespace bexto;
using namespace bexto::test;
using namespace std::chrono_literals;
using rig::CanDriver;
using rig::CanFrameBits;
using rig::CanMessage;
using rig::CanPace;

namespace {

class CanWrongParts : public testing::Test {
 protected:
  struct Read {
    FrameIndex frames;
    StreamInput input;
  };

  static CanMessage message(std::vector<std::uint8_t> data, bool fd = false)
  {
    CanMessage m;
    m.id = 0x2aa;
    m.fd = m.brs = fd;
    m.dlc = static_cast<unsigned>(data.size());
    m.data = std::move(data);
    return m;
  }
  Read read(const CanDriver& wire) const
  {
    const StreamInput input{{wire.track()}, wire.now(), true};
    return {decodeAll(m_bus, input), input};
  }
  /// The first frame after these bits and twelve of rest, with a flag of `flag` bits behind them.
  std::string ofBits(const CanFrameBits& frame, std::size_t count, int flag = 0)
  {
    CanDriver wire(m_pace);
    wire.hold(true, 12);
    wire.drive(frame.bits, count);
    if (flag > 0)
      wire.flag(flag);
    wire.hold(true, 12);
    const Read r = read(wire);
    return wrongParts(anatomyOf(m_bus, r.input, r.frames, 0));
  }
  static std::size_t bitCount(const CanFrameBits& frame) { return frame.bits.size(); }

  CanPace m_pace;
  Bus m_bus = *parseBusSpec("c=can,rx=rx,bitrate=500000,fd_bitrate=2000000");
};

}  // namespace

TEST_F(CanWrongParts, OfAGoodCanFrameThereAreNone)
{
  for (const bool fd : {false, true}) {
    const CanFrameBits frame = rig::canFrame(message({0x55, 0x0f}, fd), m_pace);
    EXPECT_EQ(ofBits(frame, bitCount(frame)), "") << fd;
  }
}

TEST_F(CanWrongParts, OfACanCrcErrorItIsTheCrc)
{
  // Every bit of the CRC once, where that makes no stuff error.
  for (const bool fd : {false, true}) {
    const CanFrameBits good = rig::canFrame(message({0x55, 0x0f}, fd), m_pace);
    int seen = 0;
    for (std::size_t i = good.crc + (fd ? 6 : 0); i < good.crcDelimiter; ++i) {
      CanFrameBits frame = good;
      frame.bits[i].recessive = !frame.bits[i].recessive;
      CanDriver wire(m_pace);
      wire.hold(true, 12);
      wire.drive(frame.bits);
      wire.hold(true, 12);
      const Read r = read(wire);
      if (canProtocol().errorWords(r.frames.frame(0).errors) != std::vector<std::string_view>{"crc"})
        continue;
      ++seen;
      EXPECT_EQ(wrongParts(anatomyOf(m_bus, r.input, r.frames, 0)), "CRC") << i;
    }
    EXPECT_GT(seen, 3) << fd;
  }
}

TEST_F(CanWrongParts, OfAMissingAnswerItIsTheSlotAndItsBit)
{
  CanMessage m = message({0x55});
  m.acknowledged = false;
  const CanFrameBits frame = rig::canFrame(m, m_pace);
  EXPECT_EQ(ofBits(frame, bitCount(frame)), "ACK; bits " + std::to_string(frame.crcDelimiter + 1));
}

TEST_F(CanWrongParts, OfAFormErrorItIsTheBitThatShouldHaveBeenRecessive)
{
  const CanFrameBits frame = rig::canFrame(message({0x55}), m_pace);
  EXPECT_EQ(ofBits(frame, frame.crcDelimiter, 6), "form error");
  EXPECT_EQ(ofBits(frame, frame.crcDelimiter + 5, 6), "form error");
}

TEST_F(CanWrongParts, OfAStuffErrorItIsItsPlace)
{
  const CanFrameBits frame = rig::canFrame(message({0x55, 0x55}), m_pace);
  EXPECT_EQ(ofBits(frame, frame.data + 9, 6), "stuff error");
}

TEST_F(CanWrongParts, OfAnErrorFrameItIsTheFlagAndOfAnOverloadFrameNothing)
{
  const CanFrameBits frame = rig::canFrame(message({0x55, 0x55}), m_pace);
  for (const bool error : {true, false}) {
    CanDriver wire(m_pace);
    wire.hold(true, 12);
    wire.drive(frame.bits, error ? frame.data + 9 : ~std::size_t{0});
    wire.flag(6);
    wire.hold(true, 12);
    const Read r = read(wire);
    ASSERT_EQ(r.frames.size(), 2U);
    const Anatomy flag = anatomyOf(m_bus, r.input, r.frames, 1);
    EXPECT_EQ(wrongParts(flag), error ? "flag" : "") << error;
    ASSERT_EQ(flag.fields.size(), 2U);
    // The flag that cuts a frame is read on that frame's grid: its first bit begins where the frame ends.
    EXPECT_EQ(flag.bits.front().cell.begin, r.frames.frame(1).time.begin);
    EXPECT_EQ(flag.fields[0].bitCount, error ? 6U + (frame.bits[frame.data + 8].recessive ? 0U : 1U) : 6U);
    for (const Bit& bit : flag.bits)
      EXPECT_EQ(bit.nominal, 2us);
  }
}

TEST_F(CanWrongParts, AnErrorFrameBehindAFrameThatItDidNotCutIsReadByItself)
{
  // Six dominant bits after a rest: nobody's frame, and the one before ended long ago.
  CanDriver wire(m_pace);
  wire.hold(true, 12);
  wire.send(message({0x55}));
  wire.hold(true, 20.3);  // off the grid of the frame before
  const Picoseconds begin = wire.now();
  wire.flag(8);
  wire.hold(true, 12);
  const Read r = read(wire);
  ASSERT_GE(r.frames.size(), 2U);
  const std::uint64_t last = r.frames.size() - 1;
  const Anatomy flag = anatomyOf(m_bus, r.input, r.frames, last);
  ASSERT_FALSE(flag.bits.empty());
  EXPECT_LE(std::chrono::abs(flag.bits.front().cell.begin - begin), 2us * 8);
}

TEST_F(CanWrongParts, ACutCanFrameHasALastFieldThatIsNotWhole)
{
  const CanFrameBits frame = rig::canFrame(message({0x55, 0x55}), m_pace);
  for (const std::size_t bits : {frame.data + 3, frame.data + 8, frame.data + 11}) {
    CanDriver wire(m_pace);
    wire.hold(true, 12);
    wire.drive(frame.bits, bits);
    const Read r = read(wire);
    ASSERT_EQ(r.frames.size(), 1U) << bits;
    const Anatomy a = anatomyOf(m_bus, r.input, r.frames, 0);
    EXPECT_EQ(a.fields.back().complete, bits == frame.data + 8) << bits;
    EXPECT_EQ(wrongParts(a), "") << "what is cut is not wrong";
  }
}
