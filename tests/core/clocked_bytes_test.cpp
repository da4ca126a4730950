// Bytes read eight samples at a time are those that one sample after the other gives, on every kind of processor.
#include "core/decode/clocked_bytes.h"

#include <gtest/gtest.h>

#include <random>
#include <string>
#include <vector>

#include "support/each_processor.h"
#include "support/waves.h"

using namespace bexto;
using namespace bexto::test;

namespace {

class ClockedBytesOf : public EachProcessor {};
BEXTO_EACH_PROCESSOR_WITH_VECTORS(ClockedBytesOf);

class NoClockedBytes : public EachProcessor {};
INSTANTIATE_TEST_SUITE_P(Processors, NoClockedBytes, testing::Values(HWY_SCALAR));

/// Behind the last transition nothing comes, and eight can be read from each on.
std::vector<std::int64_t> withRest(std::vector<std::int64_t> times)
{
  times.insert(times.end(), EdgeStream::kReadableBehind, kNever.count());
  return times;
}

ClockedLine lineOf(const std::vector<std::int64_t>& times, bool level)
{
  ClockedLine line;
  line.at = times.data();
  line.end = times.data() + times.size() - EdgeStream::kReadableBehind;
  line.level = level;
  return line;
}

/// A clock that beats every `period` from `now` on, and pauses between bytes at times.
std::vector<std::int64_t> clock(std::size_t bytes, std::size_t edgesAByte, std::int64_t now, std::int64_t period,
                                std::mt19937_64& random)
{
  std::vector<std::int64_t> edges;
  for (std::size_t i = 0; i < bytes; ++i) {
    for (std::size_t e = 0; e < edgesAByte; ++e)
      edges.push_back(now += period + static_cast<std::int64_t>(random() % 5) - 2);
    if (random() % 4 == 0)
      now += static_cast<std::int64_t>(random() % 100'000'000);
  }
  return edges;
}

/// A line that moves at most once between two samples: with the sample, at times exactly at it, or not at all.
std::vector<std::int64_t> line(const std::vector<std::int64_t>& edges, std::int64_t period, std::mt19937_64& random)
{
  std::vector<std::int64_t> times;
  for (std::size_t i = 0; i < edges.size(); i += 2) {
    if (random() % 2 == 0)
      times.push_back(edges[i] - static_cast<std::int64_t>(random() % static_cast<std::uint64_t>(period - 2)));
  }
  // One more far behind: it tells that the line rests until then.
  times.push_back(edges.back() + 10'000'000'000'000);
  return times;
}

/// The level before a moment, or at it.
bool levelAt(const std::vector<std::int64_t>& times, bool level, std::int64_t t, bool orAt)
{
  for (const std::int64_t time : times)
    level = level != (orAt ? time <= t : time < t);
  return level;
}

std::uint8_t byteOf(const std::vector<std::int64_t>& times, bool level, const std::int64_t* edges, bool orAt)
{
  unsigned byte = 0;
  for (std::size_t i = 0; i < 16; i += 2)
    byte = byte << 1U | (levelAt(times, level, edges[i], orAt) ? 1U : 0U);
  return static_cast<std::uint8_t>(byte);
}

}  // namespace

