// Frames of every protocol from dirty wires, cut and faulty as they come: whoever asks them says the same. Files,
// lists, the filter language, completion and a right click each go through the properties of the frame's room; here
// they are held against one another.
#include <cmath>
#include <optional>
#include <set>

#include "core/export/frame_writer.h"
#include "core/query/complete.h"
#include "core/query/scan.h"
#include "core/view/ledger_cells.h"
#include "core/view/line_payload.h"
#include "support/random_traffic.h"
#include "support/wrong_parts.h"

using namespace bexto;
using namespace bexto::test;

namespace {

/// A decoded bus whose transactions are asked.
struct Heard {
  RandomTraffic traffic;
  LedgerSource source;

  Heard(const std::string& protocol, std::uint64_t seed)
      : traffic(dirtyTraffic(protocol, seed)),
        source{traffic.bus,
               lineOf(traffic.bus),
               Transactions(traffic.bus, decodeAll(traffic.bus, traffic.input)),
               {},
               false}
  {
  }

  static std::string lineOf(const Bus& bus) { return bus.protocol().hasLines() ? bus.wires.front().role : ""; }
  const FrameIndex& frames() const { return source.transactions.frames(); }
  FrameContext context(const Frame& frame) const { return {source.bus, frame, source.line}; }
  const std::vector<Property>& properties() const { return source.bus.protocol().facts().properties; }

  LineSet asked(const std::string& text, bool byFrame) const
  {
    const auto query = Query::parse(text, {source.bus.name});
    EXPECT_TRUE(query) << text << ": " << query.error().text();
    const Transactions lines = byFrame ? Transactions::eachFrame(frames()) : source.transactions;
    return scanLines(*query, {{source.bus, source.line, lines}}, std::stop_token())->front();
  }
};

/// Every nth, so that long traffic does not make a long test.
template <typename Do>
void someOf(std::uint64_t count, std::uint64_t about, const Do& look)
{
  for (std::uint64_t i = 0; i < count; i += 1 + count / about)
    look(i);
}

std::vector<std::string> splitCsv(const std::string& record)
{
  std::vector<std::string> fields{""};
  bool quoted = false;
  for (const char c : record) {
    if (c == '"')
      quoted = !quoted;
    else if (c == ',' && !quoted)
      fields.emplace_back();
    else if (c != '\n' && c != '\r')
      fields.back() += c;
  }
  return fields;
}

/// What stands behind the key of a record in JSON, without its quotes. Nothing when the record has no such key.
std::optional<std::string> valueAt(const std::string& record, const std::string& key)
{
  const std::string name = '"' + key + "\":";
  const std::size_t at = record.find(name);
  if (at == std::string::npos)
    return std::nullopt;
  const std::size_t begin = at + name.size();
  return record[begin] == '"' ? record.substr(begin + 1, record.find('"', begin + 1) - begin - 1)
                              : record.substr(begin, record.find_first_of(",}", begin) - begin);
}

class DirtyFrames : public testing::TestWithParam<std::string> {
 protected:
  /// Goes through frames of many captures.
  template <typename Do>
  void eachFrame(int captures, const Do& look)
  {
    for (int seed = 0; seed < cases(captures); ++seed) {
      const Heard heard(GetParam(), static_cast<std::uint64_t>(seed));
      someOf(heard.frames().size(), 40, [&](std::uint64_t i) { look(heard, i, heard.frames().frame(i)); });
      ASSERT_FALSE(HasFailure()) << "seed " << seed;
    }
  }
};

}  // namespace

