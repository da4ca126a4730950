#include "format_bench.h"

#include <fmt/core.h>

#include <algorithm>
#include <array>
#include <cstdlib>
#include <filesystem>
#include <random>

#include "core/decode/protocol.h"
#include "core/format/csv_reader.h"
#include "core/format/csv_writer.h"
#include "core/format/pcapng_reader.h"
#include "core/format/record_writer.h"
#include "core/signal/packed_samples.h"
#include "table.h"
#include "traffic.h"

namespace bexto::bench {

namespace {

constexpr auto kUnit = benchmark::kMillisecond;

/// 128 MB of samples of `channels` channels; in one of `rest` something changes.
std::vector<std::uint8_t> samplesOf(std::size_t channels, unsigned rest)
{
  constexpr std::size_t kBytes = std::size_t{1} << 27U;
  const std::size_t width = bytesPerSample(channels);
  std::vector<std::uint8_t> samples(kBytes / width * width);
  std::mt19937 random(5);
  std::vector<std::uint8_t> now(width);
  for (std::size_t at = 0; at < samples.size(); at += width) {
    if (random() % rest == 0) {
      const std::size_t channel = random() % channels;
      now[channel / 8] = static_cast<std::uint8_t>(now[channel / 8] ^ 1U << channel % 8);
    }
    std::copy(now.begin(), now.end(), samples.begin() + static_cast<std::ptrdiff_t>(at));
  }
  return samples;
}

std::uint64_t unpack(const std::vector<std::uint8_t>& samples, std::size_t channels)
{
  PackedSamples packed(channels, 1e8);
  packed.take(samples);
  std::uint64_t transitions = 0;
  for (std::size_t channel = 0; channel < channels; ++channel)
    transitions += packed.track(channel).size();
  return transitions;
}

template <std::size_t kChannels>
void quietSamples(benchmark::State& state)
{
  static const auto kSamples = samplesOf(kChannels, 1000);
  for (auto unused : state)
    benchmark::DoNotOptimize(unpack(kSamples, kChannels));
  report(state, static_cast<double>(kSamples.size() / bytesPerSample(kChannels)), static_cast<double>(kSamples.size()));
  state.SetLabel(">= 0.6 of memory");
}

void busySamples(benchmark::State& state)
{
  static const auto kSamples = samplesOf(8, 4);
  std::uint64_t transitions = 0;
  for (auto unused : state)
    transitions = unpack(kSamples, 8);
  report(state, static_cast<double>(transitions), 0);
  state.SetLabel("<= 5 ns, without storing");
}

Capture i2cCapture()
{
  constexpr std::uint64_t kTransitions = 4000000;
  const StreamInput input = i2cTraffic(kTransitions);
  Capture capture;
  for (const ConditionedTrack& track : input.tracks) {
    capture.channels.push_back({capture.channels.empty() ? "scl" : "sda", {}, track.track});
    capture.end = std::max(capture.end, track.track.at(track.track.size() - 1));
  }
  nameChannels(capture);
  return capture;
}

/// A row for each moment at which something changes; items are bytes of text.
void rowsOfTransitions(benchmark::State& state)
{
  static const std::string kText = csvText(i2cCapture());
  for (auto unused : state)
    benchmark::DoNotOptimize(parseCsv(kText, "bench", {})->channels.size());
  report(state, static_cast<double>(kText.size()), static_cast<double>(kText.size()));
  state.SetLabel(">= 150 MB/s");
}

/// A row each sample of eight channels.
void rowsOfSamples(benchmark::State& state)
{
  static const std::string kText = [] {
    std::string text = "time [s],a,b,c,d,e,f,g,h\n";
    std::string levels = ",0,0,0,0,0,0,0,0\n";
    std::mt19937 random(3);
    for (int i = 0; i < 4000000; ++i) {
      if (random() % 20 == 0)
        levels[1 + 2 * (random() % 8)] ^= 1;
      text += fmt::format("{:.8f}{}", 1e-8 * i, levels);
    }
    return text;
  }();
  for (auto unused : state)
    benchmark::DoNotOptimize(parseCsv(kText, "bench", {})->channels.size());
  report(state, static_cast<double>(kText.size()), static_cast<double>(kText.size()));
  state.SetLabel(">= 150 MB/s");
}

/// A million records of eight data bytes in a file of blocks.
const std::string& packetFile()
{
  static const std::string kPath = [] {
    RecordLogBuilder records;
    std::array<std::uint8_t, 16> record{0, 0, 1, 0x23, 8};
    for (std::int64_t i = 0; i < 1000000; ++i) {
      record[8] = static_cast<std::uint8_t>(i);
      records.add(Picoseconds{i * 230000000}, record);
    }
    Capture capture;
    Channel channel;
    channel.path = "bus";
    channel.records = records.take(*canBus().protocol().facts().linkType);
    capture.channels.push_back(std::move(channel));
    capture.end = std::chrono::hours{1};
    nameChannels(capture);
    const std::string path = (std::filesystem::temp_directory_path() / "bexto-bench.pcapng").string();
    if (!writePcapng(capture, path, {}))
      std::abort();
    return path;
  }();
  return kPath;
}

void packetsToFrames(benchmark::State& state)
{
  NoProgress none;
  std::uint64_t frames = 0;
  for (auto unused : state) {
    const auto capture = readPcapng(packetFile(), {}, {}, none);
    const auto bus = resolveBus(busesOfRecords(*capture, {}).front(), *capture);
    frames = decodeStream(bus->bus, inputOf(*capture, bus->streams.front()), {})->frames.size();
  }
  report(state, static_cast<double>(frames), 0);
}

}  // namespace

void registerFormats()
{
  benchmark::RegisterBenchmark("packed samples, 8 channels, 1 of 1000 changes", quietSamples<8>)->Unit(kUnit);
  benchmark::RegisterBenchmark("packed samples, 16 channels, 1 of 1000 changes", quietSamples<16>)->Unit(kUnit);
  benchmark::RegisterBenchmark("packed samples, 21 channels, 1 of 1000 changes", quietSamples<21>)->Unit(kUnit);
  benchmark::RegisterBenchmark("packed samples, 1 of 4 changes, a transition", busySamples)->Unit(kUnit);
  benchmark::RegisterBenchmark("rows of text, transitions, a byte", rowsOfTransitions)->Unit(kUnit);
  benchmark::RegisterBenchmark("rows of text, samples, a byte", rowsOfSamples)->Unit(kUnit);
  benchmark::RegisterBenchmark("packets, read and decoded, a frame", packetsToFrames)->Unit(kUnit);
}

}  // namespace bexto::bench
