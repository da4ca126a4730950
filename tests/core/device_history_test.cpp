// What devices last said at a moment, and every access to a register.
#include <gmock/gmock.h>

#include <random>

#include "core/view/device_table.h"
#include "support/device_traffic.h"

using namespace bexto;
using namespace bexto::test;
using testing::ElementsAre;

namespace {

using namespace std::chrono_literals;

constexpr const char* kHistorySheet =
    "sheet: 1\ndevice: d\nbus: i2c\naddress: 0x2A\nregisters:\n  a: {at: 0}\n  b: {at: 1, fields: {low: {bits: 3..0}, "
    "high: {bits: 7..4, reserved: 15}}}\n"
    "  c: {at: 2, bytes: 2, unit: m}\n";

DeviceHistory historyOf(const DeviceTraffic& t)
{
  return *DeviceHistory::make(t.bus(), t.transactions(), {}, std::stop_token());
}

/// "a=5 set", "b", "b.low=2 read ●".
std::vector<std::string> rowsAt(const DeviceHistory& history, Picoseconds at, std::optional<Picoseconds> since = {})
{
  std::vector<std::string> texts;
  for (const DeviceRow& row : deviceRows({history}, 0, at, since)) {
    std::string text = row.name;
    if (!row.seen)
      text += " never" + row.value;
    else if (!row.value.empty())
      text += "=" + row.value + (row.written ? " set" : " read");
    texts.push_back(text + (row.wrong.empty() ? "" : " !") + (row.changed ? " *" : ""));
  }
  return texts;
}

}  // namespace