TEST_P(ClockedBytesOf, AreThoseOfEachSample)
{
  std::mt19937_64 random(7);
  for (const std::int64_t period : {std::int64_t{5}, std::int64_t{62'500}, std::int64_t{110'000'000}}) {
    for (int round = 0; round < 40; ++round) {
      const std::size_t bytes = 1 + random() % kMostClockedBytes;
      const std::vector<std::int64_t> edges =
          withRest(clock(bytes, 16, static_cast<std::int64_t>(random() % 1000) + period, period, random));
      const std::vector<std::int64_t> known(edges.begin(), edges.end() - EdgeStream::kReadableBehind);
      const std::size_t count = 1 + random() % 2;
      std::array<std::vector<std::int64_t>, 2> times;
      std::array<ClockedLine, 2> lines;
      for (std::size_t k = 0; k < count; ++k) {
        times[k] = withRest(line(known, period, random));
        lines[k] = lineOf(times[k], random() % 2 == 0);
      }
      const std::array<ClockedLine, 2> before = lines;
      std::array<ClockedBytes, 2> out;
      ASSERT_EQ(readClockedBytes(edges.data(), bytes, lines.data(), count, out.data()), bytes);
      for (std::size_t k = 0; k < count; ++k) {
        for (std::size_t i = 0; i < bytes; ++i)
          ASSERT_EQ(out[k][i], byteOf(times[k], before[k].level, edges.data() + 16 * i, false)) << period << ' ' << i;
        const std::int64_t last = edges[16 * bytes - 2];
        EXPECT_GE(lines[k].at[0], last);
        EXPECT_TRUE(lines[k].at == times[k].data() || lines[k].at[-1] < last);
        EXPECT_EQ(lines[k].level, levelAt(times[k], before[k].level, last, false));
      }
    }
  }
}

TEST_P(ClockedBytesOf, EndBeforeMoreThanEightTransitionsAndWhereTheLineIsNotKnown)
{
  std::mt19937_64 random(8);
  const std::vector<std::int64_t> edges = withRest(clock(3, 16, 1000, 1000, random));
  // In the second byte; the first one and the third have none.
  for (std::size_t moves = 0; moves < 12; ++moves) {
    std::vector<std::int64_t> times;
    for (std::size_t i = 0; i < moves; ++i)
      times.push_back(edges[20] + static_cast<std::int64_t>(i));
    for (const bool known : {false, true}) {
      std::vector<std::int64_t> all = times;
      if (known)
        all.push_back(edges[47] + 1);
      const std::vector<std::int64_t> rested = withRest(all);
      ClockedLine one = lineOf(rested, false);
      ClockedBytes out;
      const std::size_t whole = readClockedBytes(edges.data(), 3, &one, 1, &out);
      // Where nothing at all is in hand the first byte is not known either.
      const std::size_t expected = moves > 8 ? 1 : known ? 3 : moves == 0 ? 0 : 1;
      EXPECT_EQ(whole, expected) << moves << ' ' << known;
      EXPECT_EQ(one.at - rested.data(), expected == 3 ? static_cast<std::ptrdiff_t>(moves) : 0);
    }
  }
}

TEST_P(ClockedBytesOf, OfALineThatRestsAreAllAlike)
{
  std::mt19937_64 random(9);
  const std::vector<std::int64_t> edges = withRest(clock(5, 16, 1000, 1000, random));
  EdgeStream stream(trackOf(true, {}), Picoseconds{0}, Picoseconds{edges[79] + 1}, true);
  const EdgeWalk walk(stream);
  ASSERT_EQ(walk.inHand(), 0U);
  ClockedLine one(walk);
  ClockedBytes out;
  ASSERT_EQ(readClockedBytes(edges.data(), 5, &one, 1, &out), 5U);
  for (std::size_t i = 0; i < 5; ++i)
    EXPECT_EQ(out[i], 0xff);
  EXPECT_EQ(one.at, walk.at());
}

TEST_P(ClockedBytesOf, EndBeforeAByteOfTwoMilliseconds)
{
  constexpr std::int64_t kMost = 0x7fffffff;
  for (const std::int64_t length : {kMost - 1, kMost, kMost + 1, 2 * kMost + 5, 3 * kMost}) {
    // The line moves once, before the last sample of the second byte.
    std::vector<std::int64_t> edges;
    for (std::int64_t e = 0; e < 32; ++e)
      edges.push_back(1000 + e * 10);
    edges[30] = edges[14] + length;
    edges[31] = edges[30] + 10;
    edges = withRest(edges);
    const std::vector<std::int64_t> times = withRest({edges[30] - 1, edges[31] + 1});
    ClockedLine one = lineOf(times, false);
    ClockedBytes out;
    ASSERT_EQ(readClockedBytes(edges.data(), 2, &one, 1, &out), length < kMost ? 2U : 1U) << length;
    EXPECT_EQ(out[0], 0);
    if (length < kMost) {
      EXPECT_EQ(out[1], 1);
    }
  }
}

TEST_P(ClockedBytesOf, WithAcknowledgesAreThoseOfEachSample)
{
  std::mt19937_64 random(10);
  std::size_t nacks = 0;
  for (const std::int64_t period : {std::int64_t{9}, std::int64_t{1'250'000}, std::int64_t{100'000'000}}) {
    for (int round = 0; round < 40; ++round) {
      const std::size_t bytes = 1 + random() % kMostClockedBytes;
      const std::vector<std::int64_t> edges = withRest(clock(bytes, 18, 1000 + period, period, random));
      // In the low before each rise, from the fall itself to the rise itself.
      std::vector<std::int64_t> moves;
      for (std::size_t i = 0; i < 18 * bytes; i += 2) {
        const std::int64_t low = i == 0 ? period - 5 : edges[i] - edges[i - 1];
        const std::uint64_t kind = random() % 8;
        const std::int64_t ahead = kind == 0   ? 0
                                   : kind == 1 ? low
                                               : static_cast<std::int64_t>(random() % static_cast<std::uint64_t>(low));
        const std::int64_t at = edges[i] - ahead;
        if (random() % 2 == 0 && (moves.empty() || at > moves.back()))
          moves.push_back(at);
      }
      moves.push_back(edges[18 * bytes - 1] + 1);
      const std::vector<std::int64_t> times = withRest(moves);
      // A byte with nine and more is left to others.
      ClockedLine one = lineOf(times, random() % 2 == 0);
      const bool level = one.level;
      ClockedBytes out;
      ClockedBytes acks;
      const std::size_t whole = readAcknowledgedBytes(edges.data(), bytes, one, out, acks);
      const auto used = one.at - times.data();
      for (std::size_t i = 0; i < whole; ++i) {
        const std::int64_t* const of = edges.data() + 18 * i;
        ASSERT_EQ(out[i], byteOf(times, level, of, true)) << period << ' ' << i;
        ASSERT_EQ(acks[i], levelAt(times, level, of[16], true) ? 1 : 0) << period << ' ' << i;
        nacks += acks[i];
      }
      if (whole > 0) {
        const std::int64_t end = edges[18 * whole - 1];
        EXPECT_GT(times[static_cast<std::size_t>(used)], end);
        EXPECT_TRUE(used == 0 || one.at[-1] <= end);
        EXPECT_EQ(one.level, levelAt(times, level, end, true));
      }
      if (whole < bytes) {
        std::size_t many = 0;
        for (std::size_t i = static_cast<std::size_t>(used); times[i] <= edges[18 * whole + 17]; ++i)
          ++many;
        EXPECT_GT(many, 8U) << "byte " << whole << " of " << bytes;
      }
    }
  }
  EXPECT_GT(nacks, 500U);
}

TEST_P(ClockedBytesOf, WithAcknowledgesEndBeforeOneInWhichTheLineDoesNotRest)
{
  // Three bytes; what happens, happens in the second.
  std::vector<std::int64_t> edges;
  for (std::int64_t e = 0; e < 54; ++e)
    edges.push_back(1000 + e * 100);
  const std::int64_t after = edges.back() + 1;
  edges = withRest(edges);
  const auto read = [&](std::vector<std::int64_t> times) {
    times.push_back(after);
    times = withRest(times);
    ClockedLine one = lineOf(times, false);
    ClockedBytes out;
    ClockedBytes acks;
    return readAcknowledgedBytes(edges.data(), 3, one, out, acks);
  };
  EXPECT_EQ(read({}), 3U);
  for (std::size_t bit = 0; bit < 9; ++bit) {
    const std::int64_t rise = edges[18 + 2 * bit];
    const std::int64_t fall = rise + 100;
    EXPECT_EQ(read({rise - 99}), 3U) << bit;
    EXPECT_EQ(read({rise}), 3U) << bit;
    EXPECT_EQ(read({rise + 1}), 1U) << bit;
    EXPECT_EQ(read({rise + 1, rise + 2}), 1U) << bit;
    EXPECT_EQ(read({fall - 1}), 1U) << bit;
    EXPECT_EQ(read({fall - 2, fall - 1}), 1U) << bit;
    EXPECT_EQ(read({fall}), 3U) << bit;
    EXPECT_EQ(read({rise, fall}), 3U) << bit;
  }
}

TEST_P(NoClockedBytes, AreReadWithoutVectors)
{
  std::mt19937_64 random(11);
  const std::vector<std::int64_t> edges = withRest(clock(2, 18, 1000, 1000, random));
  const std::vector<std::int64_t> times = withRest({edges.front() - 1, edges[35] + 1});
  ClockedLine one = lineOf(times, false);
  ClockedBytes out;
  ClockedBytes acks;
  EXPECT_EQ(readClockedBytes(edges.data(), 2, &one, 1, &out), 0U);
  EXPECT_EQ(readAcknowledgedBytes(edges.data(), 2, one, out, acks), 0U);
  EXPECT_EQ(one.at, times.data());
  EXPECT_FALSE(one.level);
}
