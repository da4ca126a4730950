#include "rig/plant.h"

#include <set>

#include "core/decode/bus_spec.h"
#include "support/waves.h"

using namespace bexto;
using namespace bexto::rig;
using namespace std::chrono_literals;

namespace {

int faultsIn(const CyclePlan& plan)
{
  int faults = 0;
  for (const Picoseconds at : {plan.stretch, plan.sonarHot, plan.flip, plan.glitch, plan.rollover})
    faults += at != kNever ? 1 : 0;
  return faults;
}

/// The changes of so many picoseconds.
std::vector<ProbeChange> walk(Plant& plant, Picoseconds length)
{
  std::vector<ProbeChange> changes;
  while (plant.next() < length.count()) {
    const std::int64_t at = plant.next();
    plant.advance();
    changes.push_back({at, plant.levels()});
  }
  return changes;
}

}  // namespace

TEST(Plant, EachCycleHasOneOrTwoFaultsAndTheFirstAnAbandonedRead)
{
  std::set<int> seen;
  for (std::uint64_t cycle = 0; cycle < 200; ++cycle) {
    const CyclePlan plan = planOfCycle(1187, cycle);
    EXPECT_GE(faultsIn(plan), 1) << cycle;
    EXPECT_LE(faultsIn(plan), 2) << cycle;
    seen.insert(plan.sonarHot != kNever ? 2 : plan.flip != kNever ? 3 : plan.glitch != kNever ? 4 : 1);
  }
  EXPECT_EQ(seen.size(), 4U) << "faults that never come";
  EXPECT_NE(planOfCycle(5, 0).stretch, kNever);
}

TEST(Plant, GoesOnFromCycleToCycle)
{
  Plant plant(1187);
  Plant again(1187);
  const std::vector<ProbeChange> changes = walk(plant, 2 * kLockCycle);
  const std::vector<ProbeChange> same = walk(again, 2 * kLockCycle);
  ASSERT_EQ(changes.size(), same.size());
  std::size_t inSecond = 0;
  for (std::size_t i = 0; i < changes.size(); ++i) {
    ASSERT_EQ(changes[i].time, same[i].time) << i;
    ASSERT_EQ(changes[i].levels, same[i].levels) << i;
    if (i > 0) {
      ASSERT_LT(changes[i - 1].time, changes[i].time) << "time does not stand still";
    }
    inSecond += changes[i].time > kLockCycle.count() ? 1U : 0U;
  }
  EXPECT_GT(inSecond, 100'000U);
  // Between two cycles the wires rest: the console and the bus lines are high.
  for (const ProbeChange& change : changes) {
    if (change.time == kLockCycle.count()) {
      EXPECT_EQ(change.levels & 0b111U, 0b111U);
    }
  }
}

TEST(Plant, FaultsOfACycleAreThoseOfItsPlan)
{
  for (std::uint64_t cycle = 0; cycle < 4; ++cycle) {
    const CyclePlan plan = planOfCycle(3, cycle);
    const LockCycle made = simulateLockCycle(3 + cycle, plan);
    EXPECT_EQ(made.faults.stretchedRead != Picoseconds{0}, plan.stretch != kNever);
    EXPECT_EQ(made.faults.sonarBroken != Picoseconds{0}, plan.sonarHot != kNever);
    EXPECT_EQ(made.faults.corruptedFrame != Picoseconds{0}, plan.glitch != kNever);
    EXPECT_EQ(made.faults.rolloverMinutes != Picoseconds{0}, plan.rollover != kNever);
    if (plan.stretch != kNever) {
      EXPECT_LE(made.faults.stretchedRead - plan.stretch, Picoseconds(5ms));
    }
  }
}

TEST(Plant, BusyBusesHardlyRestAndHaveNoFault)
{
  const LockCycle busy = simulateBusyBuses(1);
  for (const std::string& spec : lockCycleBuses()) {
    const auto bus = parseBusSpec(spec);
    ASSERT_TRUE(bus);
    const auto resolved = resolveBus(*bus, busy.capture);
    ASSERT_TRUE(resolved) << resolved.error().text();
    for (const BusStream& stream : resolved->streams) {
      const FrameIndex frames = bexto::test::decodeAll(*bus, inputOf(busy.capture, stream));
      if (bus->name != "adc") {
        EXPECT_GT(frames.size(), 40U) << spec;
      }
      EXPECT_EQ(frames.errorCount(), 0U) << spec;
    }
  }
}
