// The Ledger without pixels: rows of several streams merged, lines under rows, cells and the terms that they answer to.
#include <gmock/gmock.h>

#include <algorithm>
#include <random>

#include "core/decode/sentence.h"
#include "core/query/scan.h"
#include "core/view/ledger_cells.h"
#include "core/view/line_payload.h"
#include "support/lock_cycle_sources.h"

using namespace bexto;
using namespace bexto::test;

namespace {

LedgerSource breaksAt(const std::vector<std::int64_t>& begins)
{
  const Bus bus = *parseBusSpec("u=uart,rx=a,baud=9600");
  FrameIndexBuilder frames;
  for (const std::int64_t begin : begins) {
    Frame f;
    f.kind = kUartBreak;  // breaks never join
    f.time = {Picoseconds{begin}, Picoseconds{begin + 5}};
    frames.add(f);
  }
  return {bus, "rx", Transactions(bus, frames.snapshot())};
}

struct Plain {
  std::vector<LedgerSource> sources;
  std::vector<LedgerRow> rows;
};

/// Three streams at random, of which a filter shows one line in `sparse`.
Plain randomSources(unsigned seed, unsigned sparse)
{
  std::mt19937_64 random(seed);
  Plain plain;
  std::vector<std::tuple<std::int64_t, std::size_t, std::uint64_t>> order;
  for (std::size_t s = 0; s < 3; ++s) {
    std::vector<std::int64_t> begins;
    LineSet shown;
    std::int64_t t = 0;
    for (std::uint64_t i = 0; i < 500 + s * 300; ++i) {
      begins.push_back(t += 1 + static_cast<std::int64_t>(random() % 20));
      if (sparse > 1 && random() % sparse != 0)
        continue;
      shown.add(i);
      order.emplace_back(t, s, i);
    }
    plain.sources.push_back(breaksAt(begins));
    if (sparse > 1)
      plain.sources.back().shown = std::make_shared<const LineSet>(shown);
  }
  std::sort(order.begin(), order.end());
  for (const auto& [t, s, i] : order)
    plain.rows.push_back({s, i});
  return plain;
}

LedgerLines lockCycleLines()
{
  LedgerLines lines;
  lines.setRows(MergedRows(lockCycleSources()));
  return lines;
}

std::vector<std::string> busNames()
{
  std::vector<std::string> names;
  for (const LedgerSource& s : lockCycleSources())
    names.push_back(s.bus.name);
  return names;
}

/// Whether the filter `text` shows the line.
bool shows(const std::string& text, LedgerRow row)
{
  const auto query = Query::parse(text, busNames());
  EXPECT_TRUE(query) << text << ": " << query.error().text();
  if (!query)
    return false;
  std::vector<ScanSource> sources;
  for (const LedgerSource& s : lockCycleSources())
    sources.push_back({s.bus, s.line, s.transactions});
  return scanLines(*query, sources, std::stop_token())->at(row.source).contains(row.number);
}

}  // namespace

TEST(MergedRows, ListEveryShownLineInTheOrderOfTime)
{
  for (const unsigned sparse : {1U, 3U, 50U}) {
    const Plain plain = randomSources(8, sparse);
    const MergedRows rows(plain.sources);
    ASSERT_EQ(rows.size(), plain.rows.size());
    EXPECT_EQ(rows.allCount(), 500U + 800U + 1100U);
    ASSERT_EQ(rows.rows(0, plain.rows.size() + 10), plain.rows);
    for (std::size_t i = 0; i < plain.rows.size(); ++i) {
      ASSERT_EQ(rows.at(i), plain.rows[i]) << i;
      ASSERT_EQ(rows.rowOf(plain.rows[i]), i);
      ASSERT_TRUE(rows.isShown(plain.rows[i]));
    }
    EXPECT_TRUE(rows.rows(plain.rows.size(), 5).empty());
    EXPECT_EQ(rows.firstFrom(Picoseconds{0}), 0U);
  }
}

TEST(MergedRows, AHiddenRowHasItsPlaceBetweenTheOthers)
{
  const Plain plain = randomSources(9, 10);
  const MergedRows rows(plain.sources);
  for (std::uint64_t number = 0; number < 500; ++number) {
    const LedgerRow row{0, number};
    const Picoseconds begin = rows.beginOf(row);
    std::uint64_t before = 0;
    for (const LedgerRow& other : plain.rows)
      before += std::tuple(rows.beginOf(other), other.source) < std::tuple(begin, std::size_t{0}) ? 1U : 0U;
    ASSERT_EQ(rows.rowOf(row), before);
  }
}

TEST(LedgerLines, AnyMoveIsTheSameAsThatManySteps)
{
#ifdef __SANITIZE_ADDRESS__
  constexpr std::size_t kStep = 31;  // sanitizers find what they find in a fifth of the moves
#else
  constexpr std::size_t kStep = 7;
#endif
  LedgerLines lines = lockCycleLines();
  for (const LedgerForm form : {LedgerForm::Sentences, LedgerForm::Opened, LedgerForm::Bytes}) {
    lines.setForm(form, 4);
    for (std::uint64_t row = 3; row < 40; row += 5)
      lines.setOpen(lines.rows().at(row), form == LedgerForm::Sentences);
    std::vector<LedgerPlace> plain;
    for (std::uint64_t row = 0; row < 60; ++row) {
      for (std::uint64_t d = 0; d <= lines.detailCount(lines.rows().at(row)); ++d)
        plain.push_back({row, d});
    }
    for (std::size_t from = 0; from < plain.size(); from += 3) {
      for (std::size_t to = 0; to < plain.size(); to += kStep)
        ASSERT_EQ(lines.moved(plain[from], static_cast<std::int64_t>(to) - static_cast<std::int64_t>(from)), plain[to]);
    }
    EXPECT_EQ(lines.moved({0, 0}, -5), (LedgerPlace{0, 0}));
    EXPECT_EQ(lines.moved(lines.last(), 5), lines.last());
  }
}

