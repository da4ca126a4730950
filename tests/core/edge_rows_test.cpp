// What works on many edges at once says what one edge after the other says, on every kind of processor.
#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <random>
#include <string>
#include <vector>

#include "core/base/time.h"
#include "core/decode/bit_runs.h"
#include "core/decode/edge_grid.h"
#include "core/decode/edge_match.h"
#include "core/decode/row_sums.h"
#include "core/decode/tally.h"
#include "support/each_processor.h"

using namespace bexto;

namespace {

class EdgeRows : public test::EachProcessor {};
BEXTO_EACH_PROCESSOR(EdgeRows);

/// Rows as meters make them: two lists, a wire's lows, every second edge to the one after next.
struct Row {
  std::vector<std::int64_t> begins;
  std::vector<std::int64_t> ends;
  IntervalRow row{};
  std::vector<std::int64_t> lengths;

  Row(std::mt19937_64& random, std::size_t count, int lie, std::int64_t unit)
  {
    std::int64_t now = static_cast<std::int64_t>(random() % 1'000'000'000'000);
    for (std::size_t i = 0; i < 2 * count + 2; ++i)
      begins.push_back(now += 1 + unit + static_cast<std::int64_t>(random() % 5) * unit / 100);
    ends = begins;
    if (lie == 0) {
      std::rotate(ends.begin(), ends.begin() + 1, ends.end());
      row = {begins.data(), ends.data(), count};
    } else {
      row = {begins.data(), begins.data() + lie, count, 2};
    }
    for (std::size_t i = 0; i < count; ++i)
      lengths.push_back(row.length(i));
  }
};

template <typename Look>
void forRows(const Look& look)
{
  std::mt19937_64 random(5);
  for (const std::int64_t unit :
       {std::int64_t{0}, std::int64_t{1}, std::int64_t{1'250'000}, std::int64_t{3'000'000'000'000}}) {
    for (std::size_t count = 1; count < 40; ++count) {
      for (int lie = 0; lie < 3; ++lie)
        look(Row(random, count, lie, unit));
    }
  }
}

TEST_P(EdgeRows, SumsAndEndsAreThoseOfEachLength)
{
  forRows([](const Row& r) {
    const RowEnds ends = endsOf(r.row);
    EXPECT_EQ(ends.least, *std::min_element(r.lengths.begin(), r.lengths.end()));
    EXPECT_EQ(ends.most, *std::max_element(r.lengths.begin(), r.lengths.end()));
    for (const double dividend : {0.0, 1e12}) {
      const double origin = dividend == 0.0 ? 1000.0 : 399e3;
      std::vector<double> putDown(r.lengths.size());
      const RowSums sums = sumRow(r.row, dividend, origin, putDown.data());
      double sum = 0.0;
      double squares = 0.0;
      for (std::size_t i = 0; i < r.lengths.size(); ++i) {
        const auto length = static_cast<double>(r.lengths[i]);
        const double value = dividend == 0.0 ? length : dividend / length;
        ASSERT_EQ(putDown[i], value);
        sum += value - origin;
        squares += (value - origin) * (value - origin);
      }
      EXPECT_NEAR(sums.sum, sum, 1e-9 * std::abs(sum));
      EXPECT_NEAR(sums.squares, squares, 1e-9 * squares);
      EXPECT_EQ(sums.least, ends.least);
      EXPECT_EQ(sums.most, ends.most);
    }
  });
  EXPECT_EQ(endsOf({nullptr, nullptr, 0}).most, 0);
}

TEST_P(EdgeRows, ShortOnesAreKeptInOrder)
{
  forRows([](const Row& r) {
    std::vector<std::int64_t> sorted = r.lengths;
    std::sort(sorted.begin(), sorted.end());
    for (const std::int64_t most : {sorted.front() - 1, sorted[sorted.size() / 2], sorted.back()}) {
      std::vector<std::int64_t> begins(r.lengths.size() + 8);
      std::vector<std::int64_t> ends(r.lengths.size() + 8);
      const std::size_t kept = keepShort(r.row, most, begins.data(), ends.data());
      std::size_t expected = 0;
      for (std::size_t i = 0; i < r.lengths.size(); ++i) {
        if (r.lengths[i] > most)
          continue;
        ASSERT_LT(expected, kept);
        EXPECT_EQ(begins[expected], r.row.begin(i));
        EXPECT_EQ(ends[expected++], r.row.begin(i) + r.lengths[i]);
      }
      EXPECT_EQ(kept, expected);
    }
  });
}

TEST_P(EdgeRows, LimitsAreJudgedAsForEachLength)
{
  forRows([](const Row& r) {
    const auto middle = static_cast<double>(r.lengths[r.lengths.size() / 2]);
    for (const double resolution : {0.0, 0.01 * middle, 1.0}) {
      for (const auto& [low, high] : {std::pair{middle, 1.02 * middle}, {-1.0, middle}, {middle, 4.0 * middle}}) {
        const RowJudgement judged = judgeRow(r.row, low, high, resolution);
        std::uint64_t failed = 0;
        std::uint64_t undecided = 0;
        double least = std::numeric_limits<double>::infinity();
        for (const std::int64_t length : r.lengths) {
          const double room = std::min(static_cast<double>(length) - low, high - static_cast<double>(length));
          failed += judge(room, resolution) == Judgement::Fail ? 1 : 0;
          undecided += judge(room, resolution) == Judgement::Undecided ? 1 : 0;
          least = std::min(least, room);
        }
        EXPECT_EQ(judged.failed, failed);
        EXPECT_EQ(judged.undecided, undecided);
        EXPECT_EQ(judged.least, least);
      }
    }
  });
}

TEST_P(EdgeRows, BordersAreCounted)
{
  std::mt19937_64 random(6);
  for (std::size_t count = 0; count < 40; ++count) {
    std::vector<double> values;
    for (std::size_t i = 0; i < count; ++i)
      values.push_back(static_cast<double>(random() % 10));
    const std::array<double, 3> borders{0.0, 5.0, 9.5};
    std::array<std::uint64_t, 3> counts{};
    countFrom(values.data(), count, borders.data(), borders.size(), counts.data());
    for (std::size_t b = 0; b < borders.size(); ++b)
      EXPECT_EQ(counts[b], static_cast<std::uint64_t>(
                               std::count_if(values.begin(), values.end(), [&](double v) { return v >= borders[b]; })));
  }
}

/// Which intervals have an edge, looked for one by one; empty when one has several, or an edge is in none.
std::optional<std::vector<std::array<std::int64_t, 3>>> matchedSlowly(const IntervalRow& row,
                                                                      const std::vector<std::int64_t>& edges,
                                                                      IntervalEnd end)
{
  std::vector<std::array<std::int64_t, 3>> found;
  std::size_t used = 0;
  for (std::size_t i = 0; i < row.count; ++i) {
    const std::int64_t last = row.begin(i) + row.length(i) - (end == IntervalEnd::Behind ? 1 : 0);
    std::size_t inIt = 0;
    for (const std::int64_t edge : edges) {
      if (edge >= row.begin(i) && edge <= last) {
        found.push_back({row.begin(i), edge, row.begin(i) + row.length(i)});
        ++inIt;
      }
    }
    used += inIt;
    if (inIt > 1)
      return std::nullopt;
  }
  const std::int64_t behind =
      row.begin(row.count - 1) + row.length(row.count - 1) - (end == IntervalEnd::Behind ? 1 : 0);
  const auto before =
      static_cast<std::size_t>(std::count_if(edges.begin(), edges.end(), [&](std::int64_t e) { return e <= behind; }));
  return before == used ? std::optional(found) : std::nullopt;
}

TEST_P(EdgeRows, EdgesFindTheirIntervals)
{
  std::mt19937_64 random(9);
  std::size_t matched = 0;
  std::size_t refused = 0;
  for (int run = 0; run < 4000; ++run) {
    const auto count = static_cast<std::size_t>(1 + random() % 20);
    const int lie = static_cast<int>(random() % 3);
    const Row r(random, count, lie, 1000);
    const IntervalEnd end = random() % 2 == 0 ? IntervalEnd::Within : IntervalEnd::Behind;
    if (lie != 1 && end == IntervalEnd::Within)
      continue;  // intervals that touch would share an edge
    std::vector<std::int64_t> edges;
    const bool isOdd = random() % 4 == 0;
    for (std::size_t i = 0; i < count; ++i) {
      if (random() % 2 == 0)
        continue;
      // On a border now and then.
      const std::uint64_t place = random() % 8;
      const std::int64_t last = r.lengths[i] - (end == IntervalEnd::Behind ? 1 : 0);
      edges.push_back(r.row.begin(i) + (place == 0   ? 0
                                        : place == 1 ? last
                                                     : static_cast<std::int64_t>(random()) % (last + 1) * 1));
      if (edges.back() < r.row.begin(i))
        edges.back() = r.row.begin(i);
      if (isOdd && random() % count == 0)
        edges.push_back(edges.back() + 1 + static_cast<std::int64_t>(random() % 300));
    }
    std::sort(edges.begin(), edges.end());
    edges.erase(std::unique(edges.begin(), edges.end()), edges.end());
    const auto expected = matchedSlowly(r.row, edges, end);
    std::vector<std::int64_t> readable = edges;
    readable.insert(readable.end(), 8, random() % 2 == 0 ? kNever.count() : r.begins.back() + 1'000'000);
    std::vector<std::int64_t> begins(count + 8);
    std::vector<std::int64_t> moves(count + 8);
    std::vector<std::int64_t> ends(count + 8);
    const std::ptrdiff_t found = matchEdges(r.row, readable.data(), {begins.data(), moves.data(), ends.data()}, end);
    if (!expected) {
      EXPECT_EQ(found, -1) << run;
      ++refused;
      continue;
    }
    ASSERT_EQ(found, static_cast<std::ptrdiff_t>(expected->size())) << run;
    for (std::size_t i = 0; i < expected->size(); ++i)
      EXPECT_EQ((std::array{begins[i], moves[i], ends[i]}), (*expected)[i]) << run;
    ++matched;
  }
  EXPECT_GT(matched, 500U);
  EXPECT_GT(refused, 100U);
}

/// Characters of random bits, some of them with an edge that is late, one too many, or behind where they end.
TEST_P(EdgeRows, EdgesLieOnAGrid)
{
  std::mt19937_64 random(11);
  constexpr double kBit = 8'680'555.5;
  std::size_t fitted = 0;
  std::size_t refused = 0;
  for (int run = 0; run < 3000; ++run) {
    const auto stop = static_cast<std::int64_t>(6 + random() % 9);
    std::vector<std::int64_t> starts{static_cast<std::int64_t>(random() % 1'000'000'000'000'000)};
    std::vector<std::int64_t> edges;
    const std::size_t count = 1 + random() % 6;
    for (std::size_t c = 0; c < count; ++c) {
      const std::int64_t start = starts.back();
      const auto at = [&](std::int64_t bit) {
        const double off = static_cast<double>(random() % 1000) / (random() % 16 == 0 ? 2200.0 : 4400.0);
        return start + static_cast<std::int64_t>((static_cast<double>(bit) + off) * kBit);
      };
      const std::size_t before = edges.size();
      for (std::int64_t bit = 1; bit < stop; ++bit) {
        if (random() % 2 == 0)
          edges.push_back(at(bit));
      }
      // The line goes back to rest where the stop bit begins, when it is not there yet; seldom it moves once more.
      if ((edges.size() - before) % 2 == 0 || random() % 16 == 0)
        edges.push_back(at(stop));
      if (random() % 16 == 0)
        edges.push_back(at(stop + 2));
      starts.push_back(start + static_cast<std::int64_t>(static_cast<double>(stop + 4) * kBit));
      edges.push_back(starts.back());
    }
    edges.insert(edges.end(), kMostGridEdges, random() % 2 == 0 ? kNever.count() : starts.back() + 1000);

    // One after the other, as it reads.
    std::vector<double> furthest;
    std::vector<std::int64_t> last;
    std::vector<std::int64_t> bits;
    std::vector<std::size_t> firsts{0};
    for (std::size_t c = 0; c < count; ++c) {
      std::size_t e = firsts.back();
      double off = 0.0;
      double bit = 0.0;
      bool isPlain = edges[e] < starts[c + 1];
      const std::size_t first = e;
      for (; edges[e] < starts[c + 1]; ++e) {
        const double place = static_cast<double>(edges[e] - starts[c]) * (1.0 / kBit);
        bit = std::nearbyint(place);
        off = std::max(off, std::abs(place - bit));
        // The start edge ends a high, so the first one ends a low.
        const bool endsLow = (e - first) % 2 == 0;
        const bool isLastOfMany = edges[e + 1] < starts[c + 1];
        isPlain = isPlain && bit <= static_cast<double>(stop) &&
                  (bit < static_cast<double>(stop) || (endsLow && !isLastOfMany));
      }
      if (!isPlain || off >= 0.25 || e - first >= kMostGridEdges)
        break;
      furthest.push_back(off);
      last.push_back(edges[e - 1]);
      bits.push_back(static_cast<std::int64_t>(bit));
      firsts.push_back(e + 1);
    }

    std::vector<double> furthestFit(count);
    std::vector<std::int64_t> lastFit(count);
    std::vector<std::int64_t> bitFit(count);
    std::vector<std::int64_t> sizeFit(count);
    std::vector<const std::int64_t*> atFit(count);
    const std::int64_t* at = edges.data();
    const std::size_t done =
        fitToGrid(at, starts.data(), count, {1.0 / kBit, stop},
                  {furthestFit.data(), lastFit.data(), bitFit.data(), atFit.data(), sizeFit.data()});
    ASSERT_EQ(done, furthest.size()) << run;
    EXPECT_EQ(at - edges.data(), static_cast<std::ptrdiff_t>(firsts.back()));
    for (std::size_t c = 0; c < done; ++c) {
      EXPECT_EQ(furthestFit[c], furthest[c]);
      EXPECT_EQ(lastFit[c], last[c]);
      EXPECT_EQ(bitFit[c], bits[c]);
      EXPECT_EQ(atFit[c] - edges.data(), static_cast<std::ptrdiff_t>(firsts[c]));
      EXPECT_EQ(sizeFit[c], static_cast<std::int64_t>(firsts[c + 1] - firsts[c] - 1));
    }
    fitted += done;
    refused += done < count ? 1 : 0;
  }
  EXPECT_GT(fitted, 3000U);
  EXPECT_GT(refused, 300U);
}

TEST_P(EdgeRows, ATallyOfRowsSaysWhatOneOfValuesSays)
{
  std::mt19937_64 random(13);
  for (const MeasureUnit unit : {MeasureUnit::Time, MeasureUnit::Frequency}) {
    for (const int limited : {0, 1, 2}) {
      Limits limits;
      if (limited > 0)
        limits = unit == MeasureUnit::Time ? Limits{1'255'000.0, 1'295'000.0} : Limits{775e3, 797e3};
      // With a period, some cannot be told.
      const double period = limited == 2 ? 10'000.0 : 0.0;
      Tally rows(unit, limits, period);
      Tally values(unit, limits, period);
      std::vector<Row> all;
      for (int i = 0; i < 200; ++i)
        all.emplace_back(random, static_cast<std::size_t>(1 + random() % 300), static_cast<int>(random() % 3),
                         i % 7 == 0 ? 1'000'000 : 1'250'000);
      std::sort(all.begin(), all.end(), [](const Row& a, const Row& b) { return a.begins.front() < b.begins.front(); });
      for (std::size_t i = 0; i < all.size(); ++i) {
        const Row& r = all[i];
        const auto group = static_cast<std::uint32_t>(i % 3);
        rows.addRow(group, r.row);
        values.setGroup(group);
        for (std::size_t k = 0; k < r.lengths.size(); ++k)
          values.add(r.lengths[k], r.row.begin(k), r.row.begin(k) + r.lengths[k]);
      }
      rows.settle();
      values.settle();
      EXPECT_EQ(rows.failed(), values.failed());
      EXPECT_EQ(rows.undecided(), values.undecided());
      EXPECT_EQ(rows.all().count, values.all().count);
      EXPECT_EQ(rows.all().min, values.all().min);
      EXPECT_EQ(rows.all().max, values.all().max);
      EXPECT_NEAR(rows.all().mean(), values.all().mean(), 1e-9 * values.all().mean());
      EXPECT_NEAR(rows.all().deviation(), values.all().deviation(), 1e-6 * values.all().deviation());
      ASSERT_EQ(rows.groups().size(), values.groups().size());
      for (std::size_t g = 0; g < rows.groups().size(); ++g) {
        EXPECT_EQ(rows.groups()[g].count, values.groups()[g].count);
        EXPECT_EQ(rows.groups()[g].max, values.groups()[g].max);
      }
      const auto [low, high] = std::pair{values.all().min, values.all().max};
      EXPECT_EQ(rows.histogram().bars(low, high, 64), values.histogram().bars(low, high, 64));
      const std::vector<MeasuredPlace> worst = rows.worst();
      const std::vector<MeasuredPlace> expected = values.worst();
      ASSERT_EQ(worst.size(), expected.size());
      for (std::size_t i = 0; i < worst.size(); ++i) {
        EXPECT_EQ(worst[i].room, expected[i].room) << i;
        EXPECT_EQ(worst[i].time, expected[i].time) << i;
        EXPECT_EQ(worst[i].group, expected[i].group) << i;
      }
    }
  }
}

/// What BitRunGrid::count() finds, one run after the other.
std::size_t countOneByOne(const std::vector<std::int64_t>& edges, std::int64_t bit, std::int64_t before,
                          std::vector<std::uint64_t>& sent)
{
  for (std::size_t i = 0; i + 1 < edges.size(); ++i) {
    const std::int64_t fall = edges[i - i % 2];
    std::uint64_t count = 0;
    std::int64_t sample = fall + before;
    for (; sample < edges[i + 1]; sample += bit) {
      if (sample >= edges[i] && ++count > 5)
        return i;
    }
    const std::int64_t place = sample - before;  // of the edge
    if (count == 0 || (i % 2 != 0 && edges[i + 1] - place > bit - before))
      return i;
    sent.push_back(count);
  }
  return edges.size() - 1;
}

TEST_P(EdgeRows, RunsOfBitsAreCounted)
{
  std::mt19937_64 random(11);
  std::size_t longest = 0;
  for (int round = 0; round < 3000; ++round) {
    const std::int64_t bit = 2 + static_cast<std::int64_t>(random() % (1U << (1 + random() % 23)));
    const std::int64_t before = 1 + static_cast<std::int64_t>(random() % static_cast<std::uint64_t>(bit - 1));
    const BitRunGrid grid(bit, before);
    ASSERT_TRUE(grid.isUsable());
    // Edges near their places, some a little too far, and runs that are too long.
    std::vector<std::int64_t> edges{static_cast<std::int64_t>(random() % 1'000'000'000'000)};
    const std::int64_t jitter = 1 + bit / (round % 3 == 0 ? 2 : 100);
    const std::size_t count = 1 + random() % 100;
    while (edges.size() <= count)
      edges.push_back(edges.back() + static_cast<std::int64_t>(1 + random() % (random() % 60 == 0 ? 7 : 5)) * bit +
                      static_cast<std::int64_t>(random() % static_cast<std::uint64_t>(jitter)) - jitter / 2);
    std::vector<std::uint64_t> expected;
    const std::size_t right = countOneByOne(edges, bit, before, expected);
    edges.insert(edges.end(), 9, kNever.count());
    BitRuns runs;
    ASSERT_EQ(grid.count(edges.data(), runs, 0), right) << bit << " " << before;
    longest = std::max(longest, right);
    for (std::size_t i = 0; i < right; ++i) {
      ASSERT_EQ(runs.sent()[i], expected[i]);
      ASSERT_EQ(runs.told()[i], expected[i] - (i > 0 && expected[i - 1] == 5 ? 1U : 0U));
    }
  }
  EXPECT_GT(longest, 90U);
}

TEST_P(EdgeRows, RunsGoOnFromThoseCountedBefore)
{
  const BitRunGrid grid(1000, 750);
  std::vector<std::int64_t> edges{0, 1000, 6000, 7000, 8000};
  edges.insert(edges.end(), 9, kNever.count());
  BitRuns runs;
  ASSERT_EQ(grid.count(edges.data(), runs, 0), 4U);
  // From the fall at 6000 on: the run before had five bits.
  ASSERT_EQ(grid.count(edges.data() + 2, runs, 2), 2U);
  EXPECT_EQ(runs.sent()[2], 1U);
  EXPECT_EQ(runs.told()[2], 0U);
  EXPECT_EQ(runs.told()[3], 1U);
}

TEST_P(EdgeRows, NoMoreRunsAreCountedThanHaveRoom)
{
  std::vector<std::int64_t> edges(2 * BitRuns::kMost);
  for (std::size_t i = 0; i < edges.size(); ++i)
    edges[i] = static_cast<std::int64_t>(i) * 1000;
  edges.insert(edges.end(), 9, kNever.count());
  const BitRunGrid grid(1000, 750);
  BitRuns runs;
  EXPECT_EQ(grid.count(edges.data(), runs, 0), BitRuns::kMost);
  EXPECT_EQ(grid.count(edges.data(), runs, BitRuns::kMost - 40), 40U);
  EXPECT_EQ(grid.count(edges.data(), runs, BitRuns::kMost), 0U);
}

TEST(BitRunGrid, IsNotForSlowWires)
{
  EXPECT_TRUE(BitRunGrid(16'666'666, 13'000'000).isUsable());
  EXPECT_FALSE(BitRunGrid(20'000'000, 15'000'000).isUsable());
  EXPECT_FALSE(BitRunGrid(1000, 0).isUsable());
  EXPECT_FALSE(BitRunGrid(1000, 1000).isUsable());
}

TEST(TallyOfRows, OfEqualsTheEarlierAreKeptThoughTheyComeLater)
{
  std::vector<std::int64_t> begins;
  std::vector<std::int64_t> ends;
  for (std::int64_t i = 0; i < 1000; ++i) {
    begins.push_back(10'000 * i);
    ends.push_back(10'000 * i + 500);
  }
  for (const Limits& limits : {Limits{}, Limits{400.0, {}}}) {
    Tally tally(MeasureUnit::Time, limits, 0.0);
    tally.addRow(1, {begins.data() + 500, ends.data() + 500, 500});
    tally.addRow(0, {begins.data(), ends.data(), 500});
    tally.settle();
    const std::vector<MeasuredPlace> worst = tally.worst();
    ASSERT_EQ(worst.size(), Tally::kPlaces);
    for (std::size_t i = 0; i < worst.size(); ++i)
      EXPECT_EQ(worst[i].time.begin.count(), begins[i]);
  }
}

}  // namespace
