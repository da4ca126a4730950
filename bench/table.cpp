#include "table.h"

#include <fmt/core.h>

#include <chrono>
#include <cstdint>
#include <numeric>
#include <vector>

#include "core/base/memory.h"

namespace bexto::bench {

namespace {

double measureBandwidth()
{
  std::vector<std::uint64_t> block(std::size_t{1} << 25U, 1);  // 256 MB: no cache holds it
  double best = 0.0;
  for (int round = 0; round < 5; ++round) {
    const auto begin = std::chrono::steady_clock::now();
    benchmark::DoNotOptimize(std::accumulate(block.begin(), block.end(), std::uint64_t{0}));
    const std::chrono::duration<double> took = std::chrono::steady_clock::now() - begin;
    best = std::max(best, static_cast<double>(block.size() * sizeof(std::uint64_t)) / took.count());
  }
  return best;
}

class Table final : public benchmark::BenchmarkReporter {
 public:
  bool ReportContext(const Context& /*context*/) override
  {
    fmt::print("{:<52} {:>12} {:>12} {:>7}  {}\n", "", "time an item", "throughput", "ratio", "target");
    return true;
  }

  void ReportRuns(const std::vector<Run>& runs) override
  {
    for (const Run& run : runs) {
      const double seconds = run.real_accumulated_time / static_cast<double>(run.iterations);
      const auto counter = [&](const char* name) {
        const auto found = run.counters.find(name);
        return found == run.counters.end() ? 0.0 : found->second.value;
      };
      const double items = counter("items");
      const double bytes = counter("bytes");
      const double each = items > 0.0 ? seconds / items : seconds;
      // With its argument, and without how it was run.
      std::string name = run.run_name.function_name;
      if (!run.run_name.args.empty())
        name += "/" + run.run_name.args;
      std::string line = fmt::format("{:<52} {:>12}", name, time(each));
      line += bytes > 0.0
                  ? fmt::format(" {:>9.0f} MB/s {:>6.3f}", bytes / seconds / 1e6, bytes / seconds / memoryBandwidth())
                  : fmt::format(" {:>14} {:>6}", "", "");
      fmt::print("{}  {}\n", line, run.report_label);
    }
  }

 private:
  static std::string time(double seconds)
  {
    if (seconds < 1e-6)
      return fmt::format("{:.2f} ns", seconds * 1e9);
    return seconds < 1e-3 ? fmt::format("{:.2f} us", seconds * 1e6) : fmt::format("{:.2f} ms", seconds * 1e3);
  }
};

}  // namespace

double memoryBandwidth()
{
  static const double kBandwidth = measureBandwidth();
  return kBandwidth;
}

void report(benchmark::State& state, double items, double bytes)
{
  state.counters["items"] = items;
  state.counters["bytes"] = bytes;
}

int runTable(int argc, char** argv, const std::string& title)
{
  keepFreedMemory();
  benchmark::Initialize(&argc, argv);
  fmt::print("\n{}\nplain pass over memory: {:.1f} GB/s, ratio 1\n", title, memoryBandwidth() / 1e9);
  Table table;
  benchmark::RunSpecifiedBenchmarks(&table);
  return 0;
}

}  // namespace bexto::bench