TEST(LedgerLines, OpeningAllIsOneAnswerForEveryRow)
{
  LedgerLines lines = lockCycleLines();
  const LedgerRow row = lines.rows().at(100);
  EXPECT_FALSE(lines.isOpen(row));
  EXPECT_EQ(lines.detailCount(row), 0U);
  lines.setForm(LedgerForm::Opened, 16);
  EXPECT_TRUE(lines.isOpen(row));
  const LedgerSource& source = lines.rows().sources()[row.source];
  EXPECT_EQ(lines.detailCount(row), detailCount(source.bus, source.transactions, row.number));
  lines.setOpen(row, false);
  EXPECT_FALSE(lines.isOpen(row));
  EXPECT_TRUE(lines.isOpen(lines.rows().at(101)));
  EXPECT_THAT(lines.exceptions(), testing::ElementsAre(row));
}

TEST(LinePayload, LinesOfBytesAreTheWholePayload)
{
  for (const LedgerSource& source : lockCycleSources()) {
    for (std::uint64_t number = 0; number < source.transactions.size(); number += 11) {
      const LinePayloads payloads(source.bus, source.transactions, number);
      std::vector<std::uint8_t> all;
      for (const LinePayloads::Run& run : payloads.runs())
        all.insert(all.end(), run.bytes.begin(), run.bytes.end());
      for (const std::size_t wrap : {std::size_t{4}, std::size_t{32}}) {
        std::vector<std::uint8_t> lines;
        const std::uint64_t count = byteLineCount(source.bus, source.transactions, number, wrap);
        for (std::uint64_t i = 0; i < count; ++i) {
          const ByteLine line = byteLineAt(source.bus, source.transactions, number, wrap, i);
          ASSERT_LE(line.bytes.size(), wrap);
          lines.insert(lines.end(), line.bytes.begin(), line.bytes.end());
        }
        ASSERT_EQ(lines, all) << source.name() << " " << number;
      }
    }
  }
}

TEST(LedgerCells, AtFirstTheLedgerSaysWhenWhoWhatAndHowLong)
{
  std::vector<std::string> shown;
  for (const LedgerColumnSpec& column : ledgerColumns()) {
    if (column.atFirst)
      shown.push_back(column.key);
  }
  EXPECT_THAT(shown, testing::ElementsAre("time", "since_previous", "bus", "transaction", "length"));
}

TEST(LedgerCells, ATermTakenFromACellShowsThatLine)
{
  const MergedRows rows(lockCycleSources());
  std::size_t asked = 0;
  for (std::uint64_t r = 0; r < rows.size(); r += rows.size() / 23) {
    const LedgerRow row = rows.at(r);
    LedgerCellContext context{&rows.sources()[row.source], row.number, r, {}, Picoseconds{0}};
    if (r > 0)
      context.before = rows.beginOf(rows.at(r - 1));
    for (const LedgerColumnSpec& column : ledgerColumns()) {
      const std::string term = termOf(column.column, context);
      if (term.empty())
        continue;
      EXPECT_TRUE(shows(term, row)) << column.key << ": " << term;
      EXPECT_FALSE(shows("not (" + term + ")", row)) << term;
      ++asked;
    }
    const std::uint64_t details = detailCount(context.source->bus, context.source->transactions, row.number);
    for (std::uint64_t d = 0; d < std::min<std::uint64_t>(details, 12); ++d) {
      if (const std::string term = termOfDetail(context, d); !term.empty()) {
        EXPECT_TRUE(shows(term, row)) << term;
      }
    }
  }
  EXPECT_GT(asked, 100U);
}

TEST(LedgerCells, SayWhatTheirColumnNames)
{
  const MergedRows rows(lockCycleSources());
  const LedgerCellContext first{&rows.sources()[0], 0, 0, {}, Picoseconds{1000000}};
  const auto text = [&](LedgerColumn column) { return cellOf(column, first, 100).text; };
  EXPECT_EQ(text(LedgerColumn::Number), "1");
  EXPECT_EQ(text(LedgerColumn::Time), "0.001207162000") << "counted from 1 µs";
  EXPECT_EQ(text(LedgerColumn::SincePrevious), "");
  EXPECT_EQ(text(LedgerColumn::Bus), "sensors");
  EXPECT_EQ(text(LedgerColumn::Transaction), "2A write 10 · read 01 7C 5F");
  EXPECT_EQ(text(LedgerColumn::Address), "2A");
  EXPECT_EQ(text(LedgerColumn::Kind), "write · read");
  EXPECT_EQ(text(LedgerColumn::Payload), "10 · 01 7C 5F");
  EXPECT_EQ(text(LedgerColumn::Text), ". · .|_");
  EXPECT_EQ(text(LedgerColumn::Size), "4");
  EXPECT_EQ(text(LedgerColumn::Faults), "");
}
