// The captures in tests/data decode as their truth says, key by key.
#include <filesystem>
#include <fstream>
#include <nlohmann/json.hpp>

#include "core/decode/bus_spec.h"
#include "core/export/frame_writer.h"
#include "core/format/vcd_reader.h"
#include "support/samples.h"
#include "support/waves.h"

using namespace bexto;
using nlohmann::json;

namespace {

std::vector<std::string> linesOf(const std::string& path)
{
  std::ifstream file(path);
  std::vector<std::string> lines;
  for (std::string line; std::getline(file, line);) {
    if (!line.empty())
      lines.push_back(line);
  }
  return lines;
}

/// Times that are no edges are worked out, and senders are a little off.
double tolerance(const Bus& bus, const std::string& name)
{
  const double rate = bus.protocol().setRate(bus);
  return rate == 0.0 ? 0.0 : 1e12 / rate * (name == "uart_slow_sender" ? 0.10 : 0.02);
}

}  // namespace

class Samples : public testing::TestWithParam<std::string> {};

TEST_P(Samples, DecodeAsTheirTruthSays)
{
  const std::string base = std::string(BEXTO_TEST_DATA) + "/" + GetParam();
  NoProgress none;
  const auto capture = readVcd(base + ".vcd", std::stop_token(), none);
  ASSERT_TRUE(capture) << capture.error().text();
  std::size_t compared = 0;
  for (const std::string& spec : linesOf(base + ".cmd")) {
    const auto bus = parseBusSpec(spec);
    ASSERT_TRUE(bus) << bus.error().text();
    const auto resolved = resolveBus(*bus, *capture);
    ASSERT_TRUE(resolved) << resolved.error().text();
    std::vector<json> found;
    for (const BusStream& stream : resolved->streams) {
      const FrameIndex frames = test::decodeAll(resolved->bus, inputOf(*capture, stream));
      for (const Frame& f : test::framesOf(frames))
        found.push_back(json::parse(test::frameRecord(f, {&resolved->bus, stream.line}, FrameFormat::Jsonl)));
    }
    std::stable_sort(found.begin(), found.end(),
                     [](const json& a, const json& b) { return a["start_ps"] < b["start_ps"]; });
    std::vector<json> truth;
    for (const std::string& line : linesOf(base + ".truth.jsonl")) {
      if (json frame = json::parse(line); frame["bus"] == bus->name)
        truth.push_back(std::move(frame));
    }
    ASSERT_EQ(found.size(), truth.size()) << spec;
    for (std::size_t i = 0; i < truth.size(); ++i) {
      for (const auto& [key, value] : truth[i].items()) {
        if (key == "start_ps" || key == "end_ps")
          EXPECT_NEAR(found[i][key].get<double>(), value.get<double>(), tolerance(*bus, GetParam())) << truth[i];
        else
          EXPECT_EQ(found[i][key], value) << key << " of " << truth[i];
      }
    }
    compared += truth.size();
  }
  EXPECT_GT(compared, 0U);
}

INSTANTIATE_TEST_SUITE_P(Data, Samples, testing::ValuesIn(test::sampleNames()),
                         [](const auto& info) { return info.param; });
