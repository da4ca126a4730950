#include "format_bench.h"

#include <fmt/core.h>

#include <algorithm>
#include <random>

#include "core/format/csv_reader.h"
#include "core/format/csv_writer.h"
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

}  // namespace

void registerFormats()
{
  benchmark::RegisterBenchmark("packed samples, 8 channels, 1 of 1000 changes", quietSamples<8>)->Unit(kUnit);
  benchmark::RegisterBenchmark("packed samples, 16 channels, 1 of 1000 changes", quietSamples<16>)->Unit(kUnit);
  benchmark::RegisterBenchmark("packed samples, 21 channels, 1 of 1000 changes", quietSamples<21>)->Unit(kUnit);
  benchmark::RegisterBenchmark("packed samples, 1 of 4 changes, a transition", busySamples)->Unit(kUnit);
  benchmark::RegisterBenchmark("rows of text, transitions, a byte", rowsOfTransitions)->Unit(kUnit);
  benchmark::RegisterBenchmark("rows of text, samples, a byte", rowsOfSamples)->Unit(kUnit);
}

}  // namespace bexto::bench
