// What measuring everything costs beside decoding: both a transition, of the same traffic in the same run. Decoding a
// stream is one thread's work, and measuring that of all processors.
#include "check_bench.h"

#include <array>
#include <memory>
#include <string>

#include "core/check/check.h"
#include "core/decode/protocol.h"
#include "table.h"
#include "traffic.h"

namespace bexto::bench {

namespace {

constexpr std::uint64_t kTransitions = 10'000'000;

struct Checked {
  Bus bus;
  StreamInput wires;
  CheckInput input;
};

Checked checkedTraffic(Bus bus, StreamInput wires)
{
  Checked checked{std::move(bus), std::move(wires), {}};
  const FrameIndex frames = decodeStream(checked.bus, checked.wires, std::stop_token())->frames;
  checked.input.bus = checked.bus;
  checked.input.end = checked.wires.until;
  checked.input.streams.push_back({{}, checked.wires, frames});
  checked.input.talk.push_back({checked.bus, {}, Transactions(checked.bus, frames), nullptr});
  return checked;
}

constexpr std::array kNames{"I2C", "UART", "SPI", "CAN", "CAN FD"};

Checked make(std::size_t which)
{
  switch (which) {
    case 0:
      return checkedTraffic(i2cBus(), i2cTraffic(kTransitions));
    case 1:
      return checkedTraffic(uartBus(), uartTraffic(kTransitions));
    case 2:
      return checkedTraffic(spiBus(), spiTraffic(kTransitions));
    default:
      return checkedTraffic(canBus(), canTraffic(kTransitions, which == 4));
  }
}

/// Made when it is asked for first, because not every row is run every time.
const Checked& traffic(std::size_t which)
{
  static std::array<std::unique_ptr<const Checked>, kNames.size()> made;
  if (!made[which])
    made[which] = std::make_unique<const Checked>(make(which));
  return *made[which];
}

void decodeIt(benchmark::State& state, std::size_t which)
{
  const Checked& checked = traffic(which);
  for (auto unused : state)
    benchmark::DoNotOptimize(decodeStream(checked.bus, checked.wires, std::stop_token())->frames.size());
  report(state, static_cast<double>(transitionsOf(checked.wires)), 0.0);
  state.SetLabel("what the next row is held against");
}

void measureIt(benchmark::State& state, std::size_t which)
{
  const Checked& checked = traffic(which);
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
  for (std::size_t i = 0; i < kNames.size(); ++i) {
    const std::string name = kNames[i];
    benchmark::RegisterBenchmark(("decode " + name + ", a transition").c_str(), [i](benchmark::State& s) {
      decodeIt(s, i);
    })->Unit(kUnit);
    benchmark::RegisterBenchmark(("measure and judge " + name + ", a transition").c_str(),
                                 [i](benchmark::State& s) { measureIt(s, i); })
        ->Unit(kUnit)
        ->UseRealTime();  // by all processors
  }
}

}  // namespace bexto::bench
