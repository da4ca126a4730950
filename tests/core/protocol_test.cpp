// What every room has to keep to, so that nobody else needs to know which protocol it is.
#include "core/decode/protocol.h"

#include <bit>
#include <map>
#include <random>
#include <set>

#include "core/decode/bus_spec.h"
#include "core/query/query.h"
#include "core/query/vocabulary.h"
#include "core/signal/edge_track_builder.h"
#include "core/view/ledger_cells.h"

using namespace bexto;

namespace {

std::string nameOf(const testing::TestParamInfo<const Protocol*>& info)
{
  return info.param->name();
}

class Rooms : public testing::TestWithParam<const Protocol*> {
 protected:
  const Protocol& room() const { return *GetParam(); }
  const Protocol::Facts& facts() const { return room().facts(); }
};

INSTANTIATE_TEST_SUITE_P(Each, Rooms, testing::ValuesIn(protocols()), nameOf);

bool understood(const std::string& text)
{
  return Query::parse(text, {}).has_value();
}

}  // namespace

TEST_P(Rooms, KindsErrorsAndKeysAreEachOnce)
{
  std::set<int> kinds;
  std::set<std::string> words;
  for (const KindSpec& kind : facts().kinds) {
    EXPECT_TRUE(kinds.insert(kind.kind).second) << kind.word;
    EXPECT_TRUE(words.insert(kind.word).second) << kind.word;
    EXPECT_FALSE(kind.label.empty()) << kind.word;
    EXPECT_EQ(room().kind(kind.kind), &kind);
  }
  FrameErrors seen = 0;
  for (const ErrorSpec& error : facts().errors) {
    EXPECT_EQ(std::popcount(error.bit), 1) << error.word;
    EXPECT_EQ(seen & error.bit, 0) << error.word;
    seen = static_cast<FrameErrors>(seen | error.bit);
  }
  EXPECT_EQ(room().errorWords(seen).size(), facts().errors.size());
  std::set<std::string> keys;
  for (const Property& p : facts().properties)
    EXPECT_TRUE(keys.insert(p.key).second) << p.key;
  EXPECT_EQ(room().kind(0x7f), nullptr);
}

TEST_P(Rooms, APropertySaysAllThatItsUsersAskFor)
{
  for (const Property& p : facts().properties) {
    EXPECT_NE(p.of, nullptr) << p.key;
    EXPECT_EQ(p.hasColumn, !p.label.empty()) << p.key;
    EXPECT_EQ(p.sort == Property::Sort::Word, !p.choices.empty()) << p.key;
    const bool isTerm = std::any_of(propertyKeys().begin(), propertyKeys().end(),
                                    [&](const PropertyKey& key) { return key.key == p.key; });
    if (!isTerm)
      continue;  // the language has a meaning of its own for it
    EXPECT_FALSE(p.help.empty() || p.phrase.empty()) << p.key;
    const auto query = Query::parse(p.example, {});
    ASSERT_TRUE(query) << p.example << ": " << query.error().text();
    EXPECT_TRUE(p.example.starts_with(p.key)) << p.example;
    EXPECT_NE(query->explanation().find(p.phrase), std::string::npos) << query->explanation();
  }
}

TEST_P(Rooms, WhatStandsAloneIsAWordOfTheLanguage)
{
  for (const PropertyWord& word : facts().words)
    EXPECT_TRUE(understood(word.word)) << word.word;
  for (const KindSpec& kind : facts().kinds) {
    EXPECT_TRUE(understood("kind:" + kind.word)) << kind.word;
    EXPECT_TRUE(kind.phrase.empty() || understood(kind.word)) << kind.word;
  }
  for (const ErrorSpec& error : facts().errors) {
    EXPECT_TRUE(understood("error:" + error.word)) << error.word;
    EXPECT_TRUE(error.phrase.empty() || understood(error.word)) << error.word;
  }
  EXPECT_TRUE(understood(room().name()) && understood("protocol:" + room().name()));
}

TEST_P(Rooms, TheExampleOfABusIsOne)
{
  const auto bus = parseBusSpec(facts().example);
  ASSERT_TRUE(bus) << bus.error().text();
  EXPECT_TRUE(bus->isOf(room()));
  EXPECT_EQ(busSpecText(*bus), facts().example);
}

