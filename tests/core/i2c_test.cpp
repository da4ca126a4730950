#include "support/rooms.h"

#include "support/waves.h"
#include "support/wrong_parts.h"

using namespace bexto;
using namespace bexto::test;

namespace {

/// Both wires, driven by words: "S" START or repeated START, "P" STOP, "A5a" a byte acknowledged, "A5n" not,
/// "01101" bits without an end, "_" the clock low without a START, "~" a short spike on SDA while SCL is high, "^" one
/// on SCL.
class BusWriter {
 public:
  explicit BusWriter(std::string_view script)
  {
    m_scl.set(0, true);
    m_sda.set(0, true);
    std::size_t at = 0;
    while (at < script.size()) {
      const std::size_t end = std::min(script.find(' ', at), script.size());
      word(script.substr(at, end - at));
      at = end + 1;
    }
  }

  StreamInput input() const { return {{m_scl.snapshot(), m_sda.snapshot()}, Picoseconds{m_now + 20 * kUnit}, true}; }

 private:
  static constexpr std::int64_t kUnit = 100000;

  void word(std::string_view w)
  {
    if (w == "S")
      start();
    else if (w == "P")
      stop();
    else if (w == "_")
      clockLow();
    else if (w == "~")
      spike(m_sda, true);
    else if (w == "^")
      spike(m_scl, m_low ? false : true);
    else if (w.ends_with('a') || w.ends_with('n'))
      byte(static_cast<unsigned>(std::stoul(std::string(w.substr(0, 2)), nullptr, 16)), w.ends_with('a'));
    else
      for (const char c : w)
        bit(c == '1');
  }
  void start()
  {
    if (m_low) {
      m_sda.set(m_now += kUnit, true);
      m_scl.set(m_now += kUnit, true);
    }
    m_sda.set(m_now += 5 * kUnit, false);
    m_scl.set(m_now += 5 * kUnit, false);
    m_low = true;
  }
  void stop()
  {
    m_sda.set(m_now += kUnit, false);
    m_scl.set(m_now += 5 * kUnit, true);
    m_sda.set(m_now += 5 * kUnit, true);
    m_low = false;
    m_now += 10 * kUnit;
  }
  void clockLow()
  {
    m_scl.set(m_now += kUnit, false);
    m_low = true;
  }
  void bit(bool level)
  {
    m_sda.set(m_now += kUnit, level);
    m_scl.set(m_now += 9 * kUnit, true);
    m_scl.set(m_now += 10 * kUnit, false);
  }
  void byte(unsigned value, bool ack)
  {
    for (int i = 7; i >= 0; --i)
      bit((value >> i & 1U) != 0);
    bit(!ack);
  }
  void spike(EdgeTrackBuilder& wire, bool level)
  {
    wire.set(m_now += 3 * kUnit, !level);
    wire.set(m_now += kUnit / 4, level);
    m_now += 3 * kUnit;
  }

  EdgeTrackBuilder m_scl;
  EdgeTrackBuilder m_sda;
  std::int64_t m_now = 0;
  bool m_low = false;
};

std::string describe(const Frame& f)
{
  const I2cTransfer t = i2cTransfer(f);
  std::string text;
  if (t.hasAddress) {
    text = (t.tenBit ? "10:" : "") + std::to_string(t.address) + (t.read ? " r" : " w") + (t.addressAck ? "" : "!");
    for (std::size_t i = 0; i < t.data.size(); ++i)
      text += " " + std::to_string(t.data[i]) + (t.ackOf(i) ? "" : "n");
  } else {
    text = "none";
  }
  text += t.end == I2cEnd::Stop ? " P" : t.end == I2cEnd::Restart ? " S" : " -";
  for (const std::string_view word : i2cProtocol().errorWords(f.errors))
    text += " " + std::string(word);
  return text;
}

Bus i2cBus(Picoseconds spike = Picoseconds{0})
{
  Bus bus = Bus("i", i2cProtocol());
  bus.settings.edit<I2cSettings>().spike = spike;
  return bus;
}

std::vector<std::string> decoded(std::string_view script, Picoseconds spike = Picoseconds{0})
{
  std::vector<std::string> texts;
  const FrameIndex frames = decodeAll(i2cBus(spike), BusWriter(script).input());
  for (const Frame& f : framesOf(frames))
    texts.push_back(describe(f));
  return texts;
}

using Texts = std::vector<std::string>;

}  // namespace

