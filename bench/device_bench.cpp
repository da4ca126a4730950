// What device sheets cost: reading frames by them, asking for values, the state of a device at any moment.
#include "device_bench.h"

#include "core/decode/bus_spec.h"
#include "core/decode/decoder.h"
#include "core/device/device_history.h"
#include "core/device/sheet_file.h"
#include "core/device/value_series.h"
#include "core/query/scan.h"
#include "core/view/device_table.h"
#include "core/view/plot_shape.h"
#include "rig/lock_cycle.h"
#include "table.h"

namespace bexto::bench {

namespace {

/// A bus of the lock cycle, decoded, and its frames again and again.
struct Described {
  Bus bus;
  StreamInput input;
  FrameIndex frames;
};

const rig::LockCycle& cycle()
{
  static const rig::LockCycle kCycle = rig::simulateLockCycle(1187);
  return kCycle;
}

Described described(const std::string& name, std::uint64_t count)
{
  for (const std::string& spec : rig::lockCycleBuses()) {
    const auto bus = parseBusSpec(spec);
    if (bus->name != name)
      continue;
    const auto resolved = resolveBus(*bus, cycle().capture);
    Described d{resolved->bus, inputOf(cycle().capture, resolved->streams.front()), {}};
    for (const rig::LockCycleSheet& sheet : rig::lockCycleSheets()) {
      if (sheet.bus == name)
        attachSheet(d.bus, {sheet.name, sheet.text});
    }
    const FrameIndex once = decodeStream(d.bus, d.input, std::stop_token())->frames;
    const Picoseconds length = cycle().capture.end;
    FrameIndexBuilder builder;
    for (Picoseconds shift{0}; builder.size() < count; shift += length) {
      for (std::uint64_t i = 0; i < once.size() && builder.size() < count; ++i) {
        Frame frame = once.frame(i);
        frame.time = {frame.time.begin + shift, frame.time.end + shift};
        builder.add(frame);
      }
    }
    d.frames = builder.snapshot();
    return d;
  }
  return {};
}

constexpr std::uint64_t kMillion = 1'000'000;

const Described& sensors()
{
  static const Described kBus = described("sensors", kMillion);
  return kBus;
}

const Described& adc()
{
  static const Described kBus = described("adc", kMillion);
  return kBus;
}

const Described& drives()
{
  static const Described kBus = described("drives", 10 * kMillion);
  return kBus;
}

/// What decoding one frame of the same bus costs: what reading it by a sheet is held against.
void decodeOnce(benchmark::State& state, const Described& d)
{
  std::uint64_t frames = 1;
  for (auto unused : state)
    frames = decodeStream(d.bus, d.input, std::stop_token())->frames.size();
  report(state, static_cast<double>(frames), 0.0);
  state.SetLabel("what the next row is held against");
}

void readBySheets(benchmark::State& state, const Described& d)
{
  const auto describer = describerOf(d.bus);
  for (auto unused : state)
    benchmark::DoNotOptimize(describer->read(d.bus, d.frames, nullptr)->bytes());
  report(state, static_cast<double>(d.frames.size()), 0.0);
  state.SetLabel("less than half of decoding the frame");
}

ScanSource askedSource()
{
  return {drives().bus, "", Transactions(drives().bus, drives().frames)};
}

void filterByValue(benchmark::State& state, const std::string& text)
{
  static const ScanSource kSource = askedSource();
  const Query query = *Query::parse(text, namesOf({drives().bus}));
  std::uint64_t found = 0;
  for (auto unused : state) {
    const auto sets = scanLines(query, {kSource}, std::stop_token());
    found = sets->front().size();
  }
  report(state, static_cast<double>(drives().frames.size()), 0.0);
  state.SetLabel("whole scan <= 150 ms · " + std::to_string(found) + " found");
}

void firstHits(benchmark::State& state)
{
  static const ScanSource kSource = askedSource();
  const Query query = *Query::parse("speed>80", namesOf({drives().bus}));
  for (auto unused : state) {
    std::stop_source stop;
    const auto sets = scanLines(query, {kSource}, stop.get_token(), [&](const std::vector<LineSet>& sofar, double) {
      if (sofar.front().size() >= 40)
        stop.request_stop();
    });
    benchmark::DoNotOptimize(sets.has_value());
  }
  report(state, 1.0, 0.0);
  state.SetLabel("40 hits, one display frame: <= 16 ms");
}

void stateAtAnyTime(benchmark::State& state)
{
  static const DeviceHistory kHistory =
      *DeviceHistory::make(drives().bus, Transactions(drives().bus, drives().frames), {}, std::stop_token());
  std::uint64_t seed = 1;
  const std::int64_t end = drives().frames.frame(drives().frames.size() - 1).time.end.count();
  const std::vector<DeviceHistory> streams{kHistory};
  for (auto unused : state) {
    seed = seed * 6364136223846793005U + 1442695040888963407U;
    const Picoseconds at{static_cast<std::int64_t>(seed >> 1U) % end};
    benchmark::DoNotOptimize(deviceRows(streams, 0, at, at / 2).size());
  }
  report(state, 1.0, 0.0);
  state.SetLabel("at a moment in 10 M frames, and what changed: <= 5 ms");
}

void historyOfAll(benchmark::State& state)
{
  const Transactions lines(drives().bus, drives().frames);
  for (auto unused : state)
    benchmark::DoNotOptimize(DeviceHistory::make(drives().bus, lines, {}, std::stop_token())->subjects().size());
  report(state, static_cast<double>(drives().frames.size()), 0.0);
  state.SetLabel("once, in the background");
}

const DeviceValue kSpeed{"drives", "gate_1_command", "speed"};

void seriesOfAValue(benchmark::State& state)
{
  const Transactions lines(drives().bus, drives().frames);
  for (auto unused : state)
    benchmark::DoNotOptimize(ValueSeries::make(drives().bus, lines, kSpeed, {}, std::stop_token())->size());
  report(state, static_cast<double>(drives().frames.size()), 0.0);
  state.SetLabel("once, in the background");
}

/// All of it on 1200 pixels, and shifted by one each time.
void laneOfAPlot(benchmark::State& state)
{
  const Transactions lines(drives().bus, drives().frames);
  const ValueSeries series = *ValueSeries::make(drives().bus, lines, kSpeed, {}, std::stop_token());
  const Picoseconds end = drives().frames.frame(drives().frames.size() - 1).time.end;
  TimeAxis axis({Picoseconds{0}, end}, 1200);
  const TimeRange whole{Picoseconds{0}, end + end / 100};
  for (auto unused : state) {
    axis = axis.panned(1.0, whole);
    benchmark::DoNotOptimize(plotShape(series, axis, {}, end).size());
  }
  report(state, static_cast<double>(series.size()), 0.0);
  state.SetLabel("a picture has 16 ms for all of its lanes");
}

void requestsAndAnswers(benchmark::State& state)
{
  const Transactions lines(drives().bus, drives().frames);
  for (auto unused : state) {
    std::vector<Transactions> streams{lines};
    Transactions::putTogether(drives().bus, streams);
    benchmark::DoNotOptimize(streams.front().meaning());
  }
  report(state, static_cast<double>(drives().frames.size()), 0.0);
  state.SetLabel("once, in the background");
}

}  // namespace

void registerDevices()
{
  constexpr auto kUnit = benchmark::kMillisecond;
  benchmark::RegisterBenchmark("decode the demo's I2C, a frame", [](benchmark::State& s) {
    decodeOnce(s, sensors());
  })->Unit(kUnit);
  benchmark::RegisterBenchmark("1 M I2C frames by their sheets", [](benchmark::State& s) {
    readBySheets(s, sensors());
  })->Unit(kUnit);
  benchmark::RegisterBenchmark("decode the demo's SPI, a frame", [](benchmark::State& s) {
    decodeOnce(s, adc());
  })->Unit(kUnit);
  benchmark::RegisterBenchmark("1 M SPI frames by their sheets", [](benchmark::State& s) {
    readBySheets(s, adc());
  })->Unit(kUnit);
  benchmark::RegisterBenchmark("decode the demo's CAN FD, a frame", [](benchmark::State& s) {
    decodeOnce(s, drives());
  })->Unit(kUnit);
  benchmark::RegisterBenchmark("10 M CAN FD frames by their sheets", [](benchmark::State& s) {
    readBySheets(s, drives());
  })->Unit(kUnit);
  benchmark::RegisterBenchmark("filter 10 M CAN FD frames by a value", [](benchmark::State& s) {
    filterByValue(s, "speed>80");
  })->Unit(kUnit);
  benchmark::RegisterBenchmark("the same by a word", [](benchmark::State& s) {
    filterByValue(s, "mode:operational");
  })->Unit(kUnit);
  benchmark::RegisterBenchmark("the first hits of a value", firstHits)->Unit(kUnit);
  benchmark::RegisterBenchmark("accesses of all registers, 10 M frames", historyOfAll)->Unit(kUnit);
  benchmark::RegisterBenchmark("state of a device", stateAtAnyTime)->Unit(kUnit);
  benchmark::RegisterBenchmark("a value over time, 10 M frames", seriesOfAValue)->Unit(kUnit);
  benchmark::RegisterBenchmark("a lane of it", laneOfAPlot)->Unit(kUnit);
  benchmark::RegisterBenchmark("requests and answers, 10 M frames", requestsAndAnswers)->Unit(kUnit);
}

}  // namespace bexto::bench
