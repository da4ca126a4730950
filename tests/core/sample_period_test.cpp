#include "core/check/sample_period.h"

#include <gtest/gtest.h>

#include <cmath>
#include <random>

#include "support/checks.h"

using namespace bexto;
using namespace bexto::test;

namespace {

/// Transitions at random samples of that period, written in ticks.
Capture sampled(double period, std::int64_t tick, std::uint64_t seed, int edges = 4000)
{
  std::mt19937_64 random(seed);
  std::vector<std::pair<std::string, EdgeTrack>> wires;
  Picoseconds end{0};
  for (const char* const name : {"a", "b"}) {
    std::vector<std::int64_t> times;
    std::int64_t sample = 3;
    for (int i = 0; i < edges; ++i) {
      sample += 1 + static_cast<std::int64_t>(random() % (i % 50 == 0 ? 40'000 : 30));
      const double at = static_cast<double>(sample) * period / static_cast<double>(tick);
      times.push_back(std::llround(at) * tick);
    }
    times.erase(std::unique(times.begin(), times.end()), times.end());
    end = std::max(end, Picoseconds{times.back() + 1000});
    wires.emplace_back(name, trackOf(false, times));
  }
  Capture capture = captureOf(wires, end);
  capture.tick = Picoseconds{tick};
  return capture;
}

TEST(SamplePeriods, WholeTicksAreTheirDivisor)
{
  const SamplePeriod period = samplePeriodOf(sampled(10'000.0, 1000, 1));
  EXPECT_EQ(period.from, SamplePeriod::From::Found);
  EXPECT_EQ(period.picoseconds, 10'000.0);
}

TEST(SamplePeriods, FractionsOfTicksAreFound)
{
  for (const double wanted : {41'666.666'667, 62'500.0, 8'333.333'333, 33'333.333'333}) {
    for (const std::uint64_t seed : {1U, 2U, 3U}) {
      const SamplePeriod period = samplePeriodOf(sampled(wanted, 1000, seed));
      EXPECT_EQ(period.from, SamplePeriod::From::Found) << wanted;
      EXPECT_NEAR(period.picoseconds, wanted, 0.05) << wanted;
    }
  }
}

TEST(SamplePeriods, EdgesWithoutARasterAreExact)
{
  std::mt19937_64 random(5);
  std::vector<std::int64_t> times;
  std::int64_t at = 0;
  for (int i = 0; i < 3000; ++i)
    times.push_back(at += 1000 * (20 + static_cast<std::int64_t>(random() % 977)));
  Capture capture = captureOf({{"a", trackOf(false, times)}}, Picoseconds{at});
  capture.tick = Picoseconds{1000};
  const SamplePeriod period = samplePeriodOf(capture);
  EXPECT_EQ(period.from, SamplePeriod::From::Exact);
  EXPECT_EQ(period.picoseconds, 0.0);
}

TEST(SamplePeriods, WhatIsSaidGoesFirst)
{
  Capture capture = sampled(10'000.0, 1000, 1);
  EXPECT_EQ(samplePeriodOf(capture, 25'000.0).picoseconds, 25'000.0);
  EXPECT_EQ(samplePeriodOf(capture, 25'000.0).from, SamplePeriod::From::Given);
  capture.rate = 24e6;
  EXPECT_EQ(samplePeriodOf(capture).from, SamplePeriod::From::File);
  EXPECT_NEAR(samplePeriodOf(capture).picoseconds, 41'666.666'667, 1e-3);
  EXPECT_EQ(samplePeriodOf(Capture()).from, SamplePeriod::From::Exact);
}

}  // namespace
