#include "support/rooms.h"

#include "core/decode/bus_spec.h"
#include "rig/spi_driver.h"
#include "support/waves.h"

using namespace bexto;
using namespace bexto::test;
using namespace std::chrono_literals;

namespace {

/// What one transfer says, as "mosi 1 2 | miso 3 4 incomplete".
std::string textOf(const Bus& bus, const Frame& frame)
{
  const SpiTransfer t = spiTransfer(bus, frame);
  std::string text;
  for (const int line : {0, 1}) {
    if (line == 0 ? !t.hasMosi : !t.hasMiso)
      continue;
    text += text.empty() ? "" : " | ";
    text += line == 0 ? "mosi" : "miso";
    for (std::size_t i = 0; i < t.words; ++i)
      text += " " + std::to_string(t.word(i, line));
  }
  for (const std::string_view word : spiProtocol().errorWords(frame.errors))
    text += " " + std::string(word);
  return text;
}

std::vector<std::string> textsOf(const Bus& bus, const FrameIndex& frames)
{
  std::vector<std::string> texts;
  for (const Frame& f : framesOf(frames))
    texts.push_back(textOf(bus, f));
  return texts;
}

Bus spiBus(const std::string& more = {})
{
  return *parseBusSpec("s=spi,clk=c,mosi=o,miso=i,cs=s" + more);
}

StreamInput inputOf(const rig::SpiDriver& driver, std::size_t device = 0)
{
  return {{driver.clock(), driver.mosi(), driver.miso(), driver.selectOf(device)}, driver.now() + 1us, true};
}

/// clk, mosi, cs as pictures, a character a microsecond.
FrameIndex decodePicture(const Bus& bus, std::string_view clk, std::string_view mosi, std::string_view cs)
{
  const Picoseconds step = 1us;
  return decodeAll(
      bus, {{wave(clk, step), wave(mosi, step), wave(cs, step)}, step * static_cast<std::int64_t>(clk.size()), true});
}

using Texts = std::vector<std::string>;

}  // namespace

TEST(Spi, EveryModeLengthAndOrderReadsWhatWasSent)
{
  std::mt19937_64 random(11);
  for (int mode = 0; mode < 4; ++mode) {
    for (int bits = 1; bits <= 32; ++bits) {
      for (const bool lsb : {false, true}) {
        rig::SpiPace pace;
        pace.mode = mode;
        pace.bits = bits;
        pace.lsbFirst = lsb;
        rig::SpiDriver driver(1);
        driver.waitUntil(1us);
        std::string expected[2];
        driver.select(0, pace);
        for (int i = 0; i < 3; ++i) {
          const auto mask = bits == 32 ? ~0U : (1U << static_cast<unsigned>(bits)) - 1U;
          const auto out = static_cast<std::uint32_t>(random()) & mask;
          const auto in = static_cast<std::uint32_t>(random()) & mask;
          expected[0] += " " + std::to_string(out);
          expected[1] += " " + std::to_string(in);
          driver.word(out, in, pace);
        }
        driver.release(0, pace);
        const Bus bus =
            spiBus(",mode=" + std::to_string(mode) + ",bits=" + std::to_string(bits) + (lsb ? ",order=lsb" : ""));
        EXPECT_EQ(textsOf(bus, decodeAll(bus, inputOf(driver))),
                  (Texts{"mosi" + expected[0] + " | miso" + expected[1]}))
            << "mode " << mode << ", " << bits << " bits";
      }
    }
  }
}

TEST(Spi, ATransferLastsFromSelectToRelease)
{
  const Bus bus = *parseBusSpec("s=spi,clk=c,mosi=o,cs=s,bits=2");
  const FrameIndex frames = decodePicture(bus, "____#_#___", "___##_____", "##______##");
  ASSERT_EQ(textsOf(bus, frames), (Texts{"mosi 2"}));
  EXPECT_EQ(frames.frame(0).time.begin, 2us);
  EXPECT_EQ(frames.frame(0).time.end, 8us);
}

TEST(Spi, TheLevelBeforeTheSamplingEdgeCounts)
{
  const Bus bus = *parseBusSpec("s=spi,clk=c,mosi=o,cs=s,bits=3");
  // Data moves at the very edges: high before the first, low before the second, high before the third.
  EXPECT_EQ(textsOf(bus, decodePicture(bus, "____#_#_#___", "__##__##____", "#__________#")), (Texts{"mosi 5"}));
}

