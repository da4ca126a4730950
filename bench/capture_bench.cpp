#include "capture_bench.h"

#include "core/decode/bus_spec.h"
#include "core/query/event_watch.h"
#include "core/signal/sample_recording.h"
#include "rig/instrument/acquisition.h"
#include "table.h"

namespace bexto::bench {

namespace {

constexpr auto kUnit = benchmark::kMillisecond;
constexpr double kRate = 50e6;

/// A second of buses that hardly rest, as the instrument sends it: in blocks of 20 ms.
struct Blocks {
  struct Block {
    std::int64_t first;
    std::int64_t count;
    std::string bytes;  ///< with their head
  };
  std::vector<Block> blocks;
  std::size_t bytes = 0;
};

Blocks blocksOf(rig::SampleFormat format)
{
  rig::Plant plant(1187, rig::Traffic::Busy);
  rig::AcquisitionSetting setting;
  setting.rate = kRate;
  setting.stream = true;
  setting.format = format;
  rig::Acquisition acquisition(plant, setting);
  Blocks all;
  for (int i = 1; i <= 50; ++i) {
    acquisition.run(static_cast<std::uint64_t>(i) * static_cast<std::uint64_t>(kRate / 50), ~std::size_t{0});
    for (std::string bytes = acquisition.takeBlock(); !bytes.empty(); bytes = acquisition.takeBlock()) {
      std::int64_t first = 0;
      std::int64_t count = 0;
      std::memcpy(&first, bytes.data(), sizeof first);
      std::memcpy(&count, bytes.data() + 8, sizeof count);
      all.bytes += bytes.size();
      all.blocks.push_back({first, count, std::move(bytes)});
    }
  }
  return all;
}

SampleRecording recording()
{
  std::vector<SampleRecording::Line> lines;
  for (std::size_t i = 0; i < rig::kProbes; ++i)
    lines.push_back({i, std::string(rig::kProbeNames[i])});
  return {"rig", lines, rig::kProbes, kRate};
}

void takeAll(SampleRecording& to, const Blocks& from, bool runs, EventWatch* watch)
{
  int number = 0;
  for (const Blocks::Block& block : from.blocks) {
    const auto* const bytes = reinterpret_cast<const std::uint8_t*>(block.bytes.data());
    if (!to.take(
            {block.first, block.count, runs, std::span(bytes, block.bytes.size()).subspan(rig::Acquisition::kHead)}))
      std::abort();
    if (watch != nullptr && ++number % 2 == 0)
      benchmark::DoNotOptimize(watch->look(*to.capture()));
  }
}

void record(benchmark::State& state, rig::SampleFormat format, bool watched)
{
  const Blocks blocks = blocksOf(format);
  double transitions = 0;
  for (auto unused : state) {
    SampleRecording to = recording();
    std::vector<Bus> buses;
    for (const std::string& spec : rig::lockCycleBuses())
      buses.push_back(*parseBusSpec(spec));
    EventWatch watch(buses, *Query::parse("error:crc", {}));
    takeAll(to, blocks, format == rig::SampleFormat::RunLength, watched ? &watch : nullptr);
    transitions = 0;
    for (const Channel& channel : to.capture()->channels)
      transitions += static_cast<double>(channel.track.size());
  }
  report(state, transitions, static_cast<double>(blocks.bytes));
  if (watched)
    state.SetLabel("a second of traffic: below 1000 ms");
}

}  // namespace

void registerCapture()
{
  using Format = rig::SampleFormat;
  benchmark::RegisterBenchmark("1 s at 50 MS/s, samples, recorded", [](benchmark::State& s) {
    record(s, Format::Packed, false);
  })->Unit(kUnit);
  benchmark::RegisterBenchmark("1 s at 50 MS/s, runs, recorded", [](benchmark::State& s) {
    record(s, Format::RunLength, false);
  })->Unit(kUnit);
  benchmark::RegisterBenchmark("1 s at 50 MS/s, runs, and 7 buses watched", [](benchmark::State& s) {
    record(s, Format::RunLength, true);
  })->Unit(kUnit);
}

}  // namespace bexto::bench
