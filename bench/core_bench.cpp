#include <fmt/core.h>

#include <numeric>

#include "capture_bench.h"
#include "check_bench.h"
#include "core/decode/edge_walk.h"
#include "core/format/vcd_reader.h"
#include "core/signal/edge_stream.h"
#include "core/signal/edge_track_builder.h"
#include "device_bench.h"
#include "format_bench.h"
#include "list_bench.h"
#include "store_bench.h"
#include "table.h"
#include "traffic.h"

namespace bexto::bench {

namespace {

constexpr std::uint64_t kTransitions = 8000000;

const StreamInput& i2cInput()
{
  static const StreamInput kInput = i2cTraffic(kTransitions);
  return kInput;
}

const StreamInput& uartInput()
{
  static const StreamInput kInput = uartTraffic(kTransitions);
  return kInput;
}

const StreamInput& spiInput()
{
  static const StreamInput kInput = spiTraffic(kTransitions);
  return kInput;
}

const StreamInput& canInput(bool fd)
{
  static const StreamInput kClassic = canTraffic(kTransitions, false);
  static const StreamInput kFd = canTraffic(kTransitions, true);
  return fd ? kFd : kClassic;
}

double storedBytes(const StreamInput& input)
{
  double bytes = 0.0;
  for (const ConditionedTrack& track : input.tracks)
    bytes += static_cast<double>(track.track.bytes());
  return bytes;
}

void readVcdText(benchmark::State& state)
{
  static const std::string kText = vcdText(i2cInput());
  NoProgress none;
  for (auto unused : state)
    benchmark::DoNotOptimize(parseVcd(kText, "bench", std::stop_token(), none)->channels.size());
  report(state, static_cast<double>(transitionsOf(i2cInput())), static_cast<double>(kText.size()));
  state.SetLabel(">= 600 MB/s");
}

void storeTransitions(benchmark::State& state)
{
  std::vector<std::int64_t> ticks;
  for (EdgeStream s(uartInput().tracks[0], Picoseconds{0}, kNever - Picoseconds{1}, true); s.next() != kNever.count();
       s.advance())
    ticks.push_back(s.next() / 1000);
  double bytes = 0.0;
  for (auto unused : state) {
    EdgeTrackBuilder builder(3);
    builder.set(0, true);
    for (const std::int64_t t : ticks)
      builder.toggle(t);
    bytes = static_cast<double>(builder.snapshot().bytes());
  }
  const auto count = static_cast<double>(ticks.size());
  report(state, count, count * 8.0);
  state.SetLabel(fmt::format("{:.2f} bytes each, target <= 2.5", bytes / count));
}

void walkTransitions(benchmark::State& state)
{
  const StreamInput& input = uartInput();
  std::int64_t sum = 0;
  for (auto unused : state) {
    EdgeStream stream(input.tracks[0], Picoseconds{0}, kNever - Picoseconds{1}, true);
    // As decoders do: through the stream itself each step would wait for the one before to be stored.
    for (EdgeWalk walk(stream); walk.next() != kNever.count(); walk.advance())
      sum += walk.next();
  }
  benchmark::DoNotOptimize(sum);
  report(state, static_cast<double>(input.tracks[0].track.size()), storedBytes(input));
  state.SetLabel("step by step");
}

void walkRows(benchmark::State& state)
{
  const StreamInput& input = uartInput();
  std::int64_t sum = 0;
  for (auto unused : state) {
    EdgeStream stream(input.tracks[0], Picoseconds{0}, kNever - Picoseconds{1}, true);
    // As the quick ways of decoders do.
    for (EdgeWalk walk(stream); walk.next() != kNever.count();) {
      const std::int64_t* const behind = walk.at() + walk.inHand();
      sum = std::accumulate(walk.at(), behind, sum);
      walk.jump(behind);
    }
  }
  benchmark::DoNotOptimize(sum);
  report(state, static_cast<double>(input.tracks[0].track.size()), storedBytes(input));
  state.SetLabel("what is in hand at once, <= 0.8 ns");
}

void decode(benchmark::State& state, const Bus& bus, const StreamInput& input, const char* target)
{
  std::uint64_t frames = 0;
  const auto begin = std::chrono::steady_clock::now();
  for (auto unused : state)
    frames += decodeStream(bus, input, std::stop_token())->frames.size();
  const std::chrono::duration<double> took = std::chrono::steady_clock::now() - begin;
  report(state, static_cast<double>(transitionsOf(input)), storedBytes(input));
  state.SetLabel(fmt::format("{}; {:.1f} M frames/s", target, static_cast<double>(frames) / took.count() / 1e6));
}

void lookUpLevel(benchmark::State& state)
{
  const EdgeTrack& track = uartInput().tracks[0].track;
  std::uint64_t seed = 1;
  int sum = 0;
  for (auto unused : state) {
    seed = seed * 6364136223846793005U + 1442695040888963407U;
    sum += track.levelAt(
               Picoseconds{static_cast<std::int64_t>(seed % static_cast<std::uint64_t>(uartInput().until.count()))})
               ? 1
               : 0;
  }
  benchmark::DoNotOptimize(sum);
  report(state, 1.0, 0.0);
  state.SetLabel("O(log n), anywhere in 8 M transitions");
}

void registerAll()
{
  constexpr auto kUnit = benchmark::kMillisecond;
  registerFormats();
  registerCapture();
  benchmark::RegisterBenchmark("VCD text to transitions", readVcdText)->Unit(kUnit);
  benchmark::RegisterBenchmark("store a transition", storeTransitions)->Unit(kUnit);
  benchmark::RegisterBenchmark("walk over transitions", walkTransitions)->Unit(kUnit);
  benchmark::RegisterBenchmark("walk over transitions, in rows", walkRows)->Unit(kUnit);
  benchmark::RegisterBenchmark("level at any moment", lookUpLevel);
  benchmark::RegisterBenchmark("I2C decode, a transition",
                               [](benchmark::State& s) { decode(s, i2cBus(), i2cInput(), "<= 1.7 ns"); });
  benchmark::RegisterBenchmark("UART decode, a transition",
                               [](benchmark::State& s) { decode(s, uartBus(), uartInput(), "<= 3 ns"); });
  benchmark::RegisterBenchmark("SPI decode, a transition",
                               [](benchmark::State& s) { decode(s, spiBus(), spiInput(), "<= 1.7 ns"); });
  benchmark::RegisterBenchmark("CAN decode, a transition", [](benchmark::State& s) {
    decode(s, canBus(), canInput(false), "<= 7 ns, >= 2 M frames/s");
  });
  benchmark::RegisterBenchmark("CAN FD decode, a transition",
                               [](benchmark::State& s) { decode(s, canBus(), canInput(true), "<= 9 ns"); });
  benchmark::RegisterBenchmark("CAN decode, a lone node", [](benchmark::State& s) {
    static const StreamInput kLone = canTraffic(kTransitions, false, false);
    decode(s, canBus(), kLone, "");
  });
  registerLists();
  registerDevices();
  registerChecks();
  registerStore();
}

}  // namespace

}  // namespace bexto::bench

int main(int argc, char** argv)
{
  bexto::bench::registerAll();
  return bexto::bench::runTable(argc, argv, "core, one thread");
}
