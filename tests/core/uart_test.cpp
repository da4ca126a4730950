#include "core/decode/bus_spec.h"
#include "support/rooms.h"

#include "core/decode/bit_rate.h"
#include "support/waves.h"

using namespace bexto;
using namespace bexto::test;

namespace {

constexpr double kBaud = 115200.0;
constexpr double kBit = 1e12 / kBaud;

Bus uartBus(const UartSettings& settings)
{
  Bus bus("u", uartProtocol());
  bus.settings.edit<UartSettings>() = settings;
  bus.setChannel("rx", "rx");
  return bus;
}

UartSettings plain()
{
  UartSettings settings;
  settings.baud = kBaud;
  return settings;
}

StreamInput inputFrom(const LineWriter& line)
{
  return {{line.track()}, line.now(), true};
}

/// What was decoded, a word a frame: "41", "41!framing", "break", "cut".
std::string decoded(const UartSettings& settings, const LineWriter& line)
{
  std::string text;
  const FrameIndex frames = decodeAll(uartBus(settings), inputFrom(line));
  for (const Frame& f : framesOf(frames)) {
    text += text.empty() ? "" : " ";
    if (f.kind == kUartBreak)
      text += "break";
    else if ((f.flags & kUartHasValue) == 0)
      text += "cut";
    else
      text += std::to_string(f.key);
    for (const std::string_view word : uartProtocol().errorWords(f.errors))
      text += "!" + std::string(word);
  }
  return text;
}

/// A character with one pulse of the other level, `length` bits long, at `at` bits from its start edge.
LineWriter withGlitch(double at, double length)
{
  LineWriter clean(true);
  clean.hold(true, kBit);
  sendCharacter(clean, plain(), 0x5a, kBit);
  const EdgeTrack track = clean.track();
  LineWriter dirty(true);
  const double begin = kBit * (1.0 + at);
  std::vector<double> marks{begin, begin + length * kBit};
  for (std::uint64_t i = 0; i < track.size(); ++i)
    marks.push_back(static_cast<double>(track.at(i).count()));
  std::sort(marks.begin(), marks.end());
  double now = 0.0;
  marks.push_back(static_cast<double>(clean.now().count()) + 5 * kBit);
  for (const double mark : marks) {
    const double middle = (now + mark) / 2.0;
    const bool flipped = middle >= begin && middle < begin + length * kBit;
    dirty.hold(track.levelAt(Picoseconds{static_cast<std::int64_t>(middle)}) != flipped, mark - now);
    now = mark;
  }
  return dirty;
}

}  // namespace

TEST(Uart, GivesBackWhatWasSentInEveryFrameFormat)
{
  std::mt19937_64 random(42);
  for (int round = 0; round < 2000; ++round) {
    UartSettings settings = plain();
    settings.baud = 300.0 + static_cast<double>(random() % 2000000);
    settings.bits = 5 + static_cast<int>(random() % 5);
    settings.parity = static_cast<UartParity>(random() % 5);
    settings.halfStopBits = 2 + static_cast<int>(random() % 3);
    settings.order = static_cast<BitOrder>(random() % 2);
    settings.invert = random() % 2 == 1;
    LineWriter line(!settings.invert);
    std::string sent;
    const double bit = 1e12 / settings.baud * (1.0 + (static_cast<double>(random() % 61) - 30.0) / 1000.0);
    for (int i = 0; i < 12; ++i) {
      line.hold(!settings.invert, static_cast<double>(random() % 4) * bit);
      const std::uint32_t value = static_cast<std::uint32_t>(random() % (1U << settings.bits));
      sent += (sent.empty() ? "" : " ") + std::to_string(value);
      sendCharacter(line, settings, value, bit);
    }
    line.hold(!settings.invert, 3 * bit);
    ASSERT_EQ(decoded(settings, line), sent) << "round " << round << " " << busSpecText(uartBus(settings));
  }
}

TEST(Uart, PiecesGiveTheSameFramesAsTheWhole)
{
  std::mt19937_64 random(9);
  for (int round = 0; round < 200; ++round) {
    LineWriter line(true);
    for (int i = 0; i < 20; ++i) {
      // Also glitches, breaks and half characters.
      line.hold(random() % 2 == 0, static_cast<double>(random() % 3000) / 100.0 * kBit);
      sendCharacter(line, plain(), static_cast<std::uint32_t>(random() % 256), kBit);
    }
    const StreamInput whole = inputFrom(line);
    const Bus bus = uartBus(plain());
    ASSERT_EQ(textsOf(decodeInPieces(bus, whole, random())), textsOf(decodeAll(bus, whole))) << "round " << round;
  }
}