TEST(UnitList, GrowsAndIsCutWhileOthersKeepTheirs)
{
  UnitList list;
  for (std::uint32_t i = 0; i < 10'000; ++i)
    list.add(i * 3);
  const UnitList before = list;
  EXPECT_EQ(list.countBelow(0), 0U);
  EXPECT_EQ(list.countBelow(3 * 4096), 4096U);
  EXPECT_EQ(list.countBelow(3 * 4096 + 1), 4097U);
  EXPECT_EQ(list.countBelow(1'000'000), 10'000U);
  list.cutFrom(3 * 5000);
  EXPECT_EQ(list.size(), 5000U);
  list.add(99'999);
  EXPECT_EQ(list.at(5000), 99'999U);
  EXPECT_EQ(before.size(), 10'000U);
  EXPECT_EQ(before.at(5000), 15'000U);
  list.cutFrom(0);
  EXPECT_EQ(list.size(), 0U);
}

TEST(DeviceHistory, IsAsLastSeenAtTheMoment)
{
  DeviceTraffic t("i2c");
  t.describe(kHistorySheet);
  t.write(0x2a, {0, 5});           // 0 to 1 ms
  t.ask(0x2a, {1}, {0x21, 1, 0});  // 2 to 4 ms
  t.write(0x2a, {1, 0xf1});        // 5 to 6 ms
  const DeviceHistory history = historyOf(t);
  EXPECT_THAT(rowsAt(history, 500us), ElementsAre("a never", "b never", "low never", "high never", "c never"));
  EXPECT_THAT(rowsAt(history, 1ms), ElementsAre("a=5 set", "b never", "low never", "high never", "c never"));
  EXPECT_THAT(rowsAt(history, 4ms), ElementsAre("a=5 set", "b", "low=1 read", "high=2 read", "c=256 m read"));
  EXPECT_THAT(rowsAt(history, 9ms, 4ms),
              ElementsAre("a=5 set", "b *", "low=1 set", "high=0xF set ! *", "c=256 m read"));
  EXPECT_THAT(rowsAt(history, 4ms, 1ms),
              ElementsAre("a=5 set", "b *", "low=1 read *", "high=2 read *", "c=256 m read *"));
  EXPECT_EQ(history.saidAt(0, 9ms)->at, 1ms);
}

TEST(DeviceHistory, ListsEveryAccess)
{
  DeviceTraffic t("i2c");
  t.describe(kHistorySheet);
  t.write(0x2a, {0, 5, 7});
  t.ask(0x2a, {2}, {0, 9});
  t.write(0x2a, {0, 6});
  t.write(0x2a, {2}, true);      // only where
  t.write(0x2a, {0, 1}, false);  // nobody answered
  const DeviceHistory history = historyOf(t);
  ASSERT_EQ(history.subjects().size(), 3U);
  EXPECT_EQ(history.unitsOf(0).size(), 2U);
  EXPECT_EQ(history.unitsOf(1).size(), 1U);
  EXPECT_EQ(history.unitsOf(2).size(), 1U);
  EXPECT_EQ(history.saidIn(0, history.unitsOf(0).at(1)).values.front().text, "6");
  EXPECT_EQ(history.nameOf(2), "c");
  EXPECT_EQ(history.deviceOf(2), "d");
}

TEST(DeviceHistory, PartsOfAWideRegisterAreNoValue)
{
  DeviceTraffic t("i2c");
  t.describe(kHistorySheet);
  t.ask(0x2a, {2}, {1});
  EXPECT_THAT(rowsAt(historyOf(t), 9ms), ElementsAre("a never", "b never", "low never", "high never", "c never"));
}

TEST(DeviceHistory, KnowsMessagesAndWhoIsSilent)
{
  DeviceTraffic t("can");
  t.describe(
      "sheet: 1\ndevice: d\nbus: can\nmessages: {m: {id: 1, fields: {v: {byte: 0}}}, n: {id: 2}, "
      "o: {id: 3, fields: {x: {byte: 0}, y: {byte: 1}}}}\n");
  t.can(1, {7});
  t.can(1, {8}, false, errorBit(CanError::Crc));
  t.can(2, {});
  t.can(3, {9});
  EXPECT_THAT(rowsAt(historyOf(t), 9ms), ElementsAre("m=7 read", "n", "o", "x=9 read", "y never"))
      << "and what came too short has no last value";
}

TEST(DeviceHistory, AnyPiecesAreTheWhole)
{
  for (const bool characters : {false, true}) {
    std::mt19937_64 random(5);
    DeviceTraffic t(characters ? "uart" : "i2c");
    t.describe(characters ? "sheet: 1\ndevice: d\nbus: uart\nframing: {start: 0x7E, size: 3}\nmessages: {m: {match: "
                            "{byte: 1, value: 1}, fields: {v: {byte: 2}}}}\n"
                          : kHistorySheet);
    DeviceHistory grown;
    Transactions lines;
    for (int i = 0; i < 3000; ++i) {
      if (characters)
        t.say(std::vector<std::uint8_t>{static_cast<std::uint8_t>(random() % 3 == 0 ? 0x7e : random() % 3)});
      else
        t.write(0x2a, {static_cast<std::uint8_t>(random() % 3), static_cast<std::uint8_t>(random())});
      if (random() % 200 == 0) {
        lines = Transactions(t.bus(), t.frames(), lines);
        grown = *DeviceHistory::make(t.bus(), lines, grown, std::stop_token());
      }
    }
    lines = Transactions(t.bus(), t.frames(), lines);
    grown = *DeviceHistory::make(t.bus(), lines, grown, std::stop_token());
    const DeviceHistory whole = historyOf(t);
    ASSERT_EQ(grown.subjects(), whole.subjects());
    for (std::size_t s = 0; s < whole.subjects().size(); ++s) {
      ASSERT_EQ(grown.unitsOf(s).size(), whole.unitsOf(s).size()) << characters << " " << s;
      for (std::uint64_t i = 0; i < whole.unitsOf(s).size(); ++i)
        ASSERT_EQ(grown.unitsOf(s).at(i), whole.unitsOf(s).at(i));
    }
    // At any moment the last access is the one that a walk finds.
    for (int i = 0; i < 200; ++i) {
      const Picoseconds at{static_cast<std::int64_t>(random() % 6000) * 1'000'000'000};
      const auto last = whole.lastAt(0, at);
      std::optional<std::uint64_t> plain;
      for (std::uint64_t k = 0; k < whole.unitsOf(0).size(); ++k) {
        const std::uint64_t unit = whole.unitsOf(0).at(k);
        if (lines.frames().frame(whole.reading().framesOf(unit).end - 1).time.end <= at)
          plain = unit;
      }
      ASSERT_EQ(last, plain) << at.count();
    }
  }
}

TEST(DeviceHistory, OfABusWithoutSheetsIsEmpty)
{
  DeviceTraffic t("i2c");
  t.write(0x2a, {1});
  EXPECT_TRUE(historyOf(t).empty());
  EXPECT_TRUE(deviceRows({historyOf(t)}, 0, 9ms, {}).empty());
}