TEST(I2c, WritesAndReads)
{
  EXPECT_EQ(decoded("S 54a 10a S 55a 01a 7Fa 3Cn P"), (Texts{"42 w 16 S", "42 r 1 127 60n P"}));
}

TEST(I2c, AQuickTransferHasNoData)
{
  EXPECT_EQ(decoded("S 54a P S 55n P"), (Texts{"42 w P", "42 r! P nack"}));
}

TEST(I2c, GeneralCallStartByteAndControllerCodeArePlainTransfers)
{
  EXPECT_EQ(decoded("S 00a 06a P S 01n S 54a P S 08n S 54a P"),
            (Texts{"0 w 6 P", "0 r! S nack", "42 w P", "4 w! S nack", "42 w P"}));
}

TEST(I2c, OddAcknowledgesAreKeptByteForByte)
{
  EXPECT_EQ(decoded("S 54a 01n 02a 03n 04a 05a 06a 07a 08a 09n 0Aa P"), (Texts{"42 w 1n 2 3n 4 5 6 7 8 9n 10 P"}));
}

TEST(I2c, TenBitWriteAndReadBack)
{
  EXPECT_EQ(decoded("S F4a A5a 11a S F5a 22a 33n P"), (Texts{"10:677 w 17 S", "10:677 r 34 51n P"}));
}

TEST(I2c, ATenBitReadNeedsBothBytesOfTheWriteAcknowledged)
{
  EXPECT_EQ(decoded("S F4a A5n S F5a 22n P"), (Texts{"10:677 w! S nack", "122 r 34n P"}));
  EXPECT_EQ(decoded("S F4n S F5a 22n P"), (Texts{"122 w! S nack", "122 r 34n P"}));
}

TEST(I2c, AByteBehindTheFirstHalfOfATenBitAddressIsItsLowHalfAcknowledgedOrNot)
{
  EXPECT_EQ(decoded("S F4n A5n P"), (Texts{"10:677 w! P nack"}));
  EXPECT_EQ(decoded("S F4n A5n 11n P"), (Texts{"10:677 w! 17n P nack"}));
  EXPECT_EQ(decoded("S F4n A5a 11a S F5a 22n P"), (Texts{"10:677 w! 17 S nack", "122 r 34n P"}))
      << "an address is acknowledged when both its bytes are";
  EXPECT_EQ(decoded("S F4n P"), (Texts{"122 w! P nack"})) << "without a byte behind it it is what it looks like";
}

TEST(I2c, ATenBitAddressIsForgottenAtStop)
{
  EXPECT_EQ(decoded("S F4a A5a P S F5a 22n P"), (Texts{"10:677 w P", "122 r 34n P"}));
}

TEST(I2c, ATenBitReadOfOtherHighBitsIsAnotherDevice)
{
  EXPECT_EQ(decoded("S F4a A5a S F3a 22n P"), (Texts{"10:677 w S", "121 r 34n P"}));
}

TEST(I2c, AStartInsideAByteIsUnexpected)
{
  EXPECT_EQ(decoded("S 54a 2Ca 010 S 54a P"), (Texts{"42 w 44 S unexpected-start", "42 w P"}));
}

TEST(I2c, AStopInsideAByteCutsIt)
{
  EXPECT_EQ(decoded("S 54a 2Ca 010 P S 54a P"), (Texts{"42 w 44 P incomplete unexpected-start", "42 w P"}));
}

TEST(I2c, StartThenStopAndACutAddressHaveNoAddress)
{
  EXPECT_EQ(decoded("S P"), (Texts{"none P incomplete"}));
  EXPECT_EQ(decoded("S 0101 P"), (Texts{"none P incomplete unexpected-start"}));
  EXPECT_EQ(decoded("S 0101 S 54a P"), (Texts{"none S incomplete unexpected-start", "42 w P"}));
  EXPECT_EQ(decoded("S 0101"), (Texts{"none - incomplete"}));
}

TEST(I2c, TheCapturesEndCutsEvenBetweenBytes)
{
  EXPECT_EQ(decoded("S 54a 2Ca"), (Texts{"42 w 44 - incomplete"}));
  EXPECT_EQ(decoded("S 54a 2Ca 01"), (Texts{"42 w 44 - incomplete"}));
}

TEST(I2c, WithoutAStartThereIsNoFrame)
{
  EXPECT_EQ(decoded("_ 01010101 P S 54a P"), (Texts{"42 w P"}));
}

