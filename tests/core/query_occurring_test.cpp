// What occurs in the traffic, as completion offers it: against the same count over whole frames, of every protocol.
#include "core/query/complete.h"
#include "support/lock_cycle.h"
#include "support/lock_cycle_sources.h"

using namespace bexto;
using namespace bexto::test;

namespace {

std::vector<LedgerSource> everyProtocol()
{
  std::vector<LedgerSource> sources = lockCycleSources();
  const Capture capture = lockCycle().capture;
  for (const char* const spec : {"bearing=onewire,dq=BEARING_DQ", "lamps=lin,rx=LAMPS_LIN,baud=19200"}) {
    const auto more = resolveBus(*parseBusSpec(spec), capture);
    const BusStream& wire = more->streams.front();
    sources.push_back(
        {more->bus, wire.line, Transactions(more->bus, decodeAll(more->bus, inputOf(capture, wire))), nullptr, false});
  }
  return sources;
}

using Counts = std::map<std::string, std::uint64_t>;

Counts countsOf(const Occurring& all, const std::string& key)
{
  Counts counts;
  const auto found = all.byKey.find(key);
  if (found == all.byKey.end())
    return counts;
  for (const Occurring::Value& value : found->second)
    counts[value.text] += value.count;
  return counts;
}

}  // namespace

TEST(QueryOccurring, CountsTheKeysOfEveryProtocolAsTheirFramesSayThem)
{
  std::set<const Protocol*> asked;
  for (const LedgerSource& source : everyProtocol()) {
    Occurring all;
    countOccurring(source.bus, source.transactions, all);
    sortOccurring(all);
    for (const Property& property : source.bus.protocol().facts().properties) {
      if (property.isKey == nullptr)
        continue;
      Counts expected;
      for (const Frame& frame : framesOf(source.transactions.frames())) {
        const std::string text = termText(property, {source.bus, frame, {}});
        if (!text.empty())
          ++expected[text];
      }
      EXPECT_FALSE(expected.empty()) << source.bus.name;
      EXPECT_EQ(countsOf(all, property.key), expected) << source.bus.name << ' ' << property.key;
      asked.insert(&source.bus.protocol());
    }
  }
  EXPECT_EQ(asked.size(), protocols().size()) << "each has something to count";
}

TEST(QueryOccurring, TheLampsAreAskedForByTheirIdentifiers)
{
  const LedgerSource lamps = everyProtocol().back();
  Occurring all;
  countOccurring(lamps.bus, lamps.transactions, all);
  sortOccurring(all);
  ASSERT_FALSE(all.byKey["id"].empty());
  EXPECT_TRUE(std::is_sorted(all.byKey["id"].begin(), all.byKey["id"].end(),
                             [](const auto& a, const auto& b) { return a.count > b.count; }));
  EXPECT_TRUE(countsOf(all, "id").contains("22"));
  EXPECT_EQ(countsOf(all, "bus"), (Counts{{"lamps", lamps.transactions.size()}}));
  const Completions offered = completionsAt("id:", 3, all);
  ASSERT_FALSE(offered.items.empty());
  EXPECT_EQ(offered.items.front().insert, all.byKey["id"].front().text);
}
