// Each machine reads traffic without trouble in a quick way: a byte, a word, a character, a stretch of runs at a time.
// Here its careful way, edge by edge, reads the same wires, which are made dirty so that both have much to do.
#include "core/protocol/can/can_machine.h"
#include "core/protocol/i2c/i2c_machine.h"
#include "core/protocol/spi/spi_machine.h"
#include "core/protocol/uart/uart_machine.h"
#include "support/random_traffic.h"

using namespace bexto;
using namespace bexto::test;

namespace {

template <typename Room>
struct Careful : Room {
  static constexpr bool kRecords = true;
};

struct CarefulCan {
  FrameIndexBuilder* out = nullptr;

  void frame(const Frame& f) const { out->add(f); }
  static constexpr bool records() { return true; }
  static constexpr bool stopped() { return false; }
  void bits(can::Part /*part*/, bool /*level*/, std::int64_t /*count*/, std::int64_t /*sample*/,
            const can::Timing& /*timing*/) const
  {
  }
  void edge(std::int64_t /*time*/) const {}
};

/// What a machine makes of traffic.
struct Read {
  FrameIndex frames;
  double hertz = 0.0;
};

Read carefully(const RandomTraffic& t)
{
  double hertz = 0.0;
  FrameIndexBuilder frames;
  const auto add = [&frames](const Frame& f) {
    frames.add(f);
    return true;
  };
  if (t.bus.isOf(uartProtocol())) {
    uart::UartMachine<uart::NoRecorder> machine(t.bus.settings.as<UartSettings>(), t.input, Picoseconds{0});
    uart::NoRecorder none;
    for (Frame frame; machine.next(frame, none);)
      frames.add(frame);
    hertz = machine.rate().hertz();
  } else if (t.bus.isOf(i2cProtocol())) {
    Careful<i2c::NoRecorder> none;
    i2c::I2cMachine<Careful<i2c::NoRecorder>> machine(t.bus.settings.as<I2cSettings>(), t.input, Picoseconds{0}, none);
    while (machine.run(1000, add)) {
    }
    hertz = machine.rate().hertz();
  } else if (t.bus.isOf(spiProtocol())) {
    Careful<spi::NoRecorder> none;
    spi::SpiMachine<Careful<spi::NoRecorder>> machine(t.bus, t.input, Picoseconds{0}, none);
    while (machine.run(1000, add)) {
    }
    hertz = machine.rate().hertz();
  } else {
    CarefulCan observer{&frames};
    using Machine = can::Machine<CarefulCan>;
    Machine machine(t.bus.settings.as<CanSettings>(), t.input, Picoseconds{0}, Machine::Begin::Anywhere, observer);
    while (machine.run(1000)) {
    }
    hertz = machine.rate().hertz();
  }
  return {frames.snapshot(), hertz};
}

Read quickly(const RandomTraffic& t)
{
  const auto decoder = t.bus.protocol().decoder(t.bus, t.input);
  FrameIndexBuilder frames;
  while (decoder->run(frames, 1000)) {
  }
  return {frames.snapshot(), decoder->measuredHertz()};
}

/// Two wires, of which one beats slower and slower, so that no stretch of it is like another; the other moves as
/// `data` says, a quarter of a beat before each second edge.
struct SlowingClock {
  EdgeTrackBuilder clock{0};
  EdgeTrackBuilder data{0};
  std::int64_t now = 0;

  SlowingClock(bool clockLevel, bool dataLevel)
  {
    clock.set(0, clockLevel);
    data.set(0, dataLevel);
  }
  void bit(bool level)
  {
    const std::int64_t half = 1'000'000 + now / 1000;
    data.set(now + half / 2, level);
    clock.toggle(now + half);
    clock.toggle(now + 2 * half);
    now += 2 * half;
  }
};

class QuickPaths : public testing::TestWithParam<std::string> {};

}  // namespace

TEST_P(QuickPaths, ReadWhatTheCarefulWayReads)
{
  std::uint64_t frames = 0;
  std::uint64_t faulty = 0;
  for (int seed = 0; seed < cases(1500); ++seed) {
    const RandomTraffic t = dirtyTraffic(GetParam(), static_cast<std::uint64_t>(seed));
    const auto [quick, hertz] = quickly(t);
    const auto [careful, carefulHertz] = carefully(t);
    EXPECT_EQ(hertz, carefulHertz) << "seed " << seed;
    ASSERT_EQ(quick.size(), careful.size()) << "seed " << seed;
    for (std::uint64_t i = 0; i < quick.size(); ++i)
      ASSERT_EQ(textOf(quick.frame(i)), textOf(careful.frame(i))) << "seed " << seed << " frame " << i;
    frames += quick.size();
    faulty += quick.errorCount();
  }
  // Neither all clean nor all lost: or it would compare nothing. A line of I2C that lost an edge is upside down from
  // there on, so most of its transfers are faulty.
  EXPECT_GT(faulty, frames / 200);
  EXPECT_LT(faulty, frames * 19 / 20);
}

INSTANTIATE_TEST_SUITE_P(Protocols, QuickPaths, testing::Values("uart", "i2c", "spi", "can"),
                         [](const auto& info) { return info.param; });