TEST(I2c, SpikesAreLeftOutWhenAskedFor)
{
  const char* script =
      "S 54a 2C"
      "a ^ 31a P";
  EXPECT_EQ(decoded(script, Picoseconds{50000}), (Texts{"42 w 44 49 P"}));
  EXPECT_NE(decoded(script), (Texts{"42 w 44 49 P"}));
  EXPECT_EQ(decoded("~ S 54a P", Picoseconds{50000}), (Texts{"42 w P"}));
  EXPECT_EQ(decoded("~ S 54a P").size(), 2U);
}

TEST(I2c, DataThatMovesWithTheClockIsNoCondition)
{
  // SDA changes at the very time SCL falls, bit after bit.
  EdgeTrackBuilder scl;
  EdgeTrackBuilder sda;
  scl.set(0, true);
  sda.set(0, true);
  std::int64_t now = 1000;
  sda.set(now, false);
  now += 1000;
  const unsigned byte = 0x54U << 1U | 1U;  // the ninth bit: nobody answers
  for (int i = 8; i >= 0; --i) {
    scl.set(now, false);
    sda.set(now, (byte >> i & 1U) != 0);
    scl.set(now += 1000, true);
    now += 1000;
  }
  scl.set(now, false);
  sda.set(now, false);
  scl.set(now += 1000, true);
  sda.set(now += 1000, true);
  const StreamInput input{{scl.snapshot(), sda.snapshot()}, Picoseconds{now + 5000}, true};
  const FrameIndex frames = decodeAll(i2cBus(), input);
  ASSERT_EQ(frames.size(), 1U);
  EXPECT_EQ(describe(frames.frame(0)), "42 w! P nack");
}

TEST(I2c, GivesBackWhatWasSentAndTheSameInPieces)
{
  std::mt19937_64 random(21);
  for (int round = 0; round < 1500; ++round) {
    std::string script;
    Texts sent;
    const int transfers = 1 + static_cast<int>(random() % 4);
    for (int t = 0; t < transfers; ++t) {
      const unsigned address = 8 + static_cast<unsigned>(random() % 100);
      const bool read = random() % 2 == 0;
      char text[16];
      std::snprintf(text, sizeof text, "S %02Xa", address << 1U | (read ? 1U : 0U));
      script += (script.empty() ? "" : " ") + std::string(text);
      std::string expected = std::to_string(address) + (read ? " r" : " w");
      const std::size_t count = random() % 12;
      for (std::size_t i = 0; i < count; ++i) {
        const unsigned value = random() % 256;
        const bool ack = random() % 5 != 0;
        std::snprintf(text, sizeof text, " %02X%c", value, ack ? 'a' : 'n');
        script += text;
        expected += " " + std::to_string(value) + (ack ? "" : "n");
      }
      const bool stops = t + 1 == transfers || random() % 2 == 0;
      script += stops ? " P" : "";
      sent.push_back(expected + (stops ? " P" : " S"));
    }
    ASSERT_EQ(decoded(script), sent) << "round " << round << ": " << script;
    const StreamInput input = BusWriter(script).input();
    if (round % 10 == 0) {
      ASSERT_EQ(textsOf(decodeInPieces(i2cBus(), input, random())), textsOf(decodeAll(i2cBus(), input)));
    }
  }
}

TEST(I2c, RandomEdgesNeverHarmAndIndexAndAnatomyAgree)
{
  std::mt19937_64 random(33);
  for (int round = 0; round < 300; ++round) {
    StreamInput input;
    for (int wire = 0; wire < 2; ++wire) {
      std::vector<std::int64_t> times;
      std::int64_t t = 0;
      for (int i = 0; i < 400; ++i)
        times.push_back(t += 1 + static_cast<std::int64_t>(random() % (wire == 0 ? 20 : 60)));
      input.tracks.push_back(trackOf(true, times));
    }
    input.until = Picoseconds{30000};
    const Bus bus = i2cBus(Picoseconds{static_cast<std::int64_t>(random() % 3) * 4});
    const FrameIndex frames = decodeAll(bus, input);
    ASSERT_LE(frames.size(), 401U);
    ASSERT_EQ(textsOf(decodeInPieces(bus, input, random())), textsOf(frames));
    for (std::uint64_t i = 0; i < frames.size(); ++i) {
      const I2cTransfer t = i2cTransfer(frames.frame(i));
      const Anatomy anatomy = anatomyOf(bus, input, frames, i);
      std::vector<std::uint8_t> data;
      for (const Field& field : anatomy.fields) {
        if (field.role == Role::Data && field.complete)
          data.push_back(static_cast<std::uint8_t>(field.value));
      }
      ASSERT_EQ(data, std::vector<std::uint8_t>(t.data.begin(), t.data.end())) << "round " << round << " frame " << i;
    }
  }
}

