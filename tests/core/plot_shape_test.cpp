// What a value over time looks like on the screen.
#include "core/view/plot_shape.h"

#include <gmock/gmock.h>

#include <random>

#include "support/device_traffic.h"

using namespace bexto;
using namespace bexto::test;

namespace {

using namespace std::chrono_literals;

constexpr const char* kPlotSheet =
    "sheet: 1\ndevice: d\nbus: can\nmessages:\n  m: {id: 0x10, fields: {v: {byte: 0, type: signed}}}\n  c: {id: 0x11, "
    "every: 10 ms, fields: {v: {byte: 0}}}\n";

/// A value each millisecond.
ValueSeries seriesOf(const std::vector<int>& values)
{
  DeviceTraffic t("can");
  t.describe(kPlotSheet);
  for (const int v : values)
    t.can(0x10, {static_cast<std::uint8_t>(v)});
  return *ValueSeries::make(t.bus(), t.transactions(), {"d", "m", "v"}, {}, std::stop_token());
}

SheetField field(double scale, FieldForm form = FieldForm::Unsigned)
{
  SheetField f;
  f.scale = scale;
  f.form = form;
  return f;
}

PlotScale scaleOf(const std::vector<int>& values, double scale)
{
  std::vector<PlotStop> stops;
  for (const int v : values) {
    PlotStop stop;
    stop.x = static_cast<double>(stops.size());
    stop.first = stop.last = stop.low = stop.high = v * scale;
    stops.push_back(stop);
  }
  const SheetField f = field(scale);
  return plotScale(stops, 100, &f);
}

}  // namespace

TEST(PlotShape, HasAStopForEachPointWhereThereIsRoom)
{
  const ValueSeries series = seriesOf({1, 2, 3, 4});
  const auto stops = plotShape(series, TimeAxis({0ms, 10ms}, 1000), {}, 10ms);
  ASSERT_EQ(stops.size(), 4U);
  for (std::size_t i = 0; i < 4; ++i) {
    EXPECT_NEAR(stops[i].x, 100.0 * static_cast<double>(i + 1), 1e-6);
    EXPECT_EQ(stops[i].last, static_cast<double>(i + 1));
    EXPECT_EQ(stops[i].point, i);
    EXPECT_EQ(stops[i].goesOn, i < 3);
  }
  EXPECT_NEAR(stops[3].until, 1000.0, 1e-6) << "the last one holds to the capture's end";
}

TEST(PlotShape, BeginsWithWhatHoldsIntoTheViewAndEndsBehindIt)
{
  const ValueSeries series = seriesOf({1, 2, 3, 4, 5, 6});
  const auto stops = plotShape(series, TimeAxis({2500us, 4500us}, 200), {}, 6ms);
  ASSERT_EQ(stops.size(), 4U);
  EXPECT_EQ(stops[0].last, 2.0);
  EXPECT_LT(stops[0].x, 0.0);
  EXPECT_EQ(stops[3].last, 5.0);
  EXPECT_GT(stops[3].x, 200.0);
  const auto behind = plotShape(series, TimeAxis({7ms, 8ms}, 200), {}, 10ms);
  ASSERT_EQ(behind.size(), 1U);
  EXPECT_EQ(behind[0].last, 6.0);
  EXPECT_TRUE(plotShape(ValueSeries(), TimeAxis({7ms, 8ms}, 200), {}, 10ms).empty());
}

