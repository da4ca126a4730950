#include "core/signal/sample_recording.h"

#include <random>

#include "support/waves.h"

using namespace bexto;
using namespace bexto::test;
using namespace std::chrono_literals;

namespace {

constexpr std::size_t kInputs = 16;
using RecordedSamples = std::vector<std::uint16_t>;

RecordedSamples randomSamples(std::size_t count, std::uint64_t seed)
{
  std::mt19937_64 random(seed);
  RecordedSamples samples(count);
  std::uint16_t now = 0;
  for (std::uint16_t& sample : samples) {
    if (random() % 5 == 0)
      now = static_cast<std::uint16_t>(now ^ 1U << random() % kInputs);
    sample = now;
  }
  return samples;
}

std::vector<std::uint8_t> packed(const RecordedSamples& samples, std::size_t first, std::size_t count)
{
  std::vector<std::uint8_t> bytes;
  for (std::size_t i = first; i < first + count; ++i) {
    bytes.push_back(static_cast<std::uint8_t>(samples[i] & 0xffU));
    bytes.push_back(static_cast<std::uint8_t>(samples[i] >> 8U));
  }
  return bytes;
}

std::vector<std::uint8_t> runs(const RecordedSamples& samples, std::size_t first, std::size_t count)
{
  std::vector<std::uint8_t> bytes;
  for (std::size_t i = first; i < first + count;) {
    std::size_t end = i;
    while (end < first + count && samples[end] == samples[i] && end - i < 65536)
      ++end;
    const std::size_t repeats = end - i - 1;
    bytes.push_back(static_cast<std::uint8_t>(samples[i] & 0xffU));
    bytes.push_back(static_cast<std::uint8_t>(samples[i] >> 8U));
    bytes.push_back(static_cast<std::uint8_t>(repeats & 0xffU));
    bytes.push_back(static_cast<std::uint8_t>(repeats >> 8U));
    i = end;
  }
  return bytes;
}

SampleRecording recording(double rate = 1e6)
{
  std::vector<SampleRecording::Line> lines;
  for (std::size_t i = 0; i < kInputs; ++i)
    lines.push_back({i, "D" + std::to_string(i)});
  return {"instrument", lines, kInputs, rate};
}

void give(SampleRecording& to, const RecordedSamples& samples, std::size_t first, std::size_t count, bool asRuns,
          std::int64_t until = kNever.count())
{
  const std::vector<std::uint8_t> bytes = asRuns ? runs(samples, first, count) : packed(samples, first, count);
  const auto taken =
      to.take({static_cast<std::int64_t>(first), static_cast<std::int64_t>(count), asRuns, bytes}, until);
  ASSERT_TRUE(taken) << taken.error().text();
}

/// What the capture of all of them must be: level by level.
void expectSamples(const Capture& capture, const RecordedSamples& samples, std::size_t first, std::size_t end,
                   double rate)
{
  const SampleClock clock(rate);
  ASSERT_EQ(capture.channels.size(), kInputs);
  ASSERT_EQ(capture.end.count(), clock.timeOf(static_cast<std::int64_t>(end - first) - 1));
  for (std::size_t input = 0; input < kInputs; ++input) {
    std::uint64_t changes = 0;
    for (std::size_t i = first; i < end; ++i) {
      const bool level = (samples[i] >> input & 1U) != 0;
      ASSERT_EQ(capture.channels[input].track.levelAt(Picoseconds{clock.timeOf(static_cast<std::int64_t>(i - first))}),
                level)
          << "input " << input << ", sample " << i;
      changes += i > first && level != ((samples[i - 1] >> input & 1U) != 0) ? 1U : 0U;
    }
    ASSERT_EQ(capture.channels[input].track.size(), changes);
  }
}

}  // namespace

TEST(SampleRecording, BlocksOfAnySizePackedOrAsRunsAreTheSameSamples)
{
  std::mt19937_64 random(7);
  for (const double rate : {1e6, 24e6}) {
    for (int round = 0; round < 20; ++round) {
      const RecordedSamples samples = randomSamples(2000, random());
      SampleRecording to = recording(rate);
      for (std::size_t at = 0; at < samples.size();) {
        const std::size_t count = std::min<std::size_t>(samples.size() - at, 1 + random() % 300);
        give(to, samples, at, count, random() % 2 == 0);
        at += count;
      }
      EXPECT_TRUE(to.gaps().empty());
      expectSamples(*to.capture(), samples, 0, samples.size(), rate);
    }
  }
}

TEST(SampleRecording, TakesNothingTwiceAndNothingBehindItsEnd)
{
  const RecordedSamples samples = randomSamples(1000, 3);
  for (const bool asRuns : {false, true}) {
    for (const std::size_t until : {1U, 2U, 499U, 500U, 501U, 777U, 1000U}) {
      SampleRecording to = recording();
      give(to, samples, 0, 500, asRuns, static_cast<std::int64_t>(until));
      give(to, samples, 300, 400, asRuns, static_cast<std::int64_t>(until));
      give(to, samples, 0, 500, asRuns, static_cast<std::int64_t>(until));
      give(to, samples, 600, 400, asRuns, static_cast<std::int64_t>(until));
      expectSamples(*to.capture(), samples, 0, until, 1e6);
      EXPECT_TRUE(to.gaps().empty());
    }
  }
}

