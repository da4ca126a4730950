#include "core/decode/tally.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <random>

using namespace bexto;

namespace {

constexpr double kPeriod = 10'000.0;  // 10 ns

/// One value against its limits.
Judgement judged(MeasureUnit unit, const Limits& limits, double period, std::int64_t value)
{
  Tally tally(unit, limits, period);
  tally.add(value, 100, 100 + value);
  tally.settle();
  return tally.failed() == 1 ? Judgement::Fail : tally.undecided() == 1 ? Judgement::Undecided : Judgement::Pass;
}

TEST(Judging, AtALeastValueByWholeAndHalfResolutions)
{
  const Limits least{1'300'000.0, {}};
  const auto at = [&](double resolutions) {
    return judged(MeasureUnit::Time, least, kPeriod, 1'300'000 + static_cast<std::int64_t>(resolutions * kPeriod));
  };
  EXPECT_EQ(at(1.5), Judgement::Pass);
  EXPECT_EQ(at(1.0), Judgement::Pass);
  EXPECT_EQ(at(0.5), Judgement::Undecided);
  EXPECT_EQ(at(0.0), Judgement::Undecided);
  EXPECT_EQ(at(-0.5), Judgement::Undecided);
  EXPECT_EQ(at(-1.0), Judgement::Fail);
  EXPECT_EQ(at(-1.5), Judgement::Fail);
}

TEST(Judging, AtAMostValueByWholeAndHalfResolutions)
{
  const Limits most{{}, 900'000.0};
  const auto at = [&](double resolutions) {
    return judged(MeasureUnit::Time, most, kPeriod, 900'000 + static_cast<std::int64_t>(resolutions * kPeriod));
  };
  EXPECT_EQ(at(-1.0), Judgement::Pass);
  EXPECT_EQ(at(-0.5), Judgement::Undecided);
  EXPECT_EQ(at(0.0), Judgement::Undecided);
  EXPECT_EQ(at(0.5), Judgement::Undecided);
  EXPECT_EQ(at(1.0), Judgement::Fail);
}

TEST(Judging, ExactEdgesPassOnTheLimitAndFailBeyond)
{
  EXPECT_EQ(judged(MeasureUnit::Time, {1000.0, {}}, 0.0, 1000), Judgement::Pass);
  EXPECT_EQ(judged(MeasureUnit::Time, {1000.0, {}}, 0.0, 999), Judgement::Fail);
  EXPECT_EQ(judged(MeasureUnit::Time, {{}, 1000.0}, 0.0, 1000), Judgement::Pass);
  EXPECT_EQ(judged(MeasureUnit::Time, {{}, 1000.0}, 0.0, 1001), Judgement::Fail);
}

TEST(Judging, AFrequencyIsJudgedAsItsPeriod)
{
  const Limits most{{}, 400e3};  // 2.5 µs
  EXPECT_EQ(judged(MeasureUnit::Frequency, most, kPeriod, 2'510'000), Judgement::Pass);
  EXPECT_EQ(judged(MeasureUnit::Frequency, most, kPeriod, 2'505'000), Judgement::Undecided);
  EXPECT_EQ(judged(MeasureUnit::Frequency, most, kPeriod, 2'500'000), Judgement::Undecided);
  EXPECT_EQ(judged(MeasureUnit::Frequency, most, kPeriod, 2'490'000), Judgement::Fail);
  EXPECT_EQ(judged(MeasureUnit::Frequency, most, 0.0, 2'500'000), Judgement::Pass);
  EXPECT_EQ(judged(MeasureUnit::Frequency, most, 0.0, 2'499'999), Judgement::Fail);
  // With a least one, the longest period is the limit.
  EXPECT_EQ(judged(MeasureUnit::Frequency, {10e3, 100e3}, 0.0, 100'000'001), Judgement::Fail);
  EXPECT_EQ(judged(MeasureUnit::Frequency, {10e3, 100e3}, 0.0, 100'000'000), Judgement::Pass);
}

TEST(Judging, APercentageHasTheResolutionOfItsLength)
{
  const auto at = [](double value) {
    Tally tally(MeasureUnit::Percent, {-2.0, 2.0}, kPeriod);
    tally.addPercent(value, 1'000'000.0, 0, 1'000'000);  // one sample is 1 %
    tally.settle();
    EXPECT_DOUBLE_EQ(tally.worst().front().resolution, 1.0);
    return tally.worst().front().judgement;
  };
  EXPECT_EQ(at(1.0), Judgement::Pass);
  EXPECT_EQ(at(1.5), Judgement::Undecided);
  EXPECT_EQ(at(2.0), Judgement::Undecided);
  EXPECT_EQ(at(-2.5), Judgement::Undecided);
  EXPECT_EQ(at(-3.0), Judgement::Fail);
}

TEST(Judging, AFrequencySaysHowFinelyItIsKnown)
{
  Tally tally(MeasureUnit::Frequency, {{}, 400e3}, kPeriod);
  tally.add(2'500'000, 0, 2'500'000);
  tally.settle();
  const MeasuredPlace place = tally.worst().front();
  EXPECT_DOUBLE_EQ(place.value, 400e3);
  EXPECT_NEAR(place.resolution, 400e3 * 400e3 * 10e-9, 1e-6);
}

/// What a tally has to say, said slowly.
struct Slowly {
  std::vector<double> values;
  double mean() const
  {
    double sum = 0.0;
    for (const double v : values)
      sum += v;
    return sum / static_cast<double>(values.size());
  }
  double deviation() const
  {
    const double middle = mean();
    double sum = 0.0;
    for (const double v : values)
      sum += (v - middle) * (v - middle);
    return std::sqrt(sum / static_cast<double>(values.size()));
  }
};

TEST(Tallies, SayWhatASlowCountSays)
{
  std::mt19937_64 random(7);
  for (const bool quantised : {true, false}) {
    const Limits limits{990'000.0, 1'030'000.0};
    Tally tally(MeasureUnit::Time, limits, kPeriod);
    Slowly slowly;
    std::array<std::size_t, 3> judgements{};
    std::vector<std::pair<double, std::int64_t>> rooms;
    std::vector<std::size_t> ofGroup(3);
    for (int i = 0; i < 20'000; ++i) {
      const auto jitter = static_cast<std::int64_t>(random() % 80'000) - 40'000;
      const std::int64_t value = 1'010'000 + (quantised ? jitter / 10'000 * 10'000 : jitter);
      const auto group = static_cast<std::uint32_t>(random() % 3);
      tally.setGroup(group);
      ++ofGroup[group];
      tally.add(value, i, i + 1);
      const double v = static_cast<double>(value);
      slowly.values.push_back(v);
      const double room = std::min(v - *limits.min, *limits.max - v);
      ++judgements.at(static_cast<std::size_t>(judge(room, kPeriod)));
      rooms.emplace_back(room, i);
    }
    tally.settle();
    EXPECT_EQ(tally.all().count, 20'000U);
    EXPECT_NEAR(tally.all().mean(), slowly.mean(), 1e-3);
    EXPECT_NEAR(tally.all().deviation(), slowly.deviation(), 1e-3);
    EXPECT_EQ(tally.all().min, *std::min_element(slowly.values.begin(), slowly.values.end()));
    EXPECT_EQ(tally.all().max, *std::max_element(slowly.values.begin(), slowly.values.end()));
    EXPECT_EQ(tally.failed(), judgements[2]);
    EXPECT_EQ(tally.undecided(), judgements[1]);
    for (std::size_t g = 0; g < 3; ++g)
      EXPECT_EQ(tally.groups()[g].count, ofGroup[g]);
    // The worst hundred, of equals the earliest, in that order.
    std::sort(rooms.begin(), rooms.end());
    const auto worst = tally.worst();
    ASSERT_EQ(worst.size(), Tally::kPlaces);
    for (std::size_t i = 0; i < worst.size(); ++i) {
      EXPECT_EQ(worst[i].room, rooms[i].first);
      EXPECT_EQ(worst[i].time.begin.count(), rooms[i].second) << i;
    }
  }
}

TEST(Tallies, OfTwoLinesAreThoseOfBothTogether)
{
  std::mt19937_64 random(11);
  const Limits limits{-20.0, 20.0};
  Tally both(MeasureUnit::Percent, limits, kPeriod);
  Tally first(MeasureUnit::Percent, limits, kPeriod);
  Tally second(MeasureUnit::Percent, limits, kPeriod);
  for (int i = 0; i < 3000; ++i) {
    const double value = static_cast<double>(random() % 6000) / 100.0 - 30.0;
    both.addPercent(value, 1e7, i, i + 1);
    (i % 3 == 0 ? first : second).addPercent(value, 1e7, i, i + 1);
  }
  for (Tally* tally : {&both, &first, &second})
    tally->settle();
  first.merge(second);
  EXPECT_EQ(first.all().count, both.all().count);
  EXPECT_NEAR(first.all().mean(), both.all().mean(), 1e-9);
  EXPECT_NEAR(first.all().deviation(), both.all().deviation(), 1e-9);
  EXPECT_EQ(first.failed(), both.failed());
  EXPECT_EQ(first.undecided(), both.undecided());
  EXPECT_EQ(first.histogram().bars(-30, 30, 20), both.histogram().bars(-30, 30, 20));
  for (std::size_t i = 0; i < Tally::kPlaces; ++i)
    EXPECT_EQ(first.worst()[i].time.begin, both.worst()[i].time.begin) << i;
}

TEST(Histograms, PutEachValueIntoItsBar)
{
  Histogram histogram;
  histogram.add(-45.0, 2);
  histogram.add(0.0, 3);
  histogram.add(10.0, 5);
  histogram.add(90.0, 7);
  EXPECT_EQ(histogram.bars(-100.0, 100.0, 4), (std::vector<std::uint64_t>{0, 2, 8, 7}));
  // What lies outside is in the outer bars.
  EXPECT_EQ(histogram.bars(5.0, 50.0, 2), (std::vector<std::uint64_t>{10, 7}));
}

}  // namespace
