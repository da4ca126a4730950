// What a value was over time.
#include "core/device/value_series.h"

#include <gmock/gmock.h>

#include <filesystem>
#include <random>

#include "core/device/bus_devices.h"
#include "core/export/series_export.h"
#include "support/device_traffic.h"

using namespace bexto;
using namespace bexto::test;
using testing::ElementsAre;

namespace {

using namespace std::chrono_literals;

constexpr const char* kRegisters =
    "sheet: 1\ndevice: d\nbus: i2c\naddress: 0x2A\nregisters:\n  a: {at: 0, fields: {low: {bits: 3..0}, high: {bits: "
    "7..4, type: signed}}}\n  b: {at: 1, bytes: 2, scale: 0.1, unit: m}\n  name: {at: 8, bytes: 4, type: text}\n";

ValueSeries seriesOf(const DeviceTraffic& t, const std::string& subject, const std::string& value,
                     const ValueSeries& before = {})
{
  return *ValueSeries::make(t.bus(), t.transactions(), {"d", subject, value}, before, std::stop_token());
}

std::vector<double> valuesOf(const ValueSeries& series)
{
  std::vector<double> values;
  for (std::uint64_t i = 0; i < series.size(); ++i)
    values.push_back(series.at(i).value);
  return values;
}

}  // namespace

TEST(ValueSeries, HasWhatWasReadAndWrittenAndWhen)
{
  DeviceTraffic t("i2c");
  t.describe(kRegisters);
  t.ask(0x2A, {0}, {0xF3});              // a
  t.write(0x2A, {1, 0x00, 0x7B});        // b = 12.3
  t.ask(0x2A, {0}, {0x14, 0x00, 0x80});  // a and b
  t.write(0x2A, {0}, false);             // nobody answers
  t.ask(0x2B, {0}, {0x55});              // another device
  EXPECT_THAT(valuesOf(seriesOf(t, "a", "low")), ElementsAre(3, 4));
  EXPECT_THAT(valuesOf(seriesOf(t, "a", "high")), ElementsAre(-1, 1));
  const ValueSeries b = seriesOf(t, "b", "b");
  ASSERT_EQ(b.size(), 2U);
  EXPECT_DOUBLE_EQ(b.at(0).value, 12.3);
  EXPECT_DOUBLE_EQ(b.at(1).value, 12.8);
  const FrameIndex frames = t.frames();
  EXPECT_EQ(b.at(0).at, frames.frame(b.at(0).frame).time.end);
  EXPECT_EQ(b.countBefore(b.at(0).at), 0U);
  EXPECT_EQ(b.countBefore(b.at(0).at + Picoseconds{1}), 1U);
  EXPECT_EQ(b.countBefore(kNever), 2U);
  EXPECT_TRUE(seriesOf(t, "b", "c").empty());
  EXPECT_TRUE(seriesOf(t, "c", "b").empty());
}

TEST(ValueSeries, KnowsWhatCanBeDrawn)
{
  DeviceTraffic t("i2c");
  t.describe(kRegisters);
  const auto devices = std::dynamic_pointer_cast<const BusDevices>(describerOf(t.bus()));
  ASSERT_NE(devices, nullptr);
  ASSERT_NE(fieldOf(*devices, {"d", "b", "b"}), nullptr);
  EXPECT_TRUE(isNumeric(*fieldOf(*devices, {"d", "b", "b"})));
  ASSERT_NE(fieldOf(*devices, {"d", "name", "name"}), nullptr);
  EXPECT_FALSE(isNumeric(*fieldOf(*devices, {"d", "name", "name"})));
  EXPECT_EQ(fieldOf(*devices, {"e", "b", "b"}), nullptr);
}

TEST(ValueSeries, GrowsAsIfItHadBeenMadeAtOnce)
{
  DeviceTraffic t("i2c");
  t.describe(kRegisters);
  std::mt19937 random(7);
  ValueSeries grown;
  std::vector<double> wanted;
  std::vector<ValueSeries> kept;
  for (int round = 0; round < 12; ++round) {
    for (int i = 0; i < 900; ++i) {
      const auto value = static_cast<std::uint8_t>(random() & 0xFU);
      t.ask(0x2A, {0}, {value});
      wanted.push_back(value);
    }
    grown = seriesOf(t, "a", "low", grown);
    kept.push_back(grown);
  }
  EXPECT_EQ(valuesOf(grown), wanted);
  EXPECT_EQ(kept[3].size(), 3600U) << "what was made before is as it was";
  for (int i = 0; i < 300; ++i) {
    const std::uint64_t begin = random() % wanted.size();
    const std::uint64_t end = begin + 1 + random() % (wanted.size() - begin);
    const auto from = wanted.begin() + static_cast<std::ptrdiff_t>(begin);
    const auto to = wanted.begin() + static_cast<std::ptrdiff_t>(end);
    const ValueSeries::Range range = grown.rangeOf(begin, end);
    EXPECT_EQ(range.low, *std::min_element(from, to));
    EXPECT_EQ(range.high, *std::max_element(from, to));
  }
}

