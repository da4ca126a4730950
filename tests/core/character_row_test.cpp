// Characters read in rows are those that a look at the middle of each bit gives, on every kind of processor.
#include "core/decode/character_row.h"

#include <gtest/gtest.h>

#include <cmath>
#include <random>
#include <vector>

#include "core/base/time.h"
#include "support/each_processor.h"

using namespace bexto;
using namespace bexto::test;

namespace {

class CharacterRows : public EachProcessor {};
BEXTO_EACH_PROCESSOR_WITH_VECTORS(CharacterRows);

class NoCharacterRows : public EachProcessor {};
INSTANTIATE_TEST_SUITE_P(Processors, NoCharacterRows, testing::Values(HWY_SCALAR));

/// Characters of so many bits up to a stop bit.
struct Wire {
  double bit = 0.0;  ///< ps
  int bitsToStop = 9;
  std::vector<std::int64_t> edges{};
  std::vector<std::int64_t> starts{};
  std::vector<std::uint32_t> sent{};
  double now = 1000.0;
  bool level = true;

  CharacterShape shape() const
  {
    return {1.0 / bit, bitsToStop, std::llround((bitsToStop + 0.5) * bit), std::llround((bitsToStop + 0.625) * bit)};
  }
  void hold(bool to, double bits)
  {
    if (to != level)
      edges.push_back(std::llround(now));
    level = to;
    now += bits * bit;
  }
  /// Bit 0 is the start bit. Each edge is `early` bits before its place, but for the start edge.
  void send(std::uint32_t bits, double early = 0.0)
  {
    starts.push_back(std::llround(now));
    sent.push_back(bits);
    hold(false, 1.0 - early);
    for (int i = 1; i <= bitsToStop; ++i)
      hold((bits >> static_cast<unsigned>(i) & 1U) != 0, 1.0);
    now += early * bit;
  }
  std::uint32_t randomBits(std::mt19937_64& random) const
  {
    const std::uint32_t stop = 1U << static_cast<unsigned>(bitsToStop);
    return (static_cast<std::uint32_t>(random()) & (stop - 1U) & ~1U) | stop;
  }
  /// The wire rests, and then there are enough edges of nobody's that the last character is whole in hand.
  void end()
  {
    for (int i = 0; i < 16; ++i)
      hold(!level, 100.0);
    edges.insert(edges.end(), 16, kNever.count());
  }
  const std::int64_t* inHandEnd() const { return edges.data() + edges.size() - 16; }
  std::size_t read(CharacterRow& row) const { return CharacterRowReader(shape()).read(edges.data(), inHandEnd(), row); }
};

}  // namespace

TEST_P(CharacterRows, AreWhatWasSent)
{
  std::mt19937_64 random(3);
  // From a rate of which a distance has 17 bits to one of which it has 41.
  for (const double baud : {1e8, 115200.0, 9600.0, 300.0, 5.0}) {
    for (const int bitsToStop : {6, 8, 9, 10, 11}) {
      for (const double early : {0.0, 0.2, -0.2}) {
        Wire wire{1e12 / baud, bitsToStop};
        for (std::size_t i = 0; i < CharacterRow::kMost; ++i) {
          wire.send(wire.randomBits(random), early);
          if (random() % 3 == 0)
            wire.hold(true, static_cast<double>(random() % 3000) / 100.0);
        }
        wire.hold(true, 1.0);
        const std::int64_t behind = std::llround(wire.now);
        wire.end();
        CharacterRow row;
        ASSERT_EQ(wire.read(row), CharacterRow::kMost) << baud << ' ' << bitsToStop;
        for (std::size_t i = 0; i < CharacterRow::kMost; ++i) {
          ASSERT_EQ(*row.starts[i], wire.starts[i]) << baud << ' ' << bitsToStop << ' ' << i;
          ASSERT_EQ(row.bits[i] & ((2U << static_cast<unsigned>(bitsToStop)) - 1U), wire.sent[i])
              << baud << ' ' << bitsToStop << ' ' << i;
        }
        EXPECT_EQ(*row.starts[CharacterRow::kMost], behind);
      }
    }
  }
}

TEST_P(CharacterRows, OfAllPatternsAreWhatWasSent)
{
  for (std::uint32_t first = 0; first < 512; first += 32) {
    Wire wire{8'680'556.0, 10};
    for (std::uint32_t i = first; i < first + 32; ++i)
      wire.send(1U << 10U | i << 1U);
    wire.end();
    CharacterRow row;
    ASSERT_EQ(wire.read(row), 32U);
    for (std::size_t i = 0; i < 32; ++i)
      EXPECT_EQ(row.bits[i] & 0x7ffU, wire.sent[i]);
  }
}

TEST_P(CharacterRows, GoOnBehindAStopBitThatIsLow)
{
  std::mt19937_64 random(4);
  Wire wire{1'000'000.0};
  for (int i = 0; i < 20; ++i) {
    const bool isLow = i % 3 == 1;
    std::uint32_t bits = wire.randomBits(random) | 0x10U;
    if (isLow)
      bits &= 0x1ffU;
    wire.send(bits);
    // A rise behind the character, and a fall that begins the next one.
    if (isLow)
      wire.hold(true, 2.0);
  }
  wire.end();
  CharacterRow row;
  ASSERT_EQ(wire.read(row), 20U);
  for (std::size_t i = 0; i < 20; ++i) {
    EXPECT_EQ(*row.starts[i], wire.starts[i]);
    EXPECT_EQ(row.bits[i] & 0x3ffU, wire.sent[i]) << i;
  }
}

