#include "store_bench.h"

#include <cstdlib>
#include <filesystem>

#include "core/signal/chunk_cache.h"
#include "core/signal/edge_stream.h"
#include "core/store/session_store.h"
#include "core/view/wire_shape.h"
#include "table.h"
#include "traffic.h"

namespace bexto::bench {

namespace {

std::string fileOf(const char* name)
{
  return (std::filesystem::temp_directory_path() / name).string();
}

/// One wire, or both of an I2C bus.
SessionFile sessionOf(std::vector<EdgeTrack> tracks)
{
  Capture capture;
  for (std::size_t i = 0; i < tracks.size(); ++i) {
    if (tracks[i].size() > 0)
      capture.end = std::max(capture.end, tracks[i].at(tracks[i].size() - 1));
    capture.channels.push_back({"w" + std::to_string(i), {}, std::move(tracks[i])});
  }
  nameChannels(capture);
  SessionFile file;
  file.segments.push_back({"bench", "", "", true, std::make_shared<const Capture>(std::move(capture))});
  return file;
}

SessionFile i2cSession(std::uint64_t transitions = 16000000)
{
  const StreamInput input = i2cTraffic(transitions);
  std::vector<EdgeTrack> tracks;
  for (const ConditionedTrack& track : input.tracks)
    tracks.push_back(track.track);
  return sessionOf(std::move(tracks));
}

std::uint64_t transitionsOf(const SessionFile& file)
{
  std::uint64_t n = 0;
  for (const Channel& channel : file.segments[0].capture->channels)
    n += channel.track.size();
  return n;
}

void write(benchmark::State& state)
{
  static const SessionFile kFile = i2cSession();
  NoProgress none;
  const std::string path = fileOf("bexto-bench-write.bexto");
  for (auto unused : state) {
    if (!writeSession(path, kFile, {}, none))
      std::abort();
  }
  const auto edges = static_cast<double>(transitionsOf(kFile));
  state.SetLabel("<= 10 ns; on disk, bytes a transition: " +
                 std::to_string(static_cast<double>(std::filesystem::file_size(path)) / edges).substr(0, 4) + " (1.3)");
  report(state, edges, 0.0);
  std::filesystem::remove(path);
}

/// BEXTO_BENCH_TRANSITIONS makes sessions larger than memory.
std::uint64_t wantedTransitions(std::uint64_t otherwise)
{
  const char* const wanted = std::getenv("BEXTO_BENCH_TRANSITIONS");
  return wanted == nullptr ? otherwise : std::strtoull(wanted, nullptr, 10);
}

/// So many transitions on one wire, made once.
const std::string& longSession()
{
  static const std::string kPath = [] {
    const std::string path = fileOf("bexto-bench-long.bexto");
    NoProgress none;
    if (!writeSession(path, sessionOf({burstyWire(wantedTransitions(50000000), 1)}), {}, none))
      std::abort();
    return path;
  }();
  return kPath;
}

void open(benchmark::State& state)
{
  const std::string& path = longSession();
  for (auto unused : state)
    benchmark::DoNotOptimize(SessionStore::open(path)->file.segments.size());
  state.SetLabel("<= 500 ms with 1 000 M");
  report(state, 1.0, 0.0);
}

void readOnDemand(benchmark::State& state)
{
  ChunkCache::shared().setLimit(0);
  const auto opened = SessionStore::open(longSession());
  const EdgeTrack& track = opened->file.segments[0].capture->channels[0].track;
  for (auto unused : state) {
    for (EdgeStream edges(track, Picoseconds{0}, kNever - Picoseconds{1}, true); edges.next() != kNever.count();)
      edges.usedUpTo(edges.inHandEnd());
  }
  ChunkCache::shared().setLimit(ChunkCache::kUsualLimit);
  state.SetLabel("<= 5 ns");
  report(state, static_cast<double>(track.size()), 0.0);
}

/// A bus of a session of which only so much is in memory at once; what it takes besides is its index.
void decodeFromSession(benchmark::State& state)
{
  constexpr std::size_t kCache = std::size_t{8} << 20;
  static const std::string kPath = [] {
    const std::string path = fileOf("bexto-bench-bus.bexto");
    NoProgress none;
    if (!writeSession(path, i2cSession(wantedTransitions(16000000)), {}, none))
      std::abort();
    return path;
  }();
  ChunkCache::shared().setLimit(kCache);
  const auto opened = SessionStore::open(kPath);
  const Capture& capture = *opened->file.segments[0].capture;
  StreamInput input{{capture.channels[0].signal(), capture.channels[1].signal()}, capture.end, true};
  std::size_t index = 0;
  std::size_t cached = 0;
  for (auto unused : state) {
    const auto decoded = decodeStream(i2cBus(), input, {}, [&](const FrameIndexBuilder&, const Decoder&, double) {
      cached = std::max(cached, ChunkCache::shared().size());
    });
    index = decoded->frames.bytes();
  }
  ChunkCache::shared().setLimit(ChunkCache::kUsualLimit);
  const std::uint64_t transitions = capture.channels[0].track.size() + capture.channels[1].track.size();
  state.SetLabel("MB of " + std::to_string(transitions / 1000000) + " M: cache " + std::to_string(cached >> 20U) +
                 " (8), index " + std::to_string(index >> 20U));
  report(state, static_cast<double>(transitions), 0.0);
}

/// The first picture of all of it and of a thousandth, with nothing read before.
void firstPicture(benchmark::State& state)
{
  for (auto unused : state) {
    state.PauseTiming();
    const auto opened = SessionStore::open(longSession());
    const Capture& capture = *opened->file.segments[0].capture;
    state.ResumeTiming();
    benchmark::DoNotOptimize(
        wireShape(capture.channels[0].track, TimeAxis({Picoseconds{0}, capture.end}, 1280), capture.end).size());
  }
  report(state, 1.0, 0.0);
}

/// Any zoom, once the summaries are there.
void anyZoom(benchmark::State& state)
{
  const auto opened = SessionStore::open(longSession());
  const Capture& capture = *opened->file.segments[0].capture;
  const EdgeTrack& track = capture.channels[0].track;
  const auto draw = [&](std::int64_t parts, std::int64_t part) {
    const Picoseconds length = capture.end / parts;
    const TimeAxis axis({length * part, length * (part + 1)}, 1280);
    benchmark::DoNotOptimize(wireShape(track, axis, capture.end).size());
  };
  draw(1, 0);
  std::int64_t zoom = 1;
  for (auto unused : state) {
    draw(zoom, zoom / 3);
    zoom = zoom > 1000000 ? 1 : zoom * 3;
  }
  state.SetLabel("<= 4 ms for 16 lanes");
  report(state, 1.0, 0.0);
}

}  // namespace

void registerStore()
{
  constexpr auto kUnit = benchmark::kMillisecond;
  benchmark::RegisterBenchmark("session: write, a transition", write)->Unit(kUnit);
  benchmark::RegisterBenchmark("session: open", open)->Unit(kUnit);
  benchmark::RegisterBenchmark("session: read on demand, a transition", readOnDemand)->Unit(kUnit);
  benchmark::RegisterBenchmark("session: decode a bus of it, a transition", decodeFromSession)->Unit(kUnit);
  benchmark::RegisterBenchmark("session: first picture of all", firstPicture)->Unit(kUnit)->Iterations(5);
  benchmark::RegisterBenchmark("session: picture of a lane at any zoom", anyZoom)->Unit(kUnit);
}

}  // namespace bexto::bench
