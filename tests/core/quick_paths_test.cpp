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

FrameIndex carefully(const Traffic& t)
{
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
  } else if (t.bus.isOf(i2cProtocol())) {
    Careful<i2c::NoRecorder> none;
    i2c::I2cMachine<Careful<i2c::NoRecorder>> machine(t.bus.settings.as<I2cSettings>(), t.input, Picoseconds{0}, none);
    while (machine.run(1000, add)) {
    }
  } else if (t.bus.isOf(spiProtocol())) {
    Careful<spi::NoRecorder> none;
    spi::SpiMachine<Careful<spi::NoRecorder>> machine(t.bus, t.input, Picoseconds{0}, none);
    while (machine.run(1000, add)) {
    }
  } else {
    CarefulCan observer{&frames};
    using Machine = can::Machine<CarefulCan>;
    Machine machine(t.bus.settings.as<CanSettings>(), t.input, Picoseconds{0}, Machine::Begin::Anywhere, observer);
    while (machine.run(1000)) {
    }
  }
  return frames.snapshot();
}

class QuickPaths : public testing::TestWithParam<std::string> {};

}  // namespace

TEST_P(QuickPaths, ReadWhatTheCarefulWayReads)
{
  std::uint64_t frames = 0;
  std::uint64_t faulty = 0;
  for (int seed = 0; seed < cases(1500); ++seed) {
    const Traffic t = dirtyTraffic(GetParam(), static_cast<std::uint64_t>(seed));
    const FrameIndex quick = decodeAll(t.bus, t.input);
    const FrameIndex careful = carefully(t);
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

TEST(LevelReader, GivesTheLevelsThatTheTrackHas)
{
  std::mt19937_64 random(5);
  for (int round = 0; round < 500; ++round) {
    // Samples every 100 ps; the line moves between two of them or not, at times on the sample itself.
    std::vector<std::int64_t> times;
    for (std::int64_t i = 0; i < 60; ++i) {
      if (random() % 2 == 0)
        times.push_back(i * 100 - static_cast<std::int64_t>(random() % 100) + 100);
    }
    const EdgeTrack track = trackOf(random() % 2 == 0, times);
    EdgeStream stream(track, Picoseconds{0}, Picoseconds{100000}, true);
    const EdgeWalk walk(stream);
    LevelReader reader(walk);
    const auto bits = static_cast<unsigned>(1 + random() % 32);
    std::uint32_t expected = 0;
    for (unsigned i = 1; i <= bits; ++i) {
      reader.sample(i * 100);
      ASSERT_GT(reader.next(), i * 100);
      expected = expected << 1U | (track.levelAt(Picoseconds{i * 100}) ? 1U : 0U);
    }
    ASSERT_EQ(reader.word(bits), expected) << "round " << round;
    ASSERT_EQ(*reader.at(), reader.next());
  }
}

TEST(LevelReader, ALineThatMovedTwiceBetweenTwoSamplesShowsInWhatComesNext)
{
  EdgeStream stream(trackOf(false, {150, 160, 170, 420}), Picoseconds{0}, Picoseconds{1000}, true);
  const EdgeWalk walk(stream);
  LevelReader reader(walk);
  reader.sample(100);
  EXPECT_EQ(reader.next(), 150);
  reader.sample(200);
  EXPECT_LE(reader.next(), 200);
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