TEST_P(CharacterRows, EndBeforeOneThatNeedsACloserLook)
{
  // What is done to the bad one; all edges are at begins of bits but that one.
  struct Case {
    const char* what;
    double edge;  ///< bits from the start edge
    bool isBad;
  };
  // 0x0f: a rise at bit 1, a fall at bit 5, a rise at the stop bit. The fall is moved.
  for (const auto& [what, edge, isBad] :
       {Case{"in place", 5.0, false}, Case{"a bit later", 6.0, false}, Case{"a quarter late", 5.24, false},
        Case{"a quarter early", 4.76, false}, Case{"at the first look", 5.38, true}, Case{"in the middle", 5.5, true},
        Case{"at the last look", 5.62, true}, Case{"at one before", 4.5, true}}) {
    for (std::size_t at = 0; at < 9; ++at) {
      Wire wire{8'680'556.0};
      for (std::size_t i = 0; i < 9; ++i) {
        const double begin = wire.now;
        wire.starts.push_back(std::llround(begin));
        wire.hold(false, 1.0);
        wire.hold(true, i == at ? edge - 1.0 : 4.0);
        wire.hold(false, i == at ? 9.0 - edge : 4.0);
        wire.hold(true, 1.0);
      }
      wire.end();
      CharacterRow row;
      const std::size_t count = wire.read(row);
      EXPECT_EQ(count, isBad ? at : 9U) << what << ' ' << at;
      EXPECT_EQ(*row.starts[count], isBad ? wire.starts[at] : *row.starts[count]) << what;
      for (std::size_t i = 0; i < count; ++i)
        EXPECT_EQ(row.bits[i] & 0x3ffU, i == at && edge > 5.5 ? 0x23eU : 0x21eU) << what << ' ' << i;
    }
  }
}

TEST_P(CharacterRows, EndBeforeOneWithoutAnEdgeOrWithTooMany)
{
  const auto countOf = [](const std::vector<double>& edges) {
    // Two that are well, one with these edges, in bits from its start, and two that are well.
    Wire wire{1'000'000.0};
    wire.send(0x21e);
    wire.send(0x21e);
    const double begin = wire.now;
    wire.hold(false, 0.0);
    for (const double edge : edges) {
      wire.now = begin + edge * wire.bit;
      wire.hold(!wire.level, 0.0);
    }
    wire.now = begin + 20.0 * wire.bit;
    if (!wire.level)
      wire.hold(true, 2.0);
    wire.send(0x21e);
    wire.send(0x21e);
    wire.end();
    CharacterRow row;
    return wire.read(row);
  };
  EXPECT_EQ(countOf({9.0}), 5U);
  EXPECT_EQ(countOf({}), 2U) << "it may be a break";
  EXPECT_EQ(countOf({0.3}), 2U) << "no start bit";
  EXPECT_EQ(countOf({0.3, 0.4, 9.0}), 2U) << "a spike in the start bit";
  EXPECT_EQ(countOf({0.8, 2.0, 9.0}), 5U);
  EXPECT_EQ(countOf({4.0, 5.0, 9.4}), 2U) << "its stop bit is looked at meanwhile";
  EXPECT_EQ(countOf({4.0, 5.0, 9.0, 9.55, 9.6}), 2U) << "and begins the next one meanwhile";
  EXPECT_EQ(countOf({1, 2, 3, 4, 5, 6, 7, 8, 9}), 5U);
  EXPECT_EQ(countOf({1, 2, 3, 4, 5, 5.01, 5.02, 6, 7, 8, 9}), 2U) << "eleven edges";
  EXPECT_EQ(countOf({0.9, 1.0, 1.1, 2.0, 3.0, 3.9, 4.0, 4.1, 5.0}), 5U);
  EXPECT_EQ(countOf({0.9, 1.0, 1.1, 2.0, 3.0, 3.9, 4.0, 4.1, 5.5}), 2U) << "the ninth is at a look";
}

TEST_P(CharacterRows, EndWhereWhatIsInHandEnds)
{
  Wire wire{1'000'000.0};
  for (int i = 0; i < 12; ++i)
    wire.send(0x254);
  wire.end();
  const CharacterRowReader reader(wire.shape());
  CharacterRow row;
  std::size_t before = 0;
  for (const std::int64_t* end = wire.edges.data(); end <= wire.inHandEnd(); ++end) {
    const std::size_t count = reader.read(wire.edges.data(), end, row);
    EXPECT_GE(count, before);
    before = count;
    // Whole, and the start edge of the next is known.
    EXPECT_LT(row.starts[count], end + 1);
    for (std::size_t i = 0; i < count; ++i)
      EXPECT_EQ(row.bits[i] & 0x3ffU, 0x254U);
  }
  EXPECT_EQ(before, 12U);
  EXPECT_EQ(reader.read(wire.edges.data(), wire.edges.data(), row), 0U);
  EXPECT_EQ(row.starts[0], wire.edges.data());
}

TEST_P(NoCharacterRows, AreReadWithoutVectors)
{
  Wire wire{1'000'000.0};
  wire.send(0x254);
  wire.end();
  CharacterRow row;
  EXPECT_EQ(wire.read(row), 0U);
  EXPECT_EQ(row.starts[0], wire.edges.data());
}
