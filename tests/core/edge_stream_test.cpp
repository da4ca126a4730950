#include "core/signal/edge_stream.h"

#include <random>

#include "support/waves.h"

using namespace bexto;
using namespace bexto::test;

namespace {

constexpr Picoseconds kStep{10};

std::vector<std::int64_t> drain(EdgeStream& stream)
{
  std::vector<std::int64_t> times;
  for (; stream.next() != kNever.count(); stream.advance())
    times.push_back(stream.next());
  return times;
}

std::vector<std::int64_t> filtered(const EdgeTrack& track, Picoseconds minPulse, Picoseconds from = Picoseconds{0})
{
  EdgeStream stream(track, from, Picoseconds{1000000000}, true, minPulse);
  return drain(stream);
}

}  // namespace

TEST(EdgeStream, HandsOutEveryTransitionOfALongTrack)
{
  std::vector<std::int64_t> times;
  for (std::int64_t i = 1; i <= 150000; ++i)
    times.push_back(i * 3 + (i % 5 == 0 ? 1 : 0));
  EdgeStream stream(trackOf(true, times), Picoseconds{0}, Picoseconds{1000000}, true);
  EXPECT_TRUE(stream.level());
  EXPECT_EQ(drain(stream), times);
}

TEST(EdgeStream, BeginsAtTheFirstTransitionFromAMoment)
{
  EdgeStream stream(trackOf(false, {10, 20, 30, 40}), Picoseconds{30}, Picoseconds{100}, true);
  EXPECT_FALSE(stream.level());
  EXPECT_EQ(drain(stream), (std::vector<std::int64_t>{30, 40}));
}

TEST(EdgeStream, MoreComesBehindWhatIsInHand)
{
  std::mt19937_64 random(3);
  for (const Picoseconds minPulse : {Picoseconds{0}, Picoseconds{20}}) {
    std::vector<std::int64_t> times{100};
    while (times.size() < 20000)
      times.push_back(times.back() + 5 + static_cast<std::int64_t>(random() % 100));
    const EdgeTrack track = trackOf(true, times);
    const std::vector<std::int64_t> expected = filtered(track, minPulse);
    EdgeStream stream(track, Picoseconds{0}, Picoseconds{1000000000}, true, minPulse);
    std::vector<std::int64_t> got;
    std::size_t fetched = 0;
    while (*stream.inHand() != kNever.count()) {
      const std::int64_t* at = stream.inHand();
      const auto inHand = static_cast<std::size_t>(stream.inHandEnd() - at);
      const std::size_t used = random() % (inHand + 1);
      got.insert(got.end(), at, at + used);
      at += used;
      const bool more = stream.fetchBehind(at);
      fetched += more ? 1 : 0;
      // At the track's end, and where all room is taken, there is nothing to fetch.
      EXPECT_TRUE(more || got.size() + inHand - used == expected.size() || used < 64);
      ASSERT_EQ(more, static_cast<std::size_t>(stream.inHandEnd() - stream.inHand()) > inHand - used);
      ASSERT_EQ(stream.level(), got.size() % 2 == 0);
      for (std::ptrdiff_t i = 0; i <= EdgeStream::kReadableBehind; ++i)
        ASSERT_EQ(stream.inHandEnd()[i], kNever.count());
    }
    EXPECT_EQ(got, expected);
    EXPECT_GT(fetched, 20U);
  }
}

TEST(EdgeStream, WhatATrackGrewByComesBehindWhatIsInHand)
{
  EdgeTrackBuilder builder;
  builder.set(0, false);
  builder.toggle(10);
  builder.toggle(20);
  EdgeStream stream(builder.snapshot(), Picoseconds{0}, Picoseconds{30}, false);
  EXPECT_FALSE(stream.fetchBehind(stream.inHand() + 1));
  EXPECT_EQ(stream.next(), 20);
  EXPECT_TRUE(stream.level());
  builder.toggle(40);
  stream.extend(builder.snapshot(), Picoseconds{50}, true);
  EXPECT_TRUE(stream.fetchBehind(stream.inHand()));
  EXPECT_EQ(drain(stream), (std::vector<std::int64_t>{20, 40}));
}

TEST(SpikeFilter, DropsShortPulsesAndKeepsThoseOfExactlyThatLength)
{
  EXPECT_EQ(filtered(wave("___#____##__", kStep), Picoseconds{20}), (std::vector<std::int64_t>{80, 100}));
  EXPECT_EQ(filtered(wave("###_###", kStep), Picoseconds{20}), (std::vector<std::int64_t>{}));
}

TEST(SpikeFilter, ChatterEndsInTheLevelThatStays)
{
  EXPECT_EQ(filtered(wave("___#_#_#####___", kStep), Picoseconds{20}), (std::vector<std::int64_t>{70, 120}));
}

TEST(SpikeFilter, BeginningInsideASpikeDoesNotTurnTheLevelsRound)
{
  // A spike lies across the beginning: only its second edge is behind it.
  EdgeStream stream(wave("____#___####___", kStep), Picoseconds{45}, Picoseconds{1000}, true, Picoseconds{20});
  EXPECT_FALSE(stream.level());
  EXPECT_EQ(drain(stream), (std::vector<std::int64_t>{80, 120}));
}

TEST(SpikeFilter, ALongTrackOfSpikesOnlyIsSilent)
{
  std::vector<std::int64_t> times;
  for (std::int64_t i = 1; i <= 10000; ++i) {
    times.push_back(i * 1000);
    times.push_back(i * 1000 + 5);
  }
  EXPECT_TRUE(filtered(trackOf(false, times), Picoseconds{10}).empty());
}

TEST(SpikeFilter, GivesTheSameInAnySplitOfPieces)
{
  std::mt19937_64 random(11);
  for (int round = 0; round < 300; ++round) {
    std::vector<std::int64_t> times;
    std::int64_t t = 0;
    for (int i = 0; i < 60; ++i)
      times.push_back(t += 1 + static_cast<std::int64_t>(random() % 30));
    const Picoseconds end{t + 50};
    const std::vector<std::int64_t> whole = filtered(trackOf(false, times), Picoseconds{12});
    std::vector<std::int64_t> pieces;
    std::optional<EdgeStream> stream;
    for (Picoseconds until{0}; until < end;) {
      until = std::min(end, until + Picoseconds{static_cast<std::int64_t>(random() % 90)});
      std::vector<std::int64_t> known;
      for (const std::int64_t e : times) {
        if (e <= until.count())
          known.push_back(e);
      }
      if (stream)
        stream->extend(trackOf(false, known), until, until == end);
      else
        stream.emplace(trackOf(false, known), Picoseconds{0}, until, until == end, Picoseconds{12});
      for (const std::int64_t e : drain(*stream))
        pieces.push_back(e);
    }
    ASSERT_EQ(pieces, whole) << "round " << round;
  }
}