TEST(Spi, EdgesThatMeetTheSelectFindTheLevelsBefore)
{
  const Bus bus = *parseBusSpec("s=spi,clk=c,mosi=o,cs=s,bits=2");
  // One clock edge with the select's fall does not count, one with its rise does.
  EXPECT_EQ(textsOf(bus, decodePicture(bus, "__#_#_#_", "########", "##____##")), (Texts{"mosi 3"}));
}

TEST(Spi, AReleaseInsideAWordLeavesTheWordOut)
{
  rig::SpiDriver driver(1);
  const rig::SpiPace pace;
  driver.select(0, pace);
  driver.word(0x12, 0x34, pace);
  driver.bits(0xff, 0xff, 5, pace);
  driver.release(0, pace);
  driver.select(0, pace);
  driver.release(0, pace);
  const FrameIndex frames = decodeAll(spiBus(), inputOf(driver));
  EXPECT_EQ(textsOf(spiBus(), frames), (Texts{"mosi 18 | miso 52 incomplete", "mosi | miso"}));
  EXPECT_EQ(spiTransfer(spiBus(), frames.frame(1)).words, 0U);
}

TEST(Spi, ASelectThatTheCaptureCutsIsIncomplete)
{
  const Bus bus = *parseBusSpec("s=spi,clk=c,mosi=o,cs=s,bits=1");
  const FrameIndex frames = decodePicture(bus, "_#_#_____#_", "###########", "____###____");
  ASSERT_EQ(textsOf(bus, frames), (Texts{"mosi 1 1 incomplete", "mosi 1 incomplete"}));
  EXPECT_EQ(frames.frame(0).time.begin, 0us);
  EXPECT_EQ(frames.frame(1).time.end, 11us);
}

TEST(Spi, ASelectCanBeActiveHigh)
{
  const Bus bus = *parseBusSpec("s=spi,clk=c,mosi=o,cs=s,bits=2,cs_active=high");
  EXPECT_EQ(textsOf(bus, decodePicture(bus, "_#_#_#_#_#__", "############", "__####______")), (Texts{"mosi 3"}));
}

TEST(Spi, SeveralSelectsOnOneClockAreSeveralBuses)
{
  rig::SpiDriver driver(2);
  rig::SpiPace fast;
  rig::SpiPace slow;
  slow.mode = 1;
  slow.half = 250ns;
  for (std::uint32_t i = 0; i < 4; ++i) {
    driver.select(i % 2, i % 2 == 0 ? fast : slow);
    driver.word(0x10 + i, 0x20 + i, i % 2 == 0 ? fast : slow);
    driver.release(i % 2, i % 2 == 0 ? fast : slow);
  }
  EXPECT_EQ(textsOf(spiBus(), decodeAll(spiBus(), inputOf(driver, 0))),
            (Texts{"mosi 16 | miso 32", "mosi 18 | miso 34"}));
  EXPECT_EQ(textsOf(spiBus(",mode=1"), decodeAll(spiBus(",mode=1"), inputOf(driver, 1))),
            (Texts{"mosi 17 | miso 33", "mosi 19 | miso 35"}));
}

TEST(Spi, WithoutASelectAGapPartsTheTransfers)
{
  const Bus bus = *parseBusSpec("s=spi,clk=c,miso=i,bits=2,gap=5us");
  const Picoseconds step = 1us;
  const StreamInput input{{wave("_#_#______#_#_#_____", step), wave("_##_______########__", step)}, 20us, true};
  const FrameIndex frames = decodeAll(bus, input);
  ASSERT_EQ(textsOf(bus, frames), (Texts{"miso 1", "miso 1 incomplete"}));
  EXPECT_EQ(frames.frame(0).time, (TimeRange{1us, 4us})) << "first and last clock edge";
  EXPECT_EQ(frames.frame(1).time, (TimeRange{10us, 15us}));
}

TEST(Spi, ByWordEveryWordIsAFrame)
{
  for (const int mode : {0, 1, 2, 3}) {
    rig::SpiPace pace;
    pace.mode = mode;
    rig::SpiDriver driver(1);
    driver.select(0, pace);
    driver.word(0x9f, 0xff, pace);
    driver.word(0x00, 0x6e, pace);
    driver.bits(0xff, 0x00, 3, pace);
    driver.release(0, pace);
    const Bus bus = spiBus(",frames=word,mode=" + std::to_string(mode));
    const StreamInput input = inputOf(driver);
    const FrameIndex frames = decodeAll(bus, input);
    ASSERT_EQ(textsOf(bus, frames), (Texts{"mosi 159 | miso 255", "mosi 0 | miso 110", "mosi | miso incomplete"}))
        << mode;
    EXPECT_EQ(frames.frame(0).kind, kSpiWord);
    EXPECT_LE(frames.frame(0).time.end, frames.frame(1).time.begin);
    for (std::uint64_t i = 0; i < 2; ++i) {
      const Anatomy a = anatomyOf(bus, input, frames, i);
      ASSERT_EQ(a.fields.size(), 2U) << "mode " << mode;
      EXPECT_EQ(a.fields[0].value, spiTransfer(bus, frames.frame(i)).word(0, 0));
      EXPECT_EQ(a.fields[1].value, spiTransfer(bus, frames.frame(i)).word(0, 1));
    }
  }
}