TEST_P(DirtyFrames, FilesAndListsSayWhatThePropertySays)
{
  std::map<std::string, std::set<bool>> had;  ///< of a property: whether frames have it
  eachFrame(60, [&](const Heard& heard, std::uint64_t, const Frame& frame) {
    const FrameOrigin origin{&heard.source.bus, heard.source.line};
    const FrameWriter csv(FrameFormat::Csv, {&heard.source.bus.protocol()});
    const std::vector<std::string> heads = splitCsv(csv.header());
    const std::vector<std::string> fields = splitCsv(csv.record(frame, origin));
    ASSERT_EQ(fields.size(), heads.size());
    const std::string record = frameRecord(frame, origin, FrameFormat::Jsonl);
    EXPECT_EQ(valueAt(record, "start_ps"), std::to_string(frame.time.begin.count()));
    for (const std::string_view word : heard.source.bus.protocol().errorWords(frame.errors))
      EXPECT_NE(record.find('"' + std::string(word) + '"'), std::string::npos) << word;
    for (const Property& p : heard.properties()) {
      if (!p.inTables)
        continue;  // wires do not have it: tests/core/can_record_test.cpp
      const PropertyValue value = p.of(heard.context(frame));
      const bool has = !std::holds_alternative<std::monostate>(value);
      had[p.key].insert(has);
      ASSERT_EQ(valueAt(record, p.key).has_value(), has) << p.key;
      const auto column = std::find(heads.begin(), heads.end(), p.key);
      ASSERT_NE(column, heads.end()) << p.key;
      EXPECT_EQ(fields[static_cast<std::size_t>(column - heads.begin())], fileText(value)) << p.key;
      if (!has) {
        EXPECT_EQ(listText(p, heard.context(frame)), "") << p.key;
        EXPECT_EQ(termText(p, heard.context(frame)), "") << p.key;
        continue;
      }
      EXPECT_EQ(valueAt(record, p.key), fileText(value)) << p.key;
      switch (p.sort) {
        case Property::Sort::Hex:
          EXPECT_EQ(std::stoll(listText(p, heard.context(frame)), nullptr, 16), std::get<std::int64_t>(value));
          EXPECT_EQ(listText(p, heard.context(frame)).size(),
                    static_cast<std::size_t>(std::ceil((p.bits == nullptr ? 8 : p.bits(heard.context(frame))) / 4.0)))
              << p.key << " has all its digits";
          break;
        case Property::Sort::Decimal:
          EXPECT_EQ(listText(p, heard.context(frame)), fileText(value));
          break;
        case Property::Sort::Flag:
          EXPECT_EQ(listText(p, heard.context(frame)), std::get<bool>(value) ? "yes" : "no");
          break;
        case Property::Sort::Word:
          EXPECT_EQ(std::count(p.choices.begin(), p.choices.end(), std::get<std::string>(value)), 1) << p.key;
          break;
        case Property::Sort::Text:
        case Property::Sort::Bytes:
          EXPECT_LE(fileText(value).size(), 2 * frame.payload.size()) << p.key;
          break;
      }
    }
  });
  for (const auto& [key, has] : had)
    EXPECT_TRUE(has.contains(true)) << key << " was never there";
  // Characters of a UART have all that they can have.
  EXPECT_TRUE(GetParam() == "uart" || GetParam() == "spi" ||
              std::any_of(had.begin(), had.end(), [](const auto& h) { return h.second.size() == 2; }))
      << "no frame was cut";
}

TEST_P(DirtyFrames, TheTermOfAPropertyFindsTheFrameAndAllThatAreAlike)
{
  for (int seed = 1; seed < cases(25); ++seed) {
    const Heard heard(GetParam(), static_cast<std::uint64_t>(seed));
    for (const Property& p : heard.properties()) {
      std::map<std::string, std::set<std::uint64_t>> expected;
      for (std::uint64_t i = 0; i < heard.frames().size(); ++i) {
        const Frame frame = heard.frames().frame(i);
        if (const std::string value = termText(p, heard.context(frame)); !value.empty())
          expected[value].insert(i);
      }
      std::size_t tried = 0;
      for (const auto& [value, frames] : expected) {
        if (++tried > 12)
          break;
        const std::string term = p.key + ":" + value;
        const std::string said = fileText(p.of(heard.context(heard.frames().frame(*frames.begin()))));
        const LineSet found = heard.asked(term, true);
        for (const std::uint64_t i : frames)
          ASSERT_TRUE(found.contains(i)) << term << ", seed " << seed << ", frame " << i;
        for (std::uint64_t k = 0; k < found.size(); ++k) {
          const Frame frame = heard.frames().frame(found.at(k));
          ASSERT_EQ(fileText(p.of(heard.context(frame))), said) << term;
        }
      }
    }
  }
}

