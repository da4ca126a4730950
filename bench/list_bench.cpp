// What long traffic costs to read: ten million frames jumped in, opened, filtered, searched.
#include "list_bench.h"

#include "core/query/scan.h"
#include "core/view/byte_stream.h"
#include "core/view/ledger_cells.h"
#include "table.h"
#include "traffic.h"

namespace bexto::bench {

namespace {

constexpr std::uint64_t kFrames = 10000000;

/// Forty thousand frames that were really decoded, again and again.
FrameIndex repeated(const Bus& bus, const StreamInput& input)
{
  const auto decoded = decodeStream(bus, input, std::stop_token());
  FrameIndexBuilder builder;
  const FrameIndex& once = decoded->frames;
  const Picoseconds length = once.frame(once.size() - 1).time.end + Picoseconds{100000000};
  for (Picoseconds shift{0}; builder.size() < kFrames; shift += length) {
    for (const auto& chunk : once.chunks()) {
      for (std::size_t i = 0; i < chunk->size() && builder.size() < kFrames; ++i) {
        Frame frame = once.frame(chunk->first + i);
        frame.time = {frame.time.begin + shift, frame.time.end + shift};
        builder.add(frame);
      }
    }
  }
  return builder.snapshot();
}

const ScanSource& canFrames()
{
  static const ScanSource kSource = [] {
    const Bus bus = canBus();
    return ScanSource{bus, "", Transactions(bus, repeated(bus, canTraffic(2000000, false)))};
  }();
  return kSource;
}

const ScanSource& i2cFrames()
{
  static const ScanSource kSource = [] {
    const Bus bus = i2cBus();
    return ScanSource{bus, "", Transactions(bus, repeated(bus, i2cTraffic(2000000)))};
  }();
  return kSource;
}

const ScanSource& uartFrames()
{
  static const ScanSource kSource = [] {
    const Bus bus = uartBus();
    return ScanSource{bus, "rx", Transactions(bus, repeated(bus, uartTraffic(2000000)))};
  }();
  return kSource;
}

/// The identifier and first byte of a frame in the middle: what an engineer would look for.
std::string idAndByte()
{
  const Transactions& t = canFrames().transactions;
  const LedgerSource source{canFrames().bus, "", t};
  const LedgerCellContext context{&source, t.size() / 2, 0, {}, Picoseconds{0}};
  return termOf(LedgerColumn::Address, context) + " byte0>=80";
}

void filterAll(benchmark::State& state, const ScanSource& source, const std::string& text, const char* target)
{
  const Query query = *Query::parse(text, {});
  std::uint64_t found = 0;
  for (auto unused : state) {
    const auto sets = scanLines(query, {source}, std::stop_token());
    found = sets->front().size();
    benchmark::DoNotOptimize(found);
  }
  report(state, static_cast<double>(source.transactions.frames().size()), 0.0);
  state.SetLabel(std::string(target) + " · " + std::to_string(found) + " found");
}

void firstHits(benchmark::State& state)
{
  const Query query = *Query::parse(idAndByte(), {});
  for (auto unused : state) {
    std::stop_source stop;
    const auto sets = scanLines(query, {canFrames()}, stop.get_token(), [&](const std::vector<LineSet>& sofar, double) {
      if (sofar.front().size() >= 40)
        stop.request_stop();
    });
    benchmark::DoNotOptimize(sets.has_value());
  }
  report(state, 1.0, 0.0);
  state.SetLabel("40 hits, one display frame: <= 16 ms");
}

LedgerLines linesOf(LedgerForm form, bool filtered)
{
  LedgerSource source{canFrames().bus, "", canFrames().transactions};
  if (filtered) {
    const Query query = *Query::parse("byte0>=80", {});
    source.shown = std::make_shared<const LineSet>(scanLines(query, {canFrames()}, std::stop_token())->front());
  }
  LedgerLines lines;
  lines.setRows(MergedRows({source, {i2cFrames().bus, "", i2cFrames().transactions}}));
  lines.setForm(form, 16);
  return lines;
}

void jump(benchmark::State& state, bool filtered)
{
  const LedgerLines lines = linesOf(LedgerForm::Sentences, filtered);
  std::uint64_t seed = 1;
  for (auto unused : state) {
    seed = seed * 6364136223846793005U + 1442695040888963407U;
    benchmark::DoNotOptimize(lines.rows().rows(seed % lines.rows().size(), 40));
  }
  report(state, 1.0, 0.0);
  state.SetLabel("40 rows anywhere in 20 M frames, part of a paint <= 8 ms");
}

void openAll(benchmark::State& state)
{
  LedgerLines lines = linesOf(LedgerForm::Sentences, false);
  std::uint64_t seed = 1;
  for (auto unused : state) {
    lines.setForm(lines.form() == LedgerForm::Opened ? LedgerForm::Sentences : LedgerForm::Opened, 16);
    seed = seed * 6364136223846793005U + 1442695040888963407U;
    benchmark::DoNotOptimize(lines.moved({seed % lines.rows().size(), 0}, 40));
  }
  report(state, 1.0, 0.0);
  state.SetLabel("open or close all, and find a page's lines: at once");
}

void bytesOfAll(benchmark::State& state)
{
  const FrameIndex& frames = canFrames().transactions.frames();
  for (auto unused : state)
    benchmark::DoNotOptimize(ByteStream::make(canFrames().bus, frames, PayloadWay{0}, std::stop_token())->size());
  report(state, static_cast<double>(frames.size()), 0.0);
  state.SetLabel("addresses of the Bytes view, in the background");
}

}  // namespace

void registerLists()
{
  constexpr auto kUnit = benchmark::kMillisecond;
  benchmark::RegisterBenchmark("Ledger: jump", [](benchmark::State& s) { jump(s, false); })->Unit(kUnit);
  benchmark::RegisterBenchmark("Ledger: jump, filtered", [](benchmark::State& s) { jump(s, true); })->Unit(kUnit);
  benchmark::RegisterBenchmark("Ledger: open all", openAll)->Unit(kUnit);
  benchmark::RegisterBenchmark("filter 10 M CAN frames, id and byte", [](benchmark::State& s) {
    filterAll(s, canFrames(), idAndByte(), "whole scan <= 40 ms");
  })->Unit(kUnit);
  benchmark::RegisterBenchmark("the same, first hits", firstHits)->Unit(kUnit);
  benchmark::RegisterBenchmark("filter 10 M CAN frames, one byte", [](benchmark::State& s) {
    filterAll(s, canFrames(), "byte0>=80", "every payload is looked at");
  })->Unit(kUnit);
  benchmark::RegisterBenchmark("filter 10 M I2C frames, address and bytes", [](benchmark::State& s) {
    filterAll(s, i2cFrames(), "address:2A data:\"A0 ??\"", "");
  })->Unit(kUnit);
  benchmark::RegisterBenchmark("filter 10 M characters, text", [](benchmark::State& s) {
    filterAll(s, uartFrames(), "text:stall", "");
  })->Unit(kUnit);
  benchmark::RegisterBenchmark("addresses of 10 M frames' bytes", bytesOfAll)->Unit(kUnit);
}

}  // namespace bexto::bench