TEST(Uart, TimesAreTheStartEdgeAndTheNominalEnd)
{
  LineWriter line(true);
  line.hold(true, 1000000.0);
  sendCharacter(line, plain(), 0x48, kBit * 0.98);
  line.hold(true, 20 * kBit);
  const Frame f = decodeAll(uartBus(plain()), inputFrom(line)).frame(0);
  EXPECT_EQ(f.time.begin, Picoseconds{1000000});
  EXPECT_EQ(f.time.end, Picoseconds{1000000 + 86805556});
}

TEST(Uart, ParityIsCheckedInEveryForm)
{
  for (const auto& [sent, read, expected] :
       std::vector<std::tuple<UartParity, UartParity, std::string>>{{UartParity::Even, UartParity::Even, "7"},
                                                                    {UartParity::Odd, UartParity::Even, "7!parity"},
                                                                    {UartParity::Mark, UartParity::Even, "7"},
                                                                    {UartParity::Space, UartParity::Even, "7!parity"},
                                                                    {UartParity::Space, UartParity::Space, "7"},
                                                                    {UartParity::Mark, UartParity::Space, "7!parity"},
                                                                    {UartParity::Space, UartParity::Mark, "7!parity"},
                                                                    {UartParity::Even, UartParity::Odd, "7!parity"}}) {
    UartSettings sender = plain();
    sender.parity = sent;
    UartSettings reader = plain();
    reader.parity = read;
    LineWriter line(true);
    line.hold(true, kBit);
    sendCharacter(line, sender, 7, kBit);
    line.hold(true, 12 * kBit);
    EXPECT_EQ(decoded(reader, line), expected);
  }
}

TEST(Uart, ALowStopBitIsAFramingError)
{
  LineWriter line(true);
  line.hold(true, kBit);
  line.hold(false, kBit);
  line.hold(true, 4 * kBit);
  line.hold(false, 5.8 * kBit);
  line.hold(true, 20 * kBit);
  EXPECT_EQ(decoded(plain(), line), "15!framing");
}

TEST(Uart, ABreakLastsUntilTheLineRisesAndHasNoValue)
{
  for (const double bits : {10.0, 11.5, 40.0}) {
    LineWriter line(true);
    line.hold(true, kBit);
    line.hold(false, bits * kBit + 2.0);
    line.hold(true, 2 * kBit);
    sendCharacter(line, plain(), 65, kBit);
    line.hold(true, 5 * kBit);
    EXPECT_EQ(decoded(plain(), line), "break 65") << bits;
    const Frame f = decodeAll(uartBus(plain()), inputFrom(line)).frame(0);
    EXPECT_NEAR(static_cast<double>(f.time.length().count()), bits * kBit, 3.0);
  }
}

TEST(Uart, LowForLessThanACharacterIsNoBreak)
{
  LineWriter line(true);
  line.hold(true, kBit);
  line.hold(false, 9.8 * kBit);
  line.hold(true, 20 * kBit);
  EXPECT_EQ(decoded(plain(), line), "0!framing");
}

TEST(Uart, TheCapturesEndCutsCharactersAndBreaks)
{
  LineWriter character(true);
  character.hold(true, kBit);
  character.hold(false, 3 * kBit);
  character.hold(true, 2 * kBit);
  EXPECT_EQ(decoded(plain(), character), "cut!incomplete");
  LineWriter low(true);
  low.hold(true, kBit);
  low.hold(false, 30 * kBit);
  EXPECT_EQ(decoded(plain(), low), "break!incomplete");
}

TEST(Uart, ALineThatBeginsLowIsSilentUntilItFalls)
{
  LineWriter line(false);
  line.hold(false, 30 * kBit);
  line.hold(true, 3 * kBit);
  sendCharacter(line, plain(), 33, kBit);
  line.hold(true, 2 * kBit);
  EXPECT_EQ(decoded(plain(), line), "33");
}

TEST(Uart, AGlitchShorterThanAnEighthOfABitChangesNothingWhereverItIs)
{
  for (double at = 0.15; at < 9.4; at += 0.0171)
    ASSERT_EQ(decoded(plain(), withGlitch(at, 0.12)), "90") << "glitch at bit " << at;
  for (double at = -0.9; at < -0.13; at += 0.05)
    ASSERT_EQ(decoded(plain(), withGlitch(at, 0.12)), "90") << "glitch before the start, at " << at;
}

TEST(Uart, AHighPulseAtTheStartIsNoCharacter)
{
  LineWriter line(true);
  line.hold(true, kBit);
  line.hold(false, 0.3 * kBit);
  line.hold(true, 6 * kBit);
  sendCharacter(line, plain(), 66, kBit);
  line.hold(true, 2 * kBit);
  EXPECT_EQ(decoded(plain(), line), "66");
}