TEST_P(DirtyFrames, LoneWordsSplitTheFramesInTwo)
{
  for (int seed = 1; seed < cases(20); ++seed) {
    const Heard heard(GetParam(), static_cast<std::uint64_t>(seed));
    const std::uint64_t all = heard.frames().size();
    for (const PropertyWord& word : heard.source.bus.protocol().facts().words) {
      const LineSet with = heard.asked(word.word, true);
      EXPECT_EQ(with.size() + heard.asked("not " + word.word, true).size(), all) << word.word;
      for (std::uint64_t i = 0; i < all; ++i) {
        const Frame frame = heard.frames().frame(i);
        const auto& errors = heard.source.bus.protocol().facts().errors;
        const bool isErrorToo = std::any_of(errors.begin(), errors.end(), [&](const ErrorSpec& e) {
          return !e.phrase.empty() && e.word == word.word && (frame.errors & e.bit) != 0;
        });
        ASSERT_EQ(with.contains(i), word.holds(heard.source.bus, frame) || isErrorToo) << word.word << " frame " << i;
      }
    }
  }
}

TEST_P(DirtyFrames, EveryTermOfARightClickShowsTheLine)
{
  std::set<std::string> keys;
  std::size_t details = 0;
  for (int seed = 1; seed < cases(24); ++seed) {
    const Heard heard(GetParam(), static_cast<std::uint64_t>(seed));
    const Transactions& transactions = heard.source.transactions;
    someOf(transactions.size(), 12, [&](std::uint64_t i) {
      // Before the first there is one of another bus.
      const Picoseconds before = i > 0 ? transactions.beginOf(i - 1) : Picoseconds{0};
      const LedgerCellContext context{&heard.source, i, i + 1, before, Picoseconds{0}};
      for (const LedgerColumnSpec& column : ledgerColumns()) {
        const std::string term = termOf(column.column, context);
        if (term.empty())
          continue;
        keys.insert(column.key);
        EXPECT_TRUE(heard.asked(term, false).contains(i)) << column.key << ": " << term << ", line " << i;
      }
      const std::uint64_t count = detailCount(heard.source.bus, transactions, i);
      for (std::uint64_t d = 0; d < std::min<std::uint64_t>(count, 20); ++d) {
        const std::string term = termOfDetail(context, d);
        if (term.empty())
          continue;
        ++details;
        EXPECT_TRUE(heard.asked(term, false).contains(i)) << term << ", line " << i << ", detail " << d;
      }
    });
    ASSERT_FALSE(HasFailure()) << "seed " << seed;
  }
  EXPECT_GT(details, 0U);
  // The few cases under sanitizers do not have everything.
  if (cases(24) >= 24) {
    EXPECT_TRUE(keys.contains("kind") && keys.contains("payload") && keys.contains("faults") &&
                keys.contains("length"));
    EXPECT_GT(details, 50U);
  }
}

TEST_P(DirtyFrames, CellsOfTheLedgerAreWhatTheirFramesSay)
{
  for (int seed = 0; seed < cases(24); ++seed) {
    const Heard heard(GetParam(), static_cast<std::uint64_t>(seed));
    const Protocol& protocol = heard.source.bus.protocol();
    const Transactions& transactions = heard.source.transactions;
    someOf(transactions.size(), 20, [&](std::uint64_t i) {
      const LedgerCellContext context{&heard.source, i, i, {}, Picoseconds{0}};
      const auto text = [&](LedgerColumn column) { return cellOf(column, context, 1000).text; };
      const LinePayloads payloads(heard.source.bus, transactions, i);
      std::uint64_t bytes = 0;
      for (const LinePayloads::Run& run : payloads.runs())
        bytes += run.bytes.size();
      EXPECT_EQ(text(LedgerColumn::Size), std::to_string(bytes));
      EXPECT_EQ(text(LedgerColumn::Faults).empty(), protocol.errorWords(transactions.errorsOf(i)).empty());
      EXPECT_FALSE(text(LedgerColumn::Transaction).empty());
      EXPECT_FALSE(text(LedgerColumn::Kind).empty());
      EXPECT_EQ(cellOf(LedgerColumn::Duration, context, 1).time, transactions.timeOf(i).length());
      for (const LedgerColumnSpec& column : ledgerColumns()) {
        if (!appliesTo(column.column, protocol)) {
          EXPECT_EQ(text(column.column), "") << column.key;
        }
      }
      for (PayloadWay way : protocol.waysOf(heard.source.bus))
        EXPECT_LT(way, protocol.facts().ways.size());
    });
    ASSERT_FALSE(HasFailure()) << "seed " << seed;
  }
}

