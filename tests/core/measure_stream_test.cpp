// A stream that is measured in parts, side by side, gives what one meter gives that goes through all of it.
#include "core/check/measure_stream.h"

#include <algorithm>
#include <limits>

#include "core/decode/protocol.h"
#include "support/checks.h"
#include "support/lock_cycle.h"
#include "support/random_traffic.h"

using namespace bexto;
using namespace bexto::test;

namespace {

/// Limits that some values break, so that all that is judged is compared.
std::vector<WantedMeasure> wantedOf(const Bus& bus)
{
  std::vector<WantedMeasure> wanted;
  for (const MeasureSpec& spec : bus.protocol().facts().measures) {
    switch (spec.unit) {
      case MeasureUnit::Time:
        wanted.push_back({spec.unit, {200'000.0, 3e6}});
        break;
      case MeasureUnit::Frequency:
        wanted.push_back({spec.unit, {90e3, 400e3}});
        break;
      case MeasureUnit::Percent:
        wanted.push_back({spec.unit, {-2.0, 2.0}});
        break;
      case MeasureUnit::Count:
        wanted.push_back({spec.unit, {}});
        break;
    }
  }
  return wanted;
}

StreamMeasures measured(const Bus& bus, const StreamInput& input, const FrameIndex& frames, FrameRange range,
                        std::uint64_t transitionsAPart)
{
  auto result = measureStream(bus, input, frames, range, wantedOf(bus), 10'000.0, {}, {}, transitionsAPart);
  EXPECT_TRUE(result.has_value());
  return std::move(*result);
}

void expectEqual(const Tally& parts, const Tally& whole, const std::string& of)
{
  EXPECT_EQ(parts.all().count, whole.all().count) << of;
  if (whole.all().count == 0)
    return;
  EXPECT_EQ(parts.all().min, whole.all().min) << of;
  EXPECT_EQ(parts.all().max, whole.all().max) << of;
  EXPECT_NEAR(parts.all().mean(), whole.all().mean(), 1e-9 * (std::abs(whole.all().mean()) + 1.0)) << of;
  EXPECT_NEAR(parts.all().deviation(), whole.all().deviation(), 1e-6 * (whole.all().max - whole.all().min + 1.0)) << of;
  EXPECT_EQ(parts.failed(), whole.failed()) << of;
  EXPECT_EQ(parts.undecided(), whole.undecided()) << of;
  const double low = whole.all().min - 1.0;
  const double high = whole.all().max + 1.0;
  EXPECT_EQ(parts.histogram().bars(low, high, 50), whole.histogram().bars(low, high, 50)) << of;
  const auto worstOfParts = parts.worst();
  const auto worst = whole.worst();
  ASSERT_EQ(worstOfParts.size(), worst.size()) << of;
  for (std::size_t i = 0; i < worst.size(); ++i) {
    EXPECT_EQ(worstOfParts[i].room, worst[i].room) << of << " " << i;
    EXPECT_EQ(worstOfParts[i].time.begin, worst[i].time.begin) << of << " " << i;
    EXPECT_EQ(worstOfParts[i].value, worst[i].value) << of << " " << i;
  }
}

void expectPartsAreTheWhole(const Bus& bus, const StreamInput& input, const std::string& of,
                            std::uint64_t transitionsAPart)
{
  const FrameIndex frames = decodeAll(bus, input);
  const FrameRange all{0, frames.size()};
  const FrameRange middle{frames.size() / 5, frames.size() - frames.size() / 4};
  for (const FrameRange range : {all, middle}) {
    const StreamMeasures whole = measured(bus, input, frames, range, std::numeric_limits<std::uint64_t>::max());
    const StreamMeasures parts = measured(bus, input, frames, range, transitionsAPart);
    const auto& specs = bus.protocol().facts().measures;
    ASSERT_EQ(parts.tallies.size(), specs.size());
    for (std::size_t m = 0; m < specs.size(); ++m)
      expectEqual(parts.tallies[m], whole.tallies[m], of + " " + specs[m].symbol);
    // Devices are in the order in which they came.
    EXPECT_EQ(parts.groups, whole.groups) << of;
    for (std::size_t m = 0; m < specs.size(); ++m) {
      const auto countOf = [&](const StreamMeasures& measures, std::size_t group) {
        const auto& groups = measures.tallies[m].groups();
        return group < groups.size() ? groups[group].count : 0;
      };
      for (std::size_t g = 0; g < whole.groups.size(); ++g)
        EXPECT_EQ(countOf(parts, g), countOf(whole, g)) << of << " " << specs[m].symbol << " " << whole.groups[g];
    }
  }
}

class MeasuredInParts : public testing::TestWithParam<const char*> {};
INSTANTIATE_TEST_SUITE_P(Buses, MeasuredInParts,
                         testing::Values("sensors", "console", "log", "lamps", "drives", "bearing"),
                         [](const auto& info) { return std::string(info.param); });

TEST_P(MeasuredInParts, ACycleOfTheLock)
{
  const rig::LockCycle& cycle = lockCycle();
  const auto bus = resolveBus(lockCycleBus(GetParam()), cycle.capture);
  ASSERT_TRUE(bus.has_value());
  const StreamInput input = inputOf(cycle.capture, bus->streams.front());
  expectPartsAreTheWhole(bus->bus, input, GetParam(), 2000);
}

class MeasuredInPartsDirty : public testing::TestWithParam<const char*> {};
INSTANTIATE_TEST_SUITE_P(Rooms, MeasuredInPartsDirty, testing::Values("i2c", "uart", "spi", "lin", "can", "onewire"),
                         [](const auto& info) { return std::string(info.param); });

TEST_P(MeasuredInPartsDirty, DirtyWiresAndNonsense)
{
  for (int seed = 1; seed <= cases(100); ++seed) {
    const auto number = static_cast<std::uint64_t>(seed);
    for (const RandomTraffic& traffic : {dirtyTraffic(GetParam(), number), nonsense(GetParam(), number)})
      expectPartsAreTheWhole(traffic.bus, traffic.input, std::string(GetParam()) + " " + std::to_string(seed),
                             1 + number % 40);
  }
}

TEST(MeasuringAStream, EndsWhenItIsAskedTo)
{
  const RandomTraffic traffic = dirtyTraffic("uart", 3);
  const FrameIndex frames = decodeAll(traffic.bus, traffic.input);
  std::stop_source stop;
  stop.request_stop();
  const auto result = measureStream(traffic.bus, traffic.input, frames, {0, frames.size()}, wantedOf(traffic.bus), 0.0,
                                    stop.get_token(), {});
  ASSERT_FALSE(result.has_value());
  EXPECT_EQ(result.error().code, ErrorCode::Cancelled);
}

}  // namespace