TEST_P(Rooms, ABusWritesAndReadsItselfAsKeysAndValues)
{
  std::mt19937_64 random(3);
  for (int round = 0; round < 50; ++round) {
    Bus bus("b", room());
    for (const RoleSpec& role : facts().roles) {
      if (random() % 3 != 0)
        bus.setChannel(role.name, "wire." + role.name);
    }
    for (const SettingSpec& setting : bus.settings.specs()) {
      if (random() % 2 == 0) {
        ASSERT_TRUE(bus.set(setting.key, setting.choices[random() % setting.choices.size()]));
      }
    }
    Bus again("b", **protocolNamed(room().name()));
    for (const KeyValue& value : bus.values())
      ASSERT_TRUE(again.set(value.key, value.value)) << value.key;
    ASSERT_EQ(again.settings, bus.settings) << busSpecText(bus);
    ASSERT_EQ(busSpecText(again), busSpecText(bus));
    const Bus copy = again;
    for (const SettingSpec& setting : again.settings.specs())
      ASSERT_TRUE(again.set(setting.key, setting.choices.back()));
    ASSERT_EQ(copy.settings, bus.settings) << "a copy has settings of its own";
  }
}

TEST_P(Rooms, AQuietWireSaysNothing)
{
  Bus bus("b", room());
  StreamInput input;
  input.until = std::chrono::milliseconds{5};
  for (const SettingSpec& setting : bus.settings.specs()) {
    if (setting.kind == SettingKind::Number && setting.fallback.empty()) {
      ASSERT_TRUE(bus.set(setting.key, setting.choices.back()));
    }
  }
  for (const RoleSpec& role : facts().roles) {
    if (role.isLine && !input.tracks.empty())
      continue;
    bus.setChannel(role.name, role.name);
    EdgeTrackBuilder high;
    high.set(0, true);
    input.tracks.emplace_back(high.snapshot());
  }
  const auto decoded = decodeStream(bus, input, std::stop_token());
  ASSERT_TRUE(decoded);
  EXPECT_TRUE(decoded->frames.empty());
  EXPECT_EQ(decoded->measuredHertz, 0.0);
}

TEST(Vocabulary, RoomsThatDeclareTheSameKeyMeanTheSameByIt)
{
  std::map<std::string, const Property*> seen;
  for (const Protocol* protocol : protocols()) {
    for (const Property& p : protocol->facts().properties) {
      const auto [at, first] = seen.emplace(p.key, &p);
      if (first)
        continue;
      EXPECT_EQ(at->second->sort, p.sort) << p.key;
      EXPECT_EQ(at->second->choices, p.choices) << p.key;
    }
  }
}

TEST(Vocabulary, WhatSeveralRoomsSayIsSaidTogether)
{
  const auto word =
      std::find_if(loneWords().begin(), loneWords().end(), [](const LoneWord& w) { return w.word == "extended"; });
  ASSERT_NE(word, loneWords().end());
  EXPECT_EQ(word->phrase, "a 10-bit address or a 29-bit identifier");
  const auto id =
      std::find_if(propertyKeys().begin(), propertyKeys().end(), [](const PropertyKey& k) { return k.key == "id"; });
  ASSERT_NE(id, propertyKeys().end());
  EXPECT_EQ(id->help, "CAN identifier, in hex; LIN identifier, in hex");
}

TEST(LedgerColumns, EachPropertyThatHasOneIsThereOnceAndAppliesWhereItIsDeclared)
{
  std::set<std::string> keys;
  for (std::size_t i = 0; i < ledgerColumns().size(); ++i) {
    const LedgerColumnSpec& spec = ledgerColumns()[i];
    EXPECT_EQ(static_cast<std::size_t>(spec.column), i);
    EXPECT_TRUE(keys.insert(spec.key).second) << spec.key;
    for (const Protocol* protocol : protocols()) {
      if (isProperty(spec.column)) {
        EXPECT_EQ(appliesTo(spec.column, *protocol), protocol->property(spec.key) != nullptr) << spec.key;
      }
    }
  }
  EXPECT_TRUE(keys.contains("dlc") && keys.contains("words") && keys.contains("checksum"));
  EXPECT_FALSE(keys.contains("id")) << "names share the column of addresses";
}

TEST(Terms, ANumberThatWouldReadAsAnotherBaseSaysItsOwn)
{
  // 0d always means decimal: identifier 0D1 has to be written so that it stays itself.
  const Bus bus = *parseBusSpec("c=can,rx=R,bitrate=500000");
  Frame frame;
  frame.flags = 2U << 5U;  // read as far as the identifier
  for (const auto& [key, term] :
       {std::pair(0x0d1U, "id:0x0D1"), std::pair(0x0b1U, "id:0x0B1"), std::pair(0x1d1U, "id:1D1")}) {
    frame.key = key;
    EXPECT_EQ(bus.protocol().termOf("id", {bus, frame, {}}), term);
    EXPECT_TRUE(Query::parse(term, {})->root().parts.front().term.inRanges(key)) << term;
  }
}
