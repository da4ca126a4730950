// What measuring everything costs beside decoding: both a transition, of the same traffic in the same run.
#include "check_bench.h"

#include "core/check/check.h"
#include "core/decode/protocol.h"
#include "table.h"
#include "traffic.h"

namespace bexto::bench {

namespace {

constexpr std::uint64_t kTransitions = 10'000'000;

struct Checked {
  std::string name;
  Bus bus;
  StreamInput wires;
  CheckInput input;
};

Checked checkedTraffic(std::string name, Bus bus, StreamInput wires)
{
  Checked checked{std::move(name), std::move(bus), std::move(wires), {}};
  const FrameIndex frames = decodeStream(checked.bus, checked.wires, std::stop_token())->frames;
  checked.input.bus = checked.bus;
  checked.input.end = checked.wires.until;
  checked.input.streams.push_back({{}, checked.wires, frames});
  checked.input.talk.push_back({checked.bus, {}, Transactions(checked.bus, frames), nullptr});
  return checked;
}

const std::vector<Checked>& all()
{
  static const std::vector<Checked> kAll = [] {
    std::vector<Checked> list;
    list.push_back(checkedTraffic("I2C", i2cBus(), i2cTraffic(kTransitions)));
    list.push_back(checkedTraffic("UART", uartBus(), uartTraffic(kTransitions)));
    list.push_back(checkedTraffic("SPI", spiBus(), spiTraffic(kTransitions)));
    list.push_back(checkedTraffic("CAN", canBus(), canTraffic(kTransitions, false)));
    list.push_back(checkedTraffic("CAN FD", canBus(), canTraffic(kTransitions, true)));
    return list;
  }();
  return kAll;
}

void decodeIt(benchmark::State& state, std::size_t which)
{
  const Checked& checked = all()[which];
  for (auto unused : state)
    benchmark::DoNotOptimize(decodeStream(checked.bus, checked.wires, std::stop_token())->frames.size());
  report(state, static_cast<double>(transitionsOf(checked.wires)), 0.0);
  state.SetLabel("what the next row is held against");
}

void measureIt(benchmark::State& state, std::size_t which)
{
  const Checked& checked = all()[which];
  std::size_t rules = 0;
  for (auto unused : state)
    rules = checkBus(checked.input, std::stop_token())->rules.size();
  report(state, static_cast<double>(transitionsOf(checked.wires)), 0.0);
  state.SetLabel("<= twice decoding · " + std::to_string(rules) + " rules");
}

}  // namespace

void registerChecks()
{
  constexpr auto kUnit = benchmark::kMillisecond;
  const std::vector<std::string> names{"I2C", "UART", "SPI", "CAN", "CAN FD"};
  for (std::size_t i = 0; i < names.size(); ++i) {
    benchmark::RegisterBenchmark(("decode " + names[i] + ", a transition").c_str(), [i](benchmark::State& s) {
      decodeIt(s, i);
    })->Unit(kUnit);
    benchmark::RegisterBenchmark(("measure and judge " + names[i] + ", a transition").c_str(),
                                 [i](benchmark::State& s) { measureIt(s, i); })
        ->Unit(kUnit);
  }
}

}  // namespace bexto::bench