TEST(I2cAnatomy, HasEveryBitWithItsRoleAndSample)
{
  const StreamInput input = BusWriter("S 54a 7Fn P").input();
  const FrameIndex frames = decodeAll(i2cBus(), input);
  const Anatomy a = anatomyOf(i2cBus(), input, frames, 0);
  std::string roles;
  for (const Field& f : a.fields)
    roles += "SADdapP"[static_cast<std::size_t>(f.role)];
  EXPECT_EQ(roles, "SADadaP");
  ASSERT_EQ(a.bits.size(), 18U);
  EXPECT_EQ(a.fields[1].value, 42U);
  EXPECT_EQ(a.fields[4].value, 0x7fU);
  EXPECT_EQ(a.fields[5].value, 1U) << "not acknowledged";
  for (const Bit& bit : a.bits) {
    EXPECT_TRUE(input.tracks[0].levelAt(bit.sample)) << "bits are sampled while SCL is high";
    EXPECT_EQ(input.tracks[1].levelAt(bit.sample), bit.level);
    EXPECT_TRUE(bit.cell.contains(bit.sample));
  }
  EXPECT_EQ(a.nominalBit, Picoseconds{2000000});
  EXPECT_EQ(a.fields.back().time.end, frames.frame(0).time.end);
}

TEST(I2cAnatomy, TheByteThatWasBrokenIsMarked)
{
  const StreamInput input = BusWriter("S 54a 010 S 54a P").input();
  const Anatomy a = anatomyOf(i2cBus(), input, decodeAll(i2cBus(), input), 0);
  ASSERT_GE(a.fields.size(), 2U);
  const Field& broken = a.fields[a.fields.size() - 2];
  EXPECT_FALSE(broken.complete);
  EXPECT_TRUE(broken.wrong);
  EXPECT_EQ(broken.bitCount, 3U);
  EXPECT_TRUE(a.fields.back().wrong);
}

TEST(I2cAnatomy, MarksWhatIsWrongAndNothingElse)
{
  const auto wrong = [](const char* talk) {
    const StreamInput input = BusWriter(talk).input();
    return wrongParts(anatomyOf(i2cBus(), input, decodeAll(i2cBus(), input), 0));
  };
  EXPECT_EQ(wrong("S 54a 10a P"), "");
  EXPECT_EQ(wrong("S 55a 10n P"), "") << "the reader of the last byte says no more";
  EXPECT_EQ(wrong("S 54n P"), "acknowledge; bits 8");
  EXPECT_EQ(wrong("S 54a 10a 20n 30a P"), "") << "so does the one in the middle: that is the devices' business";
  EXPECT_EQ(wrong("S 54a 010 S 54a P"), "data, START");
  EXPECT_EQ(wrong("S 54a 010 P"), "data, STOP");
}

TEST(I2cRate, IsTheClocksOwnWithoutPausesAndStretches)
{
  const StreamInput input = BusWriter("S 54a 10a S 55a 01a 7Fa 3Cn P S 54a P").input();
  const auto decoded = decodeStream(i2cBus(), input, std::stop_token());
  EXPECT_NEAR(decoded->measuredHertz, 500e3, 1.0);
}

TEST(I2cAnatomy, AByteThatIsPointedAtComesWithItsAcknowledge)
{
  const StreamInput input = BusWriter("S 54a 7Fa 13n P").input();
  const Anatomy a = anatomyOf(i2cBus(), input, decodeAll(i2cBus(), input), 0);
  ASSERT_EQ(a.bits.size(), 27U);
  for (std::size_t bit = 0; bit < a.bits.size(); ++bit) {
    const std::size_t first = bit / 9 * 9;
    EXPECT_EQ(i2cProtocol().bitsAround(a, a.bits[bit].sample), std::pair(first, first + 9)) << bit;
    EXPECT_EQ(i2cProtocol().bitsAround(a, a.bits[bit].cell.begin), std::pair(first, first + 9)) << bit;
  }
  EXPECT_EQ(i2cProtocol().bitsAround(a, input.until), (std::pair<std::size_t, std::size_t>(18, 27)));
  EXPECT_EQ(i2cProtocol().bitsAround(a, Picoseconds{0}), (std::pair<std::size_t, std::size_t>(0, 9)));
}