TEST(ValueSeries, MessagesThatWereNotWholeAreLookedAtAgain)
{
  DeviceTraffic whole("uart");
  DeviceTraffic part("uart");
  constexpr const char* kSheet =
      "sheet: 1\ndevice: d\nbus: uart\nframing: {start: 0xA5, size: 4}\nmessages:\n  m:\n    match: {byte: 0, value: "
      "0xA5}\n"
      "    fields: {v: {byte: 1}, w: {byte: 2}}\n";
  whole.describe(kSheet);
  part.describe(kSheet);
  ValueSeries grown;
  std::vector<double> wanted;
  for (int i = 0; i < 50; ++i) {
    const std::vector<std::uint8_t> bytes{0xA5, static_cast<std::uint8_t>(i), 1, 2};
    for (const std::uint8_t b : bytes) {
      part.say(std::vector<std::uint8_t>{b});
      grown = seriesOf(part, "m", "v", grown);
    }
    wanted.push_back(i);
  }
  EXPECT_EQ(valuesOf(grown), wanted);
}

TEST(ValueSeries, FindsOutWhatIsSilence)
{
  DeviceTraffic t("i2c");
  t.describe(kRegisters);
  for (int i = 0; i < 100; ++i)
    t.ask(0x2A, {0}, {1});
  EXPECT_EQ(seriesOf(t, "a", "low").silence(), kNever) << "always the same rest";
  const Picoseconds usual = seriesOf(t, "a", "low").at(1).at - seriesOf(t, "a", "low").at(0).at;
  t.rest(1s);
  t.ask(0x2A, {0}, {2});
  const ValueSeries series = seriesOf(t, "a", "low");
  EXPECT_EQ(series.holds(), usual);
  EXPECT_EQ(series.silence(), usual * 4);

  DeviceTraffic cyclic("can");
  cyclic.describe("sheet: 1\ndevice: d\nbus: can\nmessages:\n  m: {id: 0x10, every: 20 ms, fields: {v: {byte: 0}}}\n");
  cyclic.can(0x10, {1});
  EXPECT_EQ(seriesOf(cyclic, "m", "v").silence(), Picoseconds{50ms});
  EXPECT_EQ(seriesOf(cyclic, "m", "v").holds(), Picoseconds{20ms});
}

TEST(ValueSeries, FramesThatMayBeOthersSayNothing)
{
  DeviceTraffic t("can");
  t.describe(
      "sheet: 1\ndevice: d\nbus: can\nmessages:\n  m: {id: 0x10, fields: {v: {byte: 0}, f: {byte: 1, bytes: 4, "
      "type: float}}}\n");
  t.can(0x10, {1, 0, 0, 0x80, 0x7F});  // f is infinite
  t.can(0x10, {2, 0, 0, 0x80, 0x3F}, false, errorBit(CanError::Crc));
  t.can(0x10, {3, 0, 0, 0x80, 0x3F});
  t.can(0x10, {});
  EXPECT_THAT(valuesOf(seriesOf(t, "m", "v")), ElementsAre(1, 3));
  EXPECT_THAT(valuesOf(seriesOf(t, "m", "f")), ElementsAre(1.0));
}

TEST(ValueSeries, IsWrittenAsTable)
{
  const std::filesystem::path folder = std::filesystem::path(testing::TempDir()) / "series";
  std::filesystem::create_directories(folder);
  DeviceTraffic t("can");
  t.describe(
      "sheet: 1\ndevice: d\nbus: can\nmessages:\n  m: {id: 0x10, fields: {v: {byte: 0, scale: 0.1, unit: m}, "
      "s: {byte: 1, values: {0: off, 1: on}}}}\n");
  t.can(0x10, {123, 1});
  t.can(0x10, {7, 5});
  const auto devices = std::dynamic_pointer_cast<const BusDevices>(describerOf(t.bus()));
  NoProgress progress;
  const std::string path = (folder / "v.csv").string();
  ASSERT_TRUE(exportSeries(seriesOf(t, "m", "v"), "v", *fieldOf(*devices, {"d", "m", "v"}), path, {}, progress));
  EXPECT_EQ(fileText(path), "time_s,v (m)\r\n0.001000000000,12.3\r\n0.002000000000,0.7\r\n");
  ASSERT_TRUE(exportSeries(seriesOf(t, "m", "s"), "s", *fieldOf(*devices, {"d", "m", "s"}), path, {}, progress));
  EXPECT_EQ(fileText(path), "time_s,s,text\r\n0.001000000000,1,on\r\n0.002000000000,5,\r\n");
  EXPECT_FALSE(exportSeries(seriesOf(t, "m", "s"), "s", *fieldOf(*devices, {"d", "m", "s"}),
                            (folder / "no" / "v.csv").string(), {}, progress));
}