TEST_P(DirtyFrames, WhatCompletionOffersCanBeAskedAndIsFoundAsOftenAsItSays)
{
  std::size_t offers = 0;
  for (int seed = 1; seed < cases(20); ++seed) {
    const Heard heard(GetParam(), static_cast<std::uint64_t>(seed));
    Occurring all;
    countOccurring(heard.source.bus, heard.source.transactions, all);
    sortOccurring(all);
    for (const Property& p : heard.properties()) {
      if (p.isKey == nullptr)
        continue;
      std::uint64_t counted = 0;
      for (const Occurring::Value& value : all.byKey[p.key])
        counted += value.count;
      std::uint64_t has = 0;
      for (const Frame& frame : framesOf(heard.frames()))
        has += std::holds_alternative<std::monostate>(p.of(heard.context(frame))) ? 0U : 1U;
      EXPECT_EQ(counted, has) << p.key;
      const std::string typed = p.key + ":";
      const Completions offered = completionsAt(typed, typed.size(), all);
      for (std::size_t i = 0; i < std::min<std::size_t>(offered.items.size(), 8); ++i) {
        const Completion& item = offered.items[i];
        const std::string text = typed.substr(0, offered.replaces.begin) + item.insert;
        EXPECT_FALSE(heard.asked(text, true).size() == 0) << text << " is offered and finds nothing";
        ++offers;
      }
    }
    // A key that is begun is offered, and its example is a term.
    for (const Property& p : heard.properties()) {
      if (p.example.empty())
        continue;
      const std::string begun = p.key.substr(0, 2);
      const Completions offered = completionsAt(begun, begun.size(), all);
      EXPECT_TRUE(std::any_of(offered.items.begin(), offered.items.end(), [&](const Completion& c) {
        return c.insert.starts_with(p.key);
      })) << p.key;
      heard.asked(p.example, true);
    }
    ASSERT_FALSE(HasFailure()) << "seed " << seed;
  }
  EXPECT_GT(offers, cases(20) >= 20 ? 20U : 0U);
}

TEST_P(DirtyFrames, TheAnatomyMarksSomethingWhereThereIsAFaultAndNothingWhereThereIsNone)
{
  int clean = 0;
  int faulty = 0;
  eachFrame(60, [&](const Heard& heard, std::uint64_t number, const Frame& frame) {
    const Protocol& protocol = heard.source.bus.protocol();
    std::vector<std::string_view> words = protocol.errorWords(frame.errors);
    // What was cut, or never came, is missing: there may be nothing to mark.
    const bool missing = std::erase_if(words, [](std::string_view w) {
                           return w == "incomplete" || w == "no-response" || w == "no-presence";
                         }) > 0;
    const std::string wrong = wrongParts(anatomyOf(heard.source.bus, heard.traffic.input, heard.frames(), number));
    if (!words.empty()) {
      ++faulty;
      EXPECT_NE(wrong, "") << protocol.name() << " frame " << number << " has " << words.front();
    } else if (!missing && (frame.kind & kFaultKind) == 0) {
      ++clean;
      EXPECT_EQ(wrong, "") << protocol.name() << " frame " << number;
    }
  });
  EXPECT_GT(clean, 5);
  EXPECT_TRUE(faulty > 5 || GetParam() == "spi") << "a transfer of SPI can only be cut";
}

INSTANTIATE_TEST_SUITE_P(Protocols, DirtyFrames, testing::Values("uart", "i2c", "spi", "can", "lin", "onewire"),
                         [](const auto& info) { return info.param; });