TEST(QuickPaths, OfATransferLongerThanWhatIsInHandReadAndMeasureTheSame)
{
  std::mt19937_64 random(6);
  SlowingClock i2c(true, true);
  i2c.now = 5'000'000;
  i2c.data.set(i2c.now, false);
  i2c.clock.set(i2c.now += 1'000'000, false);
  for (int i = 0; i < 400; ++i) {
    for (unsigned bit = 0; bit < 8; ++bit)
      i2c.bit(random() % 2 == 0);
    i2c.bit(random() % 16 == 0);
  }
  RandomTraffic t{*parseBusSpec("i=i2c,scl=scl,sda=sda"), {}};
  t.input = {{i2c.clock.snapshot(), i2c.data.snapshot()}, Picoseconds{i2c.now + 1}, true};
  const Read byByte = quickly(t);
  const Read byBit = carefully(t);
  ASSERT_EQ(textsOf(byByte.frames), textsOf(byBit.frames));
  ASSERT_EQ(byByte.frames.size(), 1U);
  EXPECT_EQ(byByte.frames.frame(0).payload.size(), 399U + 50U);  // and where it was not acknowledged
  EXPECT_EQ(byByte.hertz, byBit.hertz);

  for (const char* const settings : {"", ",bits=16,order=lsb", ",bits=24", ",mode=1", ",bits=12"}) {
    SlowingClock spi(false, false);
    for (int i = 0; i < 8 * 48 * 9; ++i)
      spi.bit(random() % 2 == 0);
    t.bus = *parseBusSpec(std::string("s=spi,clk=c,mosi=o,gap=900us") + settings);
    t.input = {{spi.clock.snapshot(), spi.data.snapshot()}, Picoseconds{spi.now + 2'000'000'000}, true};
    const Read byWord = quickly(t);
    const Read byEdge = carefully(t);
    ASSERT_EQ(textsOf(byWord.frames), textsOf(byEdge.frames)) << settings;
    EXPECT_EQ(byWord.hertz, byEdge.hertz) << settings;
    // One long transfer, and then the clock is so slow that it has gaps.
    EXPECT_GT(byWord.frames.size(), 1U) << settings;
    EXPECT_GT(byWord.frames.frame(0).payload.size(), 300U) << settings;
  }
}

TEST(FrameIndexBuilder, RowsFilledInAreFramesLikeThoseAddedOneByOne)
{
  constexpr std::uint64_t kFrames = 40000;  // more than two chunks
  FrameIndexBuilder filled;
  FrameIndexBuilder added;
  const std::vector<std::uint8_t> payload{1, 2, 3};
  std::mt19937_64 random(8);
  for (std::uint64_t n = 0; n < kFrames;) {
    Frame with{{Picoseconds{static_cast<std::int64_t>(n)}, Picoseconds{static_cast<std::int64_t>(n) + 5}},
               2,
               7,
               1,
               9,
               payload};
    filled.add(with);
    added.add(with);
    ++n;
    const FrameIndexBuilder::Rows rows = filled.rows();
    const std::size_t count = std::min<std::size_t>(rows.count, random() % 300);
    for (std::size_t i = 0; i < count; ++i, ++n) {
      rows.begin[i] = static_cast<std::int64_t>(n);
      rows.end[i] = static_cast<std::int64_t>(n) + 3;
      rows.key[i] = static_cast<std::uint32_t>(random());
      rows.errors[i] = static_cast<FrameErrors>(random() % 4);
      added.add({{Picoseconds{rows.begin[i]}, Picoseconds{rows.end[i]}}, 4, 11, rows.errors[i], rows.key[i], {}});
    }
    filled.addRows(count, 4, 11);
  }
  const FrameIndex one = filled.snapshot();
  const FrameIndex other = added.snapshot();
  EXPECT_EQ(textsOf(one), textsOf(other));
  EXPECT_EQ(one.errorCount(), other.errorCount());
}

TEST(FrameIndexBuilder, ALongIndexIsWhatWasAddedAndOutlivesItsBuilder)
{
  constexpr std::uint64_t kFrames = 4 * 16384 + 65536 + 1000;  // short chunks, a long one, and one that is open
  std::vector<FrameIndex> before;
  FrameIndex last;
  {
    FrameIndexBuilder builder;
    for (std::uint64_t n = 0; n < kFrames; ++n) {
      const auto key = static_cast<std::uint32_t>(n * 7);
      const std::vector<std::uint8_t> payload(n % 3, static_cast<std::uint8_t>(n));
      builder.add({{Picoseconds{static_cast<std::int64_t>(2 * n)}, Picoseconds{static_cast<std::int64_t>(2 * n + 1)}},
                   static_cast<FrameKind>(n % 5),
                   static_cast<std::uint16_t>(n % 1000),
                   static_cast<FrameErrors>(n % 11 == 0 ? 1 : 0),
                   key,
                   payload});
      if (n % 20011 == 0)
        before.push_back(builder.snapshot());
    }
    last = builder.snapshot();
  }
  ASSERT_EQ(last.size(), kFrames);
  EXPECT_EQ(last.errorCount(), (kFrames + 10) / 11);
  EXPECT_EQ(last.chunks().size(), 6U);
  const auto check = [](const FrameIndex& index) {
    std::uint64_t wrong = 0;
    index.forEach({0, index.size()}, [&](std::uint64_t n, const Frame& f) {
      const bool isRight = f.time.begin.count() == static_cast<std::int64_t>(2 * n) &&
                           f.time.end.count() == static_cast<std::int64_t>(2 * n + 1) && f.kind == n % 5 &&
                           f.flags == n % 1000 && f.errors == (n % 11 == 0 ? 1 : 0) &&
                           f.key == static_cast<std::uint32_t>(n * 7) && f.payload.size() == n % 3 &&
                           (f.payload.empty() || f.payload.back() == static_cast<std::uint8_t>(n));
      wrong += isRight ? 0 : 1;
    });
    EXPECT_EQ(wrong, 0U) << index.size();
  };
  check(last);
  last = FrameIndex();
  for (const FrameIndex& index : before)
    check(index);
}