TEST(SampleRecording, LostSamplesAreAGapAndNoShift)
{
  const RecordedSamples samples = randomSamples(3000, 9);
  SampleRecording to = recording();
  give(to, samples, 100, 900, false);
  give(to, samples, 1500, 1500, true);
  const auto capture = to.capture();
  ASSERT_EQ(capture->gaps.size(), 1U);
  EXPECT_EQ(capture->gaps[0].begin, Picoseconds(899us)) << "the last one that is known";
  EXPECT_EQ(capture->gaps[0].end, Picoseconds(1400us)) << "the first that is known again";
  EXPECT_EQ(capture->end, Picoseconds(2899us));
  for (std::size_t input = 0; input < kInputs; ++input) {
    const EdgeTrack& track = capture->channels[input].track;
    EXPECT_EQ(track.countIn({capture->gaps[0].begin + 1us, capture->gaps[0].end}), 0U);
    EXPECT_EQ(track.levelAt(1400us), (samples[1500] >> input & 1U) != 0);
    EXPECT_EQ(track.levelAt(2899us), (samples[2999] >> input & 1U) != 0);
  }
}

TEST(SampleRecording, TheEndCanBeLostToo)
{
  const RecordedSamples samples = randomSamples(1000, 4);
  SampleRecording to = recording();
  give(to, samples, 0, 300, false, 500);
  give(to, samples, 600, 400, true, 500);
  EXPECT_EQ(to.next(), 500);
  EXPECT_EQ(to.gaps(), (std::vector<TimeRange>{{Picoseconds(299us), Picoseconds(499us)}}));
  EXPECT_EQ(to.capture()->end, Picoseconds(499us));
}

TEST(SampleRecording, APartIsWhatItsSamplesAloneWouldBeAndGoesOn)
{
  const RecordedSamples samples = randomSamples(1500, 11);
  for (const double rate : {1e6, 24e6}) {
    SampleRecording all = recording(rate);
    give(all, samples, 0, 1000, false);
    for (const auto& [begin, end] : {std::pair(0, 1000), std::pair(1, 2), std::pair(400, 900), std::pair(999, 1000)}) {
      SampleRecording part = all.part(begin, end);
      EXPECT_EQ(part.first(), begin);
      expectSamples(*part.capture(), samples, static_cast<std::size_t>(begin), static_cast<std::size_t>(end), rate);
    }
    SampleRecording later = all.part(700, 1000);
    give(later, samples, 1000, 500, true);
    expectSamples(*later.capture(), samples, 700, 1500, rate);
    EXPECT_EQ(later.sampleAt(later.timeOf(1234)), 1234);
  }
  // A gap that a part begins or ends in is the rest of it there.
  SampleRecording broken = recording();
  give(broken, samples, 0, 100, false);
  give(broken, samples, 300, 100, false);
  EXPECT_EQ(broken.part(200, 350).gaps(), (std::vector<TimeRange>{{Picoseconds{0}, Picoseconds(100us)}}));
  EXPECT_TRUE(broken.part(300, 400).gaps().empty());
  broken.setTrigger(Picoseconds(50us));
  EXPECT_EQ(broken.capture()->trigger, Picoseconds(50us));
  EXPECT_EQ(broken.part(300, 400).capture()->trigger, std::nullopt);
}

TEST(SampleRecording, RefusesWhatIsNoBlock)
{
  const std::vector<std::uint8_t> bytes(64);
  SampleRecording to = recording();
  const auto refused = [&](std::int64_t first, std::int64_t count, bool asRuns, std::size_t size) {
    return !to.take({first, count, asRuns, std::span(bytes).first(size)}) && to.isEmpty();
  };
  EXPECT_TRUE(refused(0, 33, false, 64)) << "fewer than announced";
  EXPECT_TRUE(refused(0, 31, false, 64));
  EXPECT_TRUE(refused(0, 31, false, 63)) << "half a sample";
  EXPECT_TRUE(refused(0, 15, true, 62)) << "half a run";
  EXPECT_TRUE(refused(-1, 32, false, 64));
  EXPECT_TRUE(refused(std::numeric_limits<std::int64_t>::max() - 3, 32, false, 64));
  EXPECT_TRUE(to.take({5, 32, false, bytes}));
  EXPECT_FALSE(to.take({std::int64_t{1} << 62U, 32, false, bytes})) << "a gap of months";
  EXPECT_EQ(to.next(), 37);
}

TEST(SampleRecording, WhatTheInstrumentDroveIsASpanOnEachOfItsChannels)
{
  const RecordedSamples samples = randomSamples(3000, 5);
  SampleRecording to = recording();
  const auto take = [&](std::int64_t first, std::vector<SentSamples> sent) {
    const auto bytes = packed(samples, static_cast<std::size_t>(first), 1000);
    ASSERT_TRUE(to.take({first, 1000, false, bytes, std::move(sent)}));
  };
  take(0, {{100, 50, 3}});
  take(1000, {{1200, 2000, 1U << 5U}, {1100, 10, 1}, {-5, 10, 1}, {1300, -1, 1}});
  take(1000, {{1200, 2000, 1U << 5U}});  // comes twice
  take(2000, {});
  const auto capture = to.capture();
  EXPECT_EQ(capture->sent, (std::vector<SentSpan>{{{100us, 150us}, 0}, {{100us, 150us}, 1}, {{1200us, 3200us}, 5}}));
  const auto part = to.part(1150, 2500).capture();
  EXPECT_EQ(part->sent, (std::vector<SentSpan>{{{50us, 2050us}, 5}}));
  EXPECT_EQ(to.part(1200, 2500).capture()->sent, (std::vector<SentSpan>{{{0us, 2000us}, 5}})) << "its first sample too";
  EXPECT_TRUE(to.part(200, 1200).capture()->sent.empty());
}
