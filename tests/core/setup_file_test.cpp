#include "core/store/setup_file.h"

#include "support/kept_text.h"
#include "support/sessions.h"

using namespace bexto;
using namespace bexto::test;
using testing::HasSubstr;

namespace {

std::string setupError(const std::string& path)
{
  const auto setup = readSetup(path);
  return setup ? "" : setup.error().text();
}

Capture wires(const std::vector<std::string>& paths)
{
  Capture capture;
  for (const std::string& path : paths)
    capture.channels.push_back({path, {}, EdgeTrack(false, {})});
  nameChannels(capture);
  return capture;
}

}  // namespace

TEST(SetupFile, KeepsBusesNamesColoursAndConditioning)
{
  const Folder folder;
  const SessionFile file = fullSession(10);
  const auto setup = setupOf(file.session);
  ASSERT_EQ(setup.buses.size(), 2U);
  ASSERT_EQ(setup.channels.size(), 2U) << "one has a name, the other a colour and a filter";
  ASSERT_TRUE(writeSetup(folder / "a.setup.json", setup));
  expectKept("said/setup.json", contentOf(folder / "a.setup.json"));
  const auto read = readSetup(folder / "a.setup.json");
  ASSERT_TRUE(read) << read.error().text();
  EXPECT_EQ(*read, setup);
  EXPECT_EQ(read->buses[1].name, "the, console");
  EXPECT_EQ(read->buses[1].format, ValueFormat::Text);
  EXPECT_FALSE(writeSetup(folder / "none/a.json", setup));
}

TEST(SetupFile, ChannelsFitByPathOrByItsEnd)
{
  const auto setup = setupOf(fullSession(10).session);
  const auto same = fittingChannels(setup, wires({"top.w0", "top.w1", "top.w2"}));
  EXPECT_EQ(same.size(), 3U);
  EXPECT_EQ(same.at("top.w1"), "top.w1");
  const auto other = fittingChannels(setup, wires({"bench.board.w1", "bench.w0", "x.w2", "y.w2"}));
  EXPECT_EQ(other.at("top.w0"), "bench.w0");
  EXPECT_EQ(other.at("top.w1"), "bench.board.w1");
  EXPECT_FALSE(other.contains("top.w2")) << "two end so";
  EXPECT_TRUE(fittingChannels(setup, wires({"a", "b"})).empty());
}

TEST(SetupFile, IsPutInPlaceOfWhatIsThere)
{
  const auto setup = setupOf(fullSession(10).session);
  Session session;
  addBus(session, *parseBusSpec("old=i2c,scl=a,sda=b"));
  setConditioning(session, "a", {Picoseconds{5}, false});
  session.lanes.setName("a", "something");
  const BusId before = session.buses[0].id;
  putOn(session, setup, {{"top.w0", "board.clock"}, {"top.w1", "board.data"}});
  ASSERT_EQ(session.buses.size(), 2U);
  EXPECT_NE(session.buses[0].id, before) << "an id is never given again";
  EXPECT_EQ(session.buses[0].bus.channelOf("scl"), "board.clock");
  EXPECT_EQ(session.buses[0].bus.channelOf("sda"), "board.data");
  EXPECT_EQ(session.buses[1].bus.channelOf("rx"), "top.w2") << "what nobody found keeps its name";
  EXPECT_EQ(session.lanes.nameOf("board.clock", ""), "clock é");
  EXPECT_EQ(session.lanes.nameOf("a", "a"), "a");
  EXPECT_EQ(session.lanes.colourOf("board.data"), WireColour::Violet);
  EXPECT_EQ(session.conditioning.size(), 1U);
  EXPECT_EQ(session.conditioning.at("board.data").minPulse, Picoseconds{30000});
  // Kept again, it is what it was but for the names of channels.
  Session again;
  putOn(again, setupOf(session), {{"board.clock", "top.w0"}, {"board.data", "top.w1"}});
  EXPECT_EQ(setupOf(again), setup);
}

TEST(SetupFile, WhatIsNoneSaysSo)
{
  const Folder folder;
  const std::string path = folder / "a.json";
  EXPECT_THAT(setupError(path), HasSubstr("cannot be read"));
  put(path, "{\n\n  nothing\n}");
  EXPECT_EQ(setupError(path), path + ", line 3: is no JSON; choose a file that was kept as a set-up");
  for (const char* none : {"", "[]", "{}", "7", R"({"bexto_setup": "x"})"}) {
    put(path, none);
    EXPECT_THAT(setupError(path), HasSubstr("choose a file that was kept as a set-up")) << none;
  }
  put(path, R"({"bexto_setup": 2})");
  EXPECT_THAT(setupError(path), HasSubstr("was written by a newer Bexto"));
  put(path, R"({"bexto_setup": 1, "buses": [{"name": "a", "protocol": "morse"}]})");
  EXPECT_THAT(setupError(path), HasSubstr("a.json, bus 'a': "));
  put(path, R"({"bexto_setup": 1, "buses": [{"name": "a", "protocol": "i2c", "settings": {"spike": "long"}}]})");
  EXPECT_THAT(setupError(path), HasSubstr("a.json, bus 'a': "));
  for (const char* odd : {R"({"bexto_setup": 1, "buses": [{"name": "a"}]})", R"({"bexto_setup": 1, "buses": 5})",
                          R"({"bexto_setup": 1, "channels": [{"channel": 5}]})",
                          R"({"bexto_setup": 1, "channels": [{"channel": "a", "inverted": "yes"}]})"}) {
    put(path, odd);
    EXPECT_THAT(setupError(path), HasSubstr("docs/setup-format.md says what is in it")) << odd;
  }
  put(path, R"({"bexto_setup": 1, "later": {}, "channels": [{"channel": "a", "colour": "??", "later": 1}]})");
  EXPECT_EQ(setupError(path), "") << "what is not known is passed over";
}
