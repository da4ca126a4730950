#include "core/signal/packed_samples.h"

#include <random>

#include "core/format/packed_reader.h"
#include "core/format/packed_writer.h"
#include "support/sessions.h"

using namespace bexto;
using namespace bexto::test;

namespace {

using SampleBytes = std::vector<std::uint8_t>;

/// Samples whose bits change about once in `rest` samples.
SampleBytes randomSamples(std::size_t channels, std::size_t count, unsigned rest, std::uint64_t seed)
{
  std::mt19937_64 random(seed);
  const std::size_t width = bytesPerSample(channels);
  SampleBytes samples(width * count);
  SampleBytes now(width);
  for (std::size_t n = 0; n < count; ++n) {
    if (random() % rest == 0)
      now[random() % width] ^= static_cast<std::uint8_t>(random());
    std::copy(now.begin(), now.end(), samples.begin() + static_cast<std::ptrdiff_t>(n * width));
  }
  return samples;
}

/// Sample by sample, bit by bit.
std::vector<EdgeTrack> plainly(const SampleBytes& samples, std::size_t channels, double rate)
{
  const std::size_t width = bytesPerSample(channels);
  std::vector<EdgeTrackBuilder> builders(channels);
  for (std::size_t n = 0; n < samples.size() / width; ++n) {
    for (std::size_t c = 0; c < channels; ++c)
      builders[c].set(std::llroundl(static_cast<long double>(n) * 1e12L / static_cast<long double>(rate)),
                      (samples[n * width + c / 8] >> c % 8 & 1) != 0);
  }
  std::vector<EdgeTrack> tracks;
  for (const EdgeTrackBuilder& builder : builders)
    tracks.push_back(builder.snapshot());
  return tracks;
}

bool same(const EdgeTrack& a, const EdgeTrack& b)
{
  if (a.size() != b.size() || a.startLevel() != b.startLevel())
    return false;
  for (std::uint64_t i = 0; i < a.size(); ++i) {
    if (a.at(i) != b.at(i))
      return false;
  }
  return true;
}

Result<Capture> read(const std::string& path, std::size_t channels, double rate)
{
  NoProgress progress;
  return readPacked(path, {rate, channels, {}}, {}, progress);
}

}  // namespace

TEST(PackedSamples, EveryWidthAndRateInAnyPiecesIsThePlainWay)
{
  constexpr std::size_t kCount = 1000;
  std::mt19937_64 random(7);
  for (const std::size_t channels : {1U, 7U, 8U, 9U, 16U, 21U, 32U, 40U, 64U, 65U, 130U}) {
    for (const double rate : {1e6, 24e6, 3.3, 1e12 / 7}) {
      for (const unsigned rest : {1U, 30U, 300U}) {
        const SampleBytes samples = randomSamples(channels, kCount, rest, random());
        PackedSamples packed(channels, rate);
        const std::size_t width = bytesPerSample(channels);
        for (std::size_t at = 0; at < samples.size();) {
          const std::size_t piece = std::min(samples.size() - at, (1 + random() % 300) * width);
          packed.take({samples.data() + at, piece});
          at += piece;
        }
        EXPECT_EQ(packed.samples(), static_cast<std::int64_t>(kCount));
        const auto expected = plainly(samples, channels, rate);
        for (std::size_t c = 0; c < channels; ++c)
          ASSERT_TRUE(same(packed.track(c), expected[c])) << channels << " at " << rate << ", " << c;
      }
    }
  }
}

TEST(PackedSamples, MomentsOfARateThatDividesNothingDoNotDrift)
{
  const SampleClock clock(24e6);
  EXPECT_EQ(clock.timeOf(1), 41667);
  EXPECT_EQ(clock.timeOf(3), 125000);
  EXPECT_EQ(clock.timeOf(24000000000), 1000000000000000) << "after a thousand seconds to the picosecond";
  std::mt19937_64 random(1);
  for (const double rate : {24e6, 1e6, 3.3e8, 44100.0, 1e12}) {
    const SampleClock other(rate);
    for (int i = 0; i < 1000; ++i) {
      const auto n = static_cast<std::int64_t>(random() % 1000000000);
      EXPECT_EQ(other.firstFrom(other.timeOf(n)), n);
      EXPECT_EQ(other.firstFrom(other.timeOf(n) + 1), n + 1);
    }
  }
}

TEST(PackedSamples, AFileIsReadAsTheHintsSay)
{
  const Folder folder;
  put(folder / "a.bin", std::string("\x01\x00\x01\x02\x03\x02\xff", 7));
  const auto capture = read(folder / "a.bin", 10, 1e6);
  ASSERT_TRUE(capture) << capture.error().text();
  EXPECT_EQ(capture->channels.size(), 10U);
  EXPECT_EQ(capture->channels[0].name, "D0");
  EXPECT_TRUE(capture->channels[0].track.startLevel());
  EXPECT_EQ(capture->channels[9].track.at(0), Picoseconds{1000000});
  EXPECT_EQ(capture->channels[1].track.at(0), Picoseconds{2000000});
  EXPECT_EQ(capture->end, Picoseconds{2000000}) << "three samples, and half of one";
  EXPECT_EQ(capture->rate, 1e6);
  EXPECT_THAT(capture->notes, testing::ElementsAre(testing::HasSubstr("the last 1 byte is no whole sample")));
}

