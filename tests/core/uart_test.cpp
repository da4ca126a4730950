#include "core/decode/bus_spec.h"
#include "support/rooms.h"

#include "support/random_traffic.h"
#include "support/uart_line.h"

using namespace bexto;
using namespace bexto::test;
using namespace std::chrono_literals;

namespace {

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

// ---- Pulses at every place of a character, and captures that end anywhere

namespace {

/// One wire at 1 MBd, times in ns.
std::string decodedAt1M(const std::vector<std::int64_t>& edges, std::int64_t until, UartSettings settings = plain())
{
  settings.baud = 1e6;
  std::vector<std::int64_t> times;
  for (const std::int64_t t : edges) {
    if (t <= until)
      times.push_back(t * 1000);
  }
  std::string text;
  const FrameIndex frames = decodeAll(uartBus(settings), {{trackOf(true, times)}, Picoseconds{until * 1000}, true});
  for (const Frame& f : framesOf(frames)) {
    text += fmt::format("{}{}@{}", text.empty() ? "" : " ",
                        f.kind == kUartBreak ? "break"
                        : uartHasValue(f)    ? fmt::format("{:02X}", f.key)
                                             : "cut",
                        f.time.begin.count() / 1000);
    for (const std::string_view word : uartProtocol().errorWords(f.errors))
      text += "!" + std::string(word);
  }
  return text;
}

/// The same as the words say it, look by look: slow, and without any of the machine's ways.
std::string wordByWord(const std::vector<std::int64_t>& edges, std::int64_t until, const UartSettings& settings)
{
  const std::size_t inside =
      static_cast<std::size_t>(std::lower_bound(edges.begin(), edges.end(), until + 1) - edges.begin());
  // Before an edge that comes at that very moment.
  const auto level = [&](std::int64_t t) {
    const auto seen =
        std::lower_bound(edges.begin(), edges.begin() + static_cast<std::ptrdiff_t>(inside), t) - edges.begin();
    return seen % 2 == 0;
  };
  const int looks = 1 + settings.bits + (settings.parity == UartParity::None ? 0 : 1) + 1;
  const std::int64_t stop = (looks - 1) * 1000;
  const std::int64_t end = stop + settings.halfStopBits * 500;
  const std::int64_t resume = settings.halfStopBits == 3 ? stop + 750 : end - 500;
  std::string text;
  const auto say = [&](const std::string& what, std::int64_t at) {
    text += (text.empty() ? "" : " ") + fmt::format(fmt::runtime(what), at);
  };
  std::int64_t from = 0;
  std::int64_t candidate = -1;
  for (;;) {
    std::size_t edge = 0;
    if (candidate < 0) {
      while (edge < inside && (edges[edge] < from || edge % 2 != 0))
        ++edge;
      if (edge == inside)
        return text;
      candidate = edges[edge];
    } else {
      edge = static_cast<std::size_t>(std::lower_bound(edges.begin(), edges.end(), candidate) - edges.begin());
    }
    const std::int64_t start = std::exchange(candidate, -1);
    const std::int64_t next = edge + 1 < inside ? edges[edge + 1] : std::numeric_limits<std::int64_t>::max();
    if (next - start < 125) {
      from = next;
      continue;
    }
    const auto bit = [&](int i) {
      int high = 0;
      for (const std::int64_t look : {375, 500, 625})
        high += level(start + i * 1000 + look) ? 1 : 0;
      return high >= 2;
    };
    if (bit(0)) {
      from = start + 625;
      if (!level(from)) {
        for (std::size_t i = edge; i < inside && edges[i] < from; i += 2)
          candidate = edges[i];
      }
      continue;
    }
    from = start + resume;
    if (until < from) {
      say("cut@{}!incomplete", start);
      return text;
    }
    if (next >= start + end && until >= start + end) {
      say(next > until ? "break@{}!incomplete" : "break@{}", start);
      from = next;
      continue;
    }
    unsigned value = 0;
    for (int i = 0; i < settings.bits; ++i)
      value |= (bit(1 + i) ? 1U : 0U) << static_cast<unsigned>(i);
    std::string errors;
    if (settings.parity == UartParity::Even && bit(1 + settings.bits) != (std::popcount(value) % 2 != 0))
      errors += "!parity";
    if (!bit(looks - 1))
      errors += "!framing";
    say(fmt::format("{:02X}@{{}}", value) + errors, start);
  }
}

}  // namespace

TEST(Uart, ALowThatRisesInsideTheStartBitIsNoBreak)
{
  // Low for 0.6 bit, rest, and a character 20 bits later.
  const std::vector<std::int64_t> edges{10000, 10600, 30000, 31000, 32000, 33000,
                                        34000, 35000, 36000, 37000, 38000, 39000};
  EXPECT_EQ(decodedAt1M(edges, 60000), "FF@10000 55@30000");
}

TEST(Uart, ASpikeThatTheMiddleOfTheStartBitDoesNotConfirmHidesNothingNearTheEnd)
{
  for (const std::int64_t length : {200, 300}) {
    EXPECT_EQ(decodedAt1M({10000, 10000 + length}, 14000), "") << length;
    EXPECT_EQ(decodedAt1M({10000, 10000 + length}, 10400), "") << length;
    EXPECT_EQ(decodedAt1M({10000, 10000 + length, 11000, 12000}, 15000), "cut@11000!incomplete") << length;
  }
  EXPECT_EQ(decodedAt1M({10000}, 10200), "cut@10000!incomplete");
}

TEST(Uart, TheStopBitIsTheMajorityOfItsThreeLooks)
{
  EXPECT_EQ(decodedAt1M({10000, 19450, 19530, 19570}, 40000), "00@10000");
  EXPECT_EQ(decodedAt1M({10000, 19450, 19530}, 40000), "00@10000!framing break@19530!incomplete");
  EXPECT_EQ(decodedAt1M({10000, 19570}, 40000), "00@10000!framing");
  // The next start edge may come from the middle of the stop bit on, also between its looks.
  EXPECT_EQ(decodedAt1M({10000, 19000, 19550, 20550}, 40000), "00@10000 FF@19550");
}

TEST(Uart, ReadsWhatTheLooksSayWhateverPulsesThereAre)
{
  std::mt19937_64 random(11);
  const auto below = [&random](std::int64_t n) {
    return static_cast<std::int64_t>(random() % static_cast<std::uint64_t>(n));
  };
  int characters = 0;
  for (int round = 0; round < cases(6000); ++round) {
    UartSettings settings = plain();
    settings.baud = 1e6;
    settings.bits = static_cast<int>(5 + below(5));
    settings.parity = below(2) == 0 ? UartParity::None : UartParity::Even;
    settings.halfStopBits = static_cast<int>(2 + below(3));
    LineWriter line(true);
    line.hold(true, 1e6 * static_cast<double>(1 + below(3)));
    for (int i = 0; i < 12; ++i) {
      sendCharacter(line, settings, static_cast<std::uint32_t>(below(1 << settings.bits)), 1e6);
      if (below(3) == 0)
        line.hold(true, 1e4 * static_cast<double>(below(300)));
    }
    // Each pulse is the other level for 0.1 to 0.9 bit, at any place; two that meet become one, or cut one another.
    std::set<std::int64_t> flips;
    const auto flip = [&flips](std::int64_t t) {
      if (!flips.insert(t).second)
        flips.erase(t);
    };
    const std::int64_t length = line.now().count() / 1000;
    for (Picoseconds t = line.track().nextAfter(Picoseconds{-1}); t != kNever; t = line.track().nextAfter(t))
      flip(t.count() / 1000);
    for (std::int64_t pulses = below(5); pulses > 0; --pulses) {
      const std::int64_t at = 10 * below(length / 10);
      flip(at);
      flip(at + 100 + 10 * below(81));
    }
    const std::vector<std::int64_t> edges(flips.begin(), flips.end());
    const std::int64_t until = below(2) == 0 ? length + 20000 : below(length);
    const std::string read = decodedAt1M(edges, until, settings);
    ASSERT_EQ(read, wordByWord(edges, until, settings))
        << "round " << round << " bits " << settings.bits << " half stops " << settings.halfStopBits << " until "
        << until << " of " << testing::PrintToString(edges);
    characters += static_cast<int>(std::count(read.begin(), read.end(), '@'));
  }
  EXPECT_GT(characters, 6 * cases(6000));
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
      for (const Bit& bit : anatomy.bits) {
        // What a bit really lasts lies before the edge that ends it.
        if (bit.actual > Picoseconds{0}) {
          ASSERT_LE(bit.actualBegin + bit.actual, line.track().nextAfter(bit.sample)) << round << " " << i;
        }
      }
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
