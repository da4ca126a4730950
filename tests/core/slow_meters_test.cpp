// Meters work through many edges at once. Here the same is measured edge by edge, as its definition reads, on traffic
// that is long, or dirty, or nonsense.
#include <cmath>
#include <optional>

#include "core/decode/median.h"
#include "core/protocol/i2c/i2c_frame.h"
#include "core/protocol/i2c/i2c_meter.h"
#include "core/protocol/spi/spi_meter.h"
#include "core/protocol/uart/uart_frame.h"
#include "core/protocol/uart/uart_meter.h"
#include "core/protocol/uart/uart_timing.h"
#include "core/signal/edge_stream.h"
#include "support/checks.h"
#include "support/lock_cycle.h"
#include "support/random_traffic.h"

using namespace bexto;
using namespace bexto::test;

namespace {

using Times = std::vector<std::int64_t>;
/// By measure: what the definition says.
using Values = std::vector<std::vector<double>>;

/// A wire's edges as decoders see them.
Times edgesOf(const StreamInput& input, std::size_t wire, Picoseconds shortest = {})
{
  Times times;
  EdgeStream stream(input.tracks.at(wire), Picoseconds{0}, input.until, input.final, shortest);
  for (; stream.next() != kNever.count(); stream.advance())
    times.push_back(stream.next());
  return times;
}

/// From one moment to another, both included.
Times between(const Times& times, std::int64_t from, std::int64_t to)
{
  return {std::lower_bound(times.begin(), times.end(), from), std::upper_bound(times.begin(), times.end(), to)};
}

bool startsHigh(const StreamInput& input, std::size_t wire)
{
  return EdgeStream(input.tracks.at(wire), Picoseconds{0}, input.until, input.final).level();
}

/// What the room measures, in slices, as a check does.
std::vector<Tally> measured(const Bus& bus, const StreamInput& input, const FrameIndex& frames, std::uint64_t slice)
{
  std::vector<Tally> tallies;
  for (const MeasureSpec& spec : bus.protocol().facts().measures)
    tallies.emplace_back(spec.unit, Limits{}, 0.0);
  const std::unique_ptr<Meter> meter = bus.protocol().meter(bus);
  for (std::uint64_t at = 0; at < frames.size(); at += slice)
    meter->measure(input, frames, {at, std::min(at + slice, frames.size())}, tallies);
  for (Tally& tally : tallies)
    tally.settle();
  return tallies;
}

void expectSame(const Bus& bus, const std::vector<Tally>& tallies, const Values& values, const std::string& of)
{
  for (std::size_t m = 0; m < values.size(); ++m) {
    const std::string what = of + " " + bus.protocol().facts().measures[m].symbol;
    const Spread& spread = tallies[m].all();
    ASSERT_EQ(spread.count, values[m].size()) << what;
    if (values[m].empty())
      continue;
    double sum = 0.0;
    for (const double value : values[m])
      sum += value;
    const double mean = sum / static_cast<double>(values[m].size());
    EXPECT_DOUBLE_EQ(spread.min, *std::min_element(values[m].begin(), values[m].end())) << what;
    EXPECT_DOUBLE_EQ(spread.max, *std::max_element(values[m].begin(), values[m].end())) << what;
    EXPECT_NEAR(spread.mean(), mean, 1e-9 * (std::abs(mean) + 1.0)) << what;
  }
}

/// fSCL, tLOW, tHIGH, tHD;STA, tSU;STA, tSU;STO, tBUF, tSU;DAT, tHD;DAT, tVD;DAT, tVD;ACK.
Values i2cSlowly(const StreamInput& input, const FrameIndex& frames, const I2cSettings& settings)
{
  Values values(11);
  const Times clock = edgesOf(input, 0, settings.spike);
  const Times data = edgesOf(input, 1, settings.spike);
  const auto put = [&](std::size_t measure, std::int64_t length) {
    values[measure].push_back(measure == 0 ? 1e12 / static_cast<double>(length) : static_cast<double>(length));
  };
  std::int64_t stop = -1;
  for (std::uint64_t n = 0; n < frames.size(); ++n) {
    const Frame frame = frames.frame(n);
    const I2cTransfer transfer = i2cTransfer(frame);
    const std::int64_t begin = frame.time.begin.count();
    const std::int64_t end = frame.time.end.count();
    if (stop >= 0)
      put(6, begin - stop);
    stop = transfer.end == I2cEnd::Stop ? end : -1;
    const Times mine = between(clock, begin, end);
    if (mine.empty())
      continue;
    put(3, mine[0] - begin);
    Times lows;
    for (std::size_t i = 0; i + 1 < mine.size(); i += 2)
      lows.push_back(mine[i + 1] - mine[i]);
    Times sorted = lows;
    std::sort(sorted.begin(), sorted.end());
    const bool isStretched = !lows.empty() && sorted.back() > 2 * sorted.front();
    for (std::size_t low = 0; low < lows.size(); ++low) {
      const std::int64_t fall = mine[2 * low];
      const std::int64_t rise = mine[2 * low + 1];
      const bool isPulse = 2 * low + 2 < mine.size();
      const bool isAck = low % 9 == 8;
      put(1, lows[low]);
      const Times moves = between(data, std::max(fall, begin + 1), rise);
      if (!moves.empty()) {
        put(7, rise - moves.back());
        put(8, moves.front() - fall);
        if (isPulse && (!isStretched || lows[low] <= twiceMedian(sorted)))
          put(isAck ? 10 : 9, moves.back() - fall);
      }
      if (isPulse) {
        put(2, mine[2 * low + 2] - rise);
        if (low % 9 != 0)
          put(0, rise - mine[2 * low - 1]);
      } else if (transfer.end != I2cEnd::None) {
        put(transfer.end == I2cEnd::Stop ? 5 : 4, end - rise);
      }
    }
  }
  return values;
}

void expectI2c(const Bus& bus, const StreamInput& input, const std::string& of, std::uint64_t slice)
{
  const FrameIndex frames = decodeAll(bus, input);
  expectSame(bus, measured(bus, input, frames, slice), i2cSlowly(input, frames, i2cSettings(bus)), of);
}

TEST(SlowMeters, I2cOnDirtyWires)
{
  for (int seed = 1; seed <= cases(300); ++seed) {
    const auto number = static_cast<std::uint64_t>(seed);
    const RandomTraffic traffic = dirtyTraffic("i2c", number);
    expectI2c(traffic.bus, traffic.input, "dirty " + std::to_string(seed), 1 + number % 5);
    const RandomTraffic wild = nonsense("i2c", number);
    expectI2c(wild.bus, wild.input, "nonsense " + std::to_string(seed), 1 + number % 5);
  }
}

/// A bus of a lock cycle, some of its edges spoilt or lost.
StreamInput longTraffic(const Bus& bus, const Capture& capture, std::int64_t unit, std::uint64_t seed)
{
  const auto resolved = resolveBus(bus, capture);
  StreamInput input = inputOf(capture, resolved->streams.front());
  // A part is enough that is longer than what meters have in hand at once.
  const Picoseconds end = capture.end / 8;
  std::mt19937_64 random(seed);
  for (ConditionedTrack& wire : input.tracks) {
    Times times = timesOf(wire.track);
    times.erase(std::lower_bound(times.begin(), times.end(), end.count()), times.end());
    wire.track = trackOf(wire.track.startLevel(), times);
    if (seed % 2 != 0)
      wire.track = spoilt(wire.track, unit, random);
  }
  input.until = end + Picoseconds{unit};
  return input;
}

TEST(SlowMeters, I2cOnLongTraffic)
{
  const rig::LockCycle& cycle = lockCycle();
  const Bus bus = lockCycleBus("sensors");
  for (const std::uint64_t seed : {2U, 3U})
    expectI2c(bus, longTraffic(bus, cycle.capture, 2'500'000, seed), "long " + std::to_string(seed), 7);
}

/// fCLK, tCH, tCL, set-up and hold of MOSI and of MISO, tCSS, tCSH, tCSHIGH: of traffic with a select, that is measured
/// to its end.
Values spiSlowly(const Bus& bus, const StreamInput& input)
{
  const SpiSettings& settings = spiSettings(bus);
  Values values(10);
  const Times clock = edgesOf(input, 0);
  const bool clockHigh = startsHigh(input, 0);
  const Times select = edgesOf(input, 3);
  // Windows: from select to release.
  struct Window {
    std::int64_t begin, end;
    bool selected, released;
  };
  std::vector<Window> windows;
  bool active = startsHigh(input, 3) == settings.selectHigh;
  std::int64_t begin = 0;
  bool selected = false;
  for (const std::int64_t at : select) {
    if (active)
      windows.push_back({begin, at, selected, true});
    begin = at;
    active = !active;
    selected = true;
  }
  if (active)
    windows.push_back({begin, input.until.count(), selected, false});
  const auto isUp = [&](std::int64_t t) {
    const auto index = std::lower_bound(clock.begin(), clock.end(), t) - clock.begin();
    return clockHigh == (index % 2 != 0);
  };
  const bool leadsUp = settings.mode < 2;
  const bool samplesUp = settings.mode == 0 || settings.mode == 3;
  struct Interval {
    std::size_t measure;
    std::int64_t length;
  };
  std::vector<Interval> intervals;
  std::int64_t released = -1;
  for (const Window& window : windows) {
    if (window.selected && released >= 0)
      values[9].push_back(static_cast<double>(window.begin - released));
    if (window.released)
      released = window.end;
    const Times mine = between(clock, window.begin + 1, window.end);
    if (mine.empty())
      continue;
    if (window.selected)
      values[7].push_back(static_cast<double>(mine.front() - window.begin));
    if (window.released)
      values[8].push_back(static_cast<double>(window.end - mine.back()));
    for (std::size_t i = 0; i < mine.size(); ++i) {
      const bool up = isUp(mine[i]);
      if (i >= 1)
        intervals.push_back({up ? 2U : 1U, mine[i] - mine[i - 1]});
      if (i >= 2 && up == leadsUp)
        intervals.push_back({0, mine[i] - mine[i - 2]});
    }
    for (const std::size_t line : {1U, 2U}) {
      const Times data = between(edgesOf(input, line), window.begin, window.end);
      for (const std::int64_t at : mine) {
        if (isUp(at) != samplesUp)
          continue;
        const auto next = std::lower_bound(data.begin(), data.end(), at);
        if (next != data.begin())
          intervals.push_back({2 * line + 1, at - *(next - 1)});
        if (next != data.end())
          intervals.push_back({2 * line + 2, *next - at});
      }
    }
  }
  std::array<std::int64_t, 3> twice{};
  for (std::size_t m = 0; m < twice.size(); ++m) {
    Times lengths;
    for (const Interval& i : intervals) {
      if (i.measure == m)
        lengths.push_back(i.length);
    }
    twice[m] = twiceMedian(lengths);
  }
  for (const Interval& i : intervals) {
    if (i.length <= (i.measure < 3 ? twice[i.measure] : twice[0] / 2))
      values[i.measure].push_back(i.measure == 0 ? 1e12 / static_cast<double>(i.length)
                                                 : static_cast<double>(i.length));
  }
  return values;
}

TEST(SlowMeters, SpiOnDirtyWires)
{
  std::size_t looked = 0;
  for (int seed = 1; seed <= cases(400); ++seed) {
    const auto number = static_cast<std::uint64_t>(seed);
    for (const RandomTraffic& traffic : {dirtyTraffic("spi", number), nonsense("spi", number)}) {
      if (traffic.input.tracks.size() < 4)
        continue;
      const FrameIndex frames = decodeAll(traffic.bus, traffic.input);
      if (frames.size() == 0)
        continue;
      expectSame(traffic.bus, measured(traffic.bus, traffic.input, frames, 1 + number % 3),
                 spiSlowly(traffic.bus, traffic.input), std::to_string(seed));
      ++looked;
    }
  }
  EXPECT_GT(looked, static_cast<std::size_t>(cases(400)) / 2);
}

TEST(SlowMeters, SpiOnLongTraffic)
{
  const rig::LockCycle& cycle = lockCycle();
  const Bus bus = lockCycleBus("log");
  for (const std::uint64_t seed : {2U, 3U}) {
    const StreamInput input = longTraffic(bus, cycle.capture, 125'000, seed);
    const FrameIndex frames = decodeAll(bus, input);
    expectSame(bus, measured(bus, input, frames, 5), spiSlowly(bus, input), "long " + std::to_string(seed));
  }
}

/// Rate error, displacement, pause.
Values uartSlowly(const Bus& bus, const StreamInput& input, const FrameIndex& frames)
{
  const UartTiming timing(uartSettings(bus));
  Values values(3);
  const Times line = edgesOf(input, 0);
  for (std::uint64_t n = 0; n < frames.size(); ++n) {
    const Frame frame = frames.frame(n);
    if (frame.kind != kUartCharacter || !uartHasValue(frame))
      continue;
    const std::int64_t start = frame.time.begin.count();
    const std::int64_t next = n + 1 < frames.size() ? frames.frame(n + 1).time.begin.count() : kNever.count();
    std::int64_t last = start;
    std::int64_t lastBit = 0;
    double furthest = 0.0;
    bool toStart = false;
    for (auto at = std::upper_bound(line.begin(), line.end(), start); at != line.end() && *at < next; ++at) {
      const std::int64_t bit = lastBit + std::llround(static_cast<double>(*at - last) * timing.bitsPerPicosecond());
      if (bit > timing.bitsToStop() || (bit == timing.bitsToStop() && toStart))
        break;
      furthest = std::max(
          furthest, std::abs(static_cast<double>(*at - start) * timing.bitsPerPicosecond() - static_cast<double>(bit)));
      last = *at;
      lastBit = bit;
      toStart = !toStart;
    }
    if (last != start) {
      values[1].push_back(100.0 * furthest);
      if (lastBit >= 5)
        values[0].push_back(
            100.0 * (static_cast<double>(lastBit) * timing.bitLength() / static_cast<double>(last - start) - 1.0));
    }
    if (next != kNever.count())
      values[2].push_back(static_cast<double>(std::max<std::int64_t>(next - frame.time.end.count(), 0)));
  }
  return values;
}

TEST(SlowMeters, UartOnDirtyWires)
{
  for (int seed = 1; seed <= cases(300); ++seed) {
    const auto number = static_cast<std::uint64_t>(seed);
    for (const RandomTraffic& traffic : {dirtyTraffic("uart", number), nonsense("uart", number)}) {
      const FrameIndex frames = decodeAll(traffic.bus, traffic.input);
      expectSame(traffic.bus, measured(traffic.bus, traffic.input, frames, 1 + number % 4),
                 uartSlowly(traffic.bus, traffic.input, frames), std::to_string(seed));
    }
  }
}

TEST(SlowMeters, UartOnLongTraffic)
{
  const rig::LockCycle& cycle = lockCycle();
  const Bus bus = lockCycleBus("console");
  for (const std::uint64_t seed : {2U, 3U}) {
    const StreamInput input = longTraffic(bus, cycle.capture, 8'680'556, seed);
    const FrameIndex frames = decodeAll(bus, input);
    expectSame(bus, measured(bus, input, frames, 11), uartSlowly(bus, input, frames), "long " + std::to_string(seed));
  }
}

}  // namespace