TEST(Spi, AWordLastsAsLongAsItsClockAlsoWhenItIsUnfinished)
{
  const Bus bus = *parseBusSpec("s=spi,clk=c,mosi=o,cs=s,bits=2,frames=word");
  const FrameIndex frames = decodePicture(bus, "____#_#_#_____", "______________", "##_________###");
  ASSERT_EQ(textsOf(bus, frames), (Texts{"mosi 0", "mosi incomplete"}));
  EXPECT_EQ(frames.frame(0).time, (TimeRange{4us, 7us}));
  EXPECT_EQ(frames.frame(1).time, (TimeRange{8us, 9us}));
  // Released while the clock of the last bit is still high: the word is whole.
  const FrameIndex early = decodePicture(bus, "____#_###_____", "______________", "##_____#######");
  ASSERT_EQ(textsOf(bus, early), (Texts{"mosi 0"}));
  EXPECT_EQ(early.frame(0).time, (TimeRange{4us, 6us}));
  const FrameIndex cut = decodePicture(bus, "____#_#_#_", "__________", "##________");
  ASSERT_EQ(textsOf(bus, cut), (Texts{"mosi 0", "mosi incomplete"}));
  EXPECT_EQ(cut.frame(1).time, (TimeRange{8us, 9us}));
}

TEST(Spi, TheAnatomyHasBothLinesAndOnlyWhatIsInTheWindow)
{
  rig::SpiPace pace;
  pace.between = 1us;
  rig::SpiDriver driver(1);
  driver.select(0, pace);
  for (std::uint32_t i = 0; i < 40; ++i)
    driver.word(i, 255 - i, pace);
  driver.release(0, pace);
  const StreamInput input = inputOf(driver);
  const FrameIndex frames = decodeAll(spiBus(), input);
  const Anatomy all = anatomyOf(spiBus(), input, frames, 0);
  ASSERT_EQ(all.fields.size(), 80U);
  EXPECT_EQ(all.nominalBit, 125ns);
  for (std::size_t i = 0; i < 80; ++i) {
    EXPECT_EQ(all.fields[i].ordinal, i / 2);
    EXPECT_EQ(all.fields[i].line, i % 2);
    EXPECT_EQ(all.fields[i].value, i % 2 == 0 ? i / 2 : 255 - i / 2);
  }
  const TimeRange third = all.fields[4].time;
  const Anatomy some = anatomyOf(spiBus(), input, frames, 0, third);
  ASSERT_EQ(some.fields.size(), 2U);
  EXPECT_EQ(some.fields[0].value, 2U);
  EXPECT_EQ(some.fields[0].ordinal, 2U);
  // A word ends where the next begins: there it is the next one's.
  const Protocol::BitRange second = spiProtocol().bitsAround(all, all.fields[2].time.begin + 1ns);
  EXPECT_EQ(second.second - second.first, 16U);
  EXPECT_EQ(spiProtocol().bitsAround(all, all.fields[2].time.end - Picoseconds{1}), second);
  EXPECT_EQ(spiProtocol().bitsAround(all, all.fields[2].time.end).first, second.second);
  EXPECT_EQ(spiProtocol().bitsAround(all, Picoseconds{0}).first, 0U);
  EXPECT_EQ(spiProtocol().bitsAround(all, input.until).second, all.bits.size());
  for (const Bit& bit : all.bits) {
    EXPECT_TRUE(bit.cell.contains(bit.sample));
    EXPECT_EQ(input.tracks[bit.line == 0 ? 1 : 2].levelAt(bit.sample - 1ns), bit.level);
  }
}

TEST(Spi, MeasuresItsClock)
{
  rig::SpiDriver driver(1);
  const rig::SpiPace pace;  // 8 MHz
  driver.select(0, pace);
  for (int i = 0; i < 20; ++i)
    driver.word(0x5a, 0xa5, pace);
  driver.release(0, pace);
  EXPECT_NEAR(decodeStream(spiBus(), inputOf(driver), std::stop_token())->measuredHertz, 8e6, 100e3);
}