TEST(PlotShape, ColumnsHoldAllThatHappenedInThem)
{
  std::mt19937 random(3);
  std::vector<int> values;
  for (int i = 0; i < 20'000; ++i)
    values.push_back(static_cast<int>(random() % 256) - 128);
  const ValueSeries series = seriesOf(values);
  const TimeAxis axis({0ms, 20'001ms}, 300);
  const auto stops = plotShape(series, axis, {}, 20'001ms);
  EXPECT_LE(stops.size(), 301U);
  std::uint64_t next = 0;
  for (const PlotStop& stop : stops) {
    EXPECT_EQ(stop.point, next);
    next += stop.count;
    double low = 1e9;
    double high = -1e9;
    for (std::uint64_t i = stop.point; i < next; ++i) {
      low = std::min<double>(low, values[i]);
      high = std::max<double>(high, values[i]);
    }
    EXPECT_EQ(stop.low, low);
    EXPECT_EQ(stop.high, high);
    EXPECT_EQ(stop.first, values[stop.point]);
    EXPECT_EQ(stop.last, values[next - 1]);
  }
  EXPECT_EQ(next, 20'000U);
}

TEST(PlotShape, BreaksWhereNobodySaidAnything)
{
  DeviceTraffic t("can");
  t.describe(kPlotSheet);
  t.can(0x11, {1});  // at 1 ms
  t.rest(9ms);
  t.can(0x11, {2});  // at 11 ms
  t.rest(99ms);
  t.can(0x11, {3});  // at 111 ms
  const auto series = *ValueSeries::make(t.bus(), t.transactions(), {"d", "c", "v"}, {}, std::stop_token());
  const auto stops = plotShape(series, TimeAxis({0ms, 200ms}, 200), {}, 200ms);
  ASSERT_EQ(stops.size(), 3U);
  EXPECT_TRUE(stops[0].goesOn);
  EXPECT_FALSE(stops[1].goesOn);
  EXPECT_NEAR(stops[1].until, 21.0, 1e-6);
  EXPECT_NEAR(stops[2].until, 121.0, 1e-6) << "behind the last as well";
  EXPECT_EQ(plotPointAt(series, 20ms, {}, 200ms), 1U);
  EXPECT_EQ(plotPointAt(series, 22ms, {}, 200ms), std::nullopt);
  EXPECT_EQ(plotPointAt(series, 0ms, {}, 200ms), std::nullopt);
  EXPECT_EQ(plotPointAt(series, 111ms, {}, 200ms), 2U);
  EXPECT_EQ(plotPointAt(series, 150ms, {}, 200ms), std::nullopt);
}

TEST(PlotShape, BreaksWhereNothingWasRecorded)
{
  const ValueSeries series = seriesOf({1, 2, 3});
  const std::vector<TimeRange> gaps{{1200us, 1800us}, {5ms, 6ms}};
  const auto stops = plotShape(series, TimeAxis({0ms, 10ms}, 1000), gaps, 10ms);
  ASSERT_EQ(stops.size(), 3U);
  EXPECT_FALSE(stops[0].goesOn);
  EXPECT_NEAR(stops[0].until, 120.0, 1e-6);
  EXPECT_TRUE(stops[1].goesOn);
  EXPECT_NEAR(stops[2].until, 500.0, 1e-6);
  EXPECT_EQ(plotPointAt(series, 1500us, gaps, 10ms), std::nullopt);
  EXPECT_EQ(plotPointAt(series, 7ms, gaps, 10ms), std::nullopt);
  EXPECT_EQ(plotPointAt(series, 4ms, gaps, 10ms), 2U);
}

TEST(PlotScale, HasRoundEndsAroundAllThatIsInView)
{
  const PlotScale level = scaleOf({95'899, 98'108}, 0.001);
  EXPECT_NEAR(level.low, 95.0, 1e-9);
  EXPECT_NEAR(level.high, 99.0, 1e-9);
  EXPECT_EQ(level.decimals, 0);
  const PlotScale fine = scaleOf({98'107, 98'108}, 0.001);
  EXPECT_NEAR(fine.low, 98.107, 1e-9);
  EXPECT_NEAR(fine.high, 98.108, 1e-9);
  EXPECT_EQ(fine.decimals, 3);
  const PlotScale one = scaleOf({6}, 1.0);
  EXPECT_EQ(one.low, 5.0);
  EXPECT_EQ(one.high, 7.0);
  EXPECT_EQ(one.decimals, 0) << "whole numbers have nothing between them";
  const PlotScale around = scaleOf({-30, 70}, 1.0);
  EXPECT_LE(around.low, -30.0);
  EXPECT_GE(around.high, 70.0);
  const PlotScale none = plotScale({}, 100, nullptr);
  EXPECT_LT(none.low, none.high);
  const SheetField flag = field(1.0, FieldForm::Flag);
  EXPECT_EQ(plotScale({}, 100, &flag).high, 1.0);
}

TEST(PlotScale, OfHugeAndTinyNumbersIsSound)
{
  for (const double value : {1e300, -1e300, 1e-300, 0.0, 1e15}) {
    PlotStop stop;
    stop.x = 1.0;
    stop.first = stop.last = stop.low = stop.high = value;
    const SheetField f = field(1.0, FieldForm::Float);
    const PlotScale scale = plotScale({stop}, 100, &f);
    EXPECT_LT(scale.low, scale.high) << value;
    EXPECT_LE(scale.low, value);
    EXPECT_GE(scale.high, value);
    EXPECT_TRUE(std::isfinite(scale.low) && std::isfinite(scale.high)) << value;
  }
}