TEST(PackedSamples, WhatTheHintsLackIsSaidWithTheMend)
{
  const Folder folder;
  put(folder / "a.bin", "abcdef");
  put(folder / "none.bin", "");
  EXPECT_THAT(read(folder / "a.bin", 0, 1e6).error().text(),
              testing::HasSubstr("give --raw-channels N and --raw-rate HZ"));
  EXPECT_EQ(read(folder / "a.bin", 8, 0).error().code, ErrorCode::BadArgument);
  EXPECT_EQ(read(folder / "a.bin", 5000, 1e6).error().code, ErrorCode::BadArgument);
  EXPECT_EQ(read(folder / "a.bin", 8, 1e13).error().code, ErrorCode::BadArgument);
  EXPECT_EQ(read(folder / "a.bin", 8, -1).error().code, ErrorCode::BadArgument);
  EXPECT_EQ(read(folder / "a.bin", 100, 1e6).error().code, ErrorCode::Malformed) << "not one whole sample";
  EXPECT_EQ(read(folder / "none.bin", 8, 1e6).error().code, ErrorCode::Malformed);
  EXPECT_EQ(read(folder / "missing.bin", 8, 1e6).error().code, ErrorCode::Unreadable);
  put(folder / "long.bin", std::string(6000, 'x'));
  EXPECT_THAT(read(folder / "long.bin", 8, 1e-3).error().text(), testing::HasSubstr("53 days"));
  std::stop_source stop;
  stop.request_stop();
  NoProgress progress;
  EXPECT_EQ(readPacked(folder / "a.bin", {1e6, 8, {}}, stop.get_token(), progress).error().code, ErrorCode::Cancelled);
}

TEST(PackedSamples, WrittenAndReadTheTransitionsAreTheSame)
{
  const Folder folder;
  for (const std::size_t channels : {1U, 8U, 21U}) {
    for (const double rate : {1e6, 24e6, 44100.0}) {
      const SampleBytes samples = randomSamples(channels, 10000, 40, channels);
      put(folder / "a.bin", {reinterpret_cast<const char*>(samples.data()), samples.size()});
      const auto capture = read(folder / "a.bin", channels, rate);
      ASSERT_TRUE(capture);
      for (const char* name : {"b.bin", "b.bin.gz"}) {
        ASSERT_TRUE(writePacked(*capture, folder / name, {}));
        const auto back = read(folder / name, channels, rate);
        ASSERT_TRUE(back);
        EXPECT_TRUE(sameTracks(*back, *capture));
        EXPECT_EQ(back->end, capture->end);
      }
      // Bits behind the last channel are nobody's, and written as 0.
      if (channels % 8 == 0) {
        EXPECT_EQ(contentOf(folder / "b.bin"), contentOf(folder / "a.bin"));
      }
    }
  }
}

TEST(PackedSamples, WithoutARateTheOneIsFoundThatShowsAll)
{
  Capture capture = capturedFor(0, 2);
  EdgeTrackBuilder builder;
  builder.set(0, false);
  for (const std::int64_t t : {60, 150, 330})
    builder.toggle(t * 1000);
  capture.channels[0].track = builder.snapshot();
  capture.end = Picoseconds{600000};
  EXPECT_DOUBLE_EQ(exactRate(capture), 1e12 / 30000);
  const Folder folder;
  ASSERT_TRUE(writePacked(capture, folder / "a.bin", {}));
  EXPECT_EQ(contentOf(folder / "a.bin").size(), 21U);
  // At a lower rate a change shows at the next sample, and a pulse between two is lost.
  ASSERT_TRUE(writePacked(capture, folder / "b.bin", {1e7}));
  EXPECT_EQ(contentOf(folder / "b.bin"), std::string("\x00\x01\x00\x00\x01\x01\x01", 7));
}

TEST(PackedSamples, WhatWouldFillTheDiskIsNotWrittenUnasked)
{
  const Folder folder;
  Capture capture = capturedFor(100, 1);
  capture.end = Picoseconds{3600} * 1000000000000;
  const auto written = writePacked(capture, folder / "a.bin", {});
  ASSERT_FALSE(written);
  EXPECT_THAT(written.error().text(), testing::HasSubstr("give a lower rate with --raw-rate HZ"));
  EXPECT_EQ(folder.files(), 0U);
  EXPECT_TRUE(writePacked(capture, folder / "a.bin", {1000}));
  EXPECT_EQ(contentOf(folder / "a.bin").size(), 3600001U);
}