TEST(Uart, RandomEdgesNeverHarm)
{
  std::mt19937_64 random(77);
  for (int round = 0; round < 300; ++round) {
    LineWriter line(random() % 2 == 0);
    for (int i = 0; i < 300; ++i)
      line.hold(i % 2 == 0, static_cast<double>(random() % 1000 + 1) / (random() % 4 == 0 ? 2000.0 : 200.0) * kBit);
    UartSettings settings = plain();
    settings.parity = static_cast<UartParity>(random() % 5);
    settings.halfStopBits = 2 + static_cast<int>(random() % 3);
    const Bus bus = uartBus(settings);
    const FrameIndex frames = decodeAll(bus, inputFrom(line));
    ASSERT_LE(frames.size(), 300U);
    for (std::uint64_t i = 0; i < frames.size(); ++i) {
      const Anatomy anatomy = anatomyOf(bus, inputFrom(line), frames, i);
      const Frame f = frames.frame(i);
      if ((f.flags & kUartHasValue) == 0 || settings.order == BitOrder::Msb)
        continue;
      std::uint32_t value = 0;
      for (const Bit& bit : anatomy.bits) {
        if (bit.role == Role::Data)
          value = value >> 1U | (bit.level ? 1U << static_cast<unsigned>(settings.bits - 1) : 0U);
      }
      ASSERT_EQ(value, f.key) << "index and anatomy disagree in round " << round << " frame " << i;
    }
  }
}

TEST(UartAnatomy, EveryBitHasItsSampleAndItsActualLength)
{
  UartSettings settings = plain();
  settings.parity = UartParity::Even;
  LineWriter line(true);
  line.hold(true, kBit);
  sendCharacter(line, settings, 0x0f, 1.02 * kBit);
  line.hold(true, 3 * kBit);
  sendCharacter(line, settings, 0x0f, kBit);
  const StreamInput input = inputFrom(line);
  const Bus bus = uartBus(settings);
  const FrameIndex frames = decodeAll(bus, input);
  const Anatomy a = anatomyOf(bus, input, frames, 0);
  ASSERT_EQ(a.bits.size(), 11U);
  EXPECT_EQ(a.bits[0].role, Role::Start);
  EXPECT_EQ(a.bits[9].role, Role::Parity);
  EXPECT_EQ(a.bits[10].role, Role::Stop);
  EXPECT_NEAR(static_cast<double>(a.nominalBit.count()), kBit, 1.0);
  for (int i = 0; i < 9; ++i)
    EXPECT_NEAR(static_cast<double>(a.bits[static_cast<std::size_t>(i)].actual.count()), 1.02 * kBit, 2.0) << i;
  EXPECT_EQ(a.bits[10].actual, Picoseconds{0}) << "no edge ends the stop bit inside the character";
  EXPECT_NEAR(static_cast<double>((a.bits[3].sample - frames.frame(0).time.begin).count()), 3.5 * kBit, 1.0);
  ASSERT_EQ(a.fields.size(), 4U);
  EXPECT_EQ(a.fields[1].value, 0x0fU);
}

TEST(UartRate, IsMeasuredFromTheCharacters)
{
  LineWriter line(true);
  line.hold(true, kBit);
  for (std::uint32_t i = 0; i < 100; ++i)
    sendCharacter(line, plain(), i * 37 % 256, kBit / 1.026);
  line.hold(true, 20 * kBit);
  const auto decoded = decodeStream(uartBus(plain()), inputFrom(line), std::stop_token());
  EXPECT_NEAR(decoded->measuredHertz / kBaud, 1.026, 0.001);
}

TEST(UartRate, AutoFindsTheCustomaryRateInDirtyTraffic)
{
  for (const double baud : {9600.0, 57600.0, 115200.0, 1000000.0}) {
    std::mt19937_64 random(4);
    LineWriter line(true);
    const double bit = 1e12 / baud;
    line.hold(true, bit);
    for (int i = 0; i < 300; ++i) {
      sendCharacter(line, plain(), 32 + static_cast<std::uint32_t>(random() % 90), bit * 1.011);
      if (i % 40 == 0) {
        line.hold(false, bit * 0.03);
        line.hold(true, bit * 1.5);
      }
    }
    EXPECT_EQ(nearestStandardRate(estimateBitRate(line.track())), baud);
  }
}

TEST(UartRate, FarFromEveryCustomaryRateTheMeasuredOneIsKept)
{
  EXPECT_EQ(nearestStandardRate(100000.0), 100000.0);
  EXPECT_EQ(nearestStandardRate(117000.0), 115200.0);
  EXPECT_EQ(estimateBitRate(EdgeTrack()), 0.0);
}
