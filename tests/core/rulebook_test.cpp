#include "core/check/rulebook.h"

#include <gtest/gtest.h>

#include "core/check/book_copy.h"
#include "core/check/rulebook_file.h"
#include "core/decode/protocol.h"
#include "support/device_traffic.h"
#include "support/sessions.h"

using namespace bexto;
using namespace bexto::test;

namespace {

std::string bookProblems(const std::string& text)
{
  std::string all;
  for (const SheetProblem& problem : readRulebook(text).problems)
    all += problem.text() + "\n";
  return all;
}

TEST(Rulebooks, ThoseOfTheProgramAreReadAndEveryLimitHasASource)
{
  EXPECT_EQ(shippedBooks(), (std::vector<std::string>{"can", "i2c-fast", "i2c-fast-plus", "i2c-high-speed",
                                                      "i2c-standard", "lin", "onewire", "smbus", "uart"}));
  for (const std::string& name : shippedBooks()) {
    const RulebookRead read = readRulebook(*shippedBook(name));
    ASSERT_TRUE(read.book) << name << ": " << bookProblems(*shippedBook(name));
    EXPECT_EQ(read.book->name, name);
    EXPECT_FALSE(read.book->source.empty());
    const Protocol& protocol = **protocolNamed(read.book->protocol);
    std::size_t errors = 0;
    for (const LimitRule& limit : read.book->limits) {
      EXPECT_TRUE(limit.limits.any()) << name << " " << limit.name;
      EXPECT_FALSE(limit.clause.empty()) << name << " " << limit.name;
      EXPECT_FALSE(limit.differs());
      errors += limit.isError ? 1 : 0;
      EXPECT_TRUE(!limit.isError || limit.limits == (Limits{{}, 0.0})) << name << " " << limit.name;
    }
    // Each error word but the harmless ones.
    const std::size_t harmless = protocol.harmless() == 0 ? 0 : 1;
    EXPECT_EQ(errors, protocol.facts().errors.size() - harmless) << name;
  }
}

TEST(Rulebooks, HaveTheFiguresOfTheirTables)
{
  const auto limit = [](const char* book, const char* rule) {
    return readRulebook(*shippedBook(book)).book->limitOf(rule)->limits;
  };
  EXPECT_EQ(limit("i2c-standard", "tLOW"), (Limits{4'700'000.0, {}}));
  EXPECT_EQ(limit("i2c-fast", "fSCL"), (Limits{{}, 400e3}));
  EXPECT_EQ(limit("i2c-fast", "tSU;DAT"), (Limits{100'000.0, {}}));
  EXPECT_EQ(limit("i2c-fast", "tVD;DAT"), (Limits{{}, 900'000.0}));
  EXPECT_EQ(limit("i2c-fast-plus", "tHIGH"), (Limits{260'000.0, {}}));
  EXPECT_EQ(limit("i2c-high-speed", "tHD;DAT"), (Limits{0.0, 70'000.0}));
  EXPECT_EQ(limit("smbus", "tHIGH"), (Limits{4'000'000.0, 50'000'000.0}));
  EXPECT_EQ(limit("can", "intermission"), (Limits{3.0, {}}));
}

TEST(Rulebooks, QuantitiesNeedTheirUnit)
{
  const auto value = [](const char* text, MeasureUnit unit) {
    const auto read = parseQuantity(text, unit);
    return read ? read->value : -1.0;
  };
  EXPECT_EQ(value("1.3 us", MeasureUnit::Time), 1'300'000.0);
  EXPECT_EQ(value("100ns", MeasureUnit::Time), 100'000.0);
  EXPECT_EQ(value("0", MeasureUnit::Time), 0.0);
  EXPECT_FALSE(parseQuantity("13", MeasureUnit::Time));
  EXPECT_TRUE(parseQuantity("13 bits", MeasureUnit::Time)->inBits);
  EXPECT_EQ(value("400 kHz", MeasureUnit::Frequency), 400e3);
  EXPECT_EQ(value("-2 %", MeasureUnit::Percent), -2.0);
  EXPECT_EQ(value("37.5", MeasureUnit::Percent), 37.5);
  EXPECT_FALSE(parseQuantity("soon", MeasureUnit::Count));
}

TEST(Rulebooks, ABookMadeFromAnotherSaysWhereItDiffers)
{
  const RulebookRead read = readRulebook(
      "rulebook: ours\nbase: i2c-fast\nlimits:\n  tLOW: {min: 1.4 us, clause: our review}\n"
      "  tBUF: {min: 1.3 us}\n");
  ASSERT_TRUE(read.book) << bookProblems("rulebook: ours\nbase: i2c-fast\n");
  EXPECT_EQ(read.book->protocol, "i2c");
  EXPECT_TRUE(read.book->limitOf("tLOW")->differs());
  EXPECT_EQ(read.book->limitOf("tLOW")->original, (Limits{1'300'000.0, {}}));
  EXPECT_EQ(read.book->limitOf("tLOW")->clause, "our review");
  EXPECT_FALSE(read.book->limitOf("tBUF")->differs());
  EXPECT_EQ(read.book->limitOf("tHIGH")->limits, (Limits{600'000.0, {}}));
}

TEST(Rulebooks, WhatDiffersIsNotWhatTheOriginalsDocumentSays)
{
  const auto clauseOf = [](const std::string& head, const std::string& limit) {
    const RulebookRead read = readRulebook(head + "base: i2c-fast\nlimits:\n  tLOW: {" + limit + "}\n");
    return read.book ? read.book->limitOf("tLOW")->clause : bookProblems(head);
  };
  EXPECT_EQ(clauseOf("rulebook: ours\n", "min: 1.3 us"), "UM10204 rev. 7.0, table 10");
  EXPECT_EQ(clauseOf("rulebook: ours\n", "min: 1.4 us"), "ours");
  EXPECT_EQ(clauseOf("rulebook: ours\ntitle: Our margins\n", "min: 1.4 us"), "Our margins");
  EXPECT_EQ(clauseOf("rulebook: ours\nsource: Board 7\n", "min: 1.4 us"), "Board 7");
  EXPECT_EQ(clauseOf("rulebook: ours\nsource: Board 7\n", "min: 1.4 us, clause: page 3"), "Board 7, page 3");
  EXPECT_EQ(clauseOf("rulebook: ours\nsource: Board 7\n", "min: 1.3 us"), "UM10204 rev. 7.0, table 10");
}

TEST(Rulebooks, AnotherUnitIsAnotherLimit)
{
  const RulebookRead bits = readRulebook("rulebook: ours\nbase: uart\nlimits:\n  pause: {min: 1 bits}\n");
  ASSERT_TRUE(bits.book);
  EXPECT_TRUE(bits.book->limitOf("pause")->differs());
  const LimitRule limit{"x", 1, false, {{}, 2.0}, true, {}, Limits{{}, 2.0}, false};
  EXPECT_TRUE(limit.differs());
}

TEST(Rulebooks, ACopySaysEveryLimitOnceMore)
{
  for (const std::string& name : shippedBooks()) {
    const RulebookRead original = readRulebook(*shippedBook(name));
    const Bus bus("the bus", **protocolNamed(original.book->protocol));
    const std::string text = bookToBeginWith(name, bus);
    const RulebookRead copy = readRulebook(text);
    ASSERT_TRUE(copy.book) << text << bookProblems(text);
    EXPECT_EQ(copy.book->name, "our-the-bus");
    EXPECT_EQ(copy.book->base, name);
    ASSERT_EQ(copy.book->limits.size(), original.book->limits.size());
    for (std::size_t i = 0; i < copy.book->limits.size(); ++i) {
      const LimitRule& limit = copy.book->limits[i];
      EXPECT_GT(limit.line, 0) << limit.name;
      EXPECT_FALSE(limit.differs()) << limit.name;
      EXPECT_EQ(limit.limits, original.book->limits[i].limits) << limit.name;
      EXPECT_EQ(limit.clause, original.book->limits[i].clause) << limit.name;
    }
  }
}

TEST(Rulebooks, WithoutAnOriginalABookBeginsWithWhatIsMeasured)
{
  for (const Protocol* const protocol : protocols()) {
    const Bus bus("b", *protocol);
    const std::string text = bookToBeginWith({}, bus);
    const RulebookRead read = readRulebook(text);
    ASSERT_TRUE(read.book) << text << bookProblems(text);
    EXPECT_EQ(read.book->protocol, protocol->name());
    EXPECT_TRUE(read.book->limits.empty());
    for (const MeasureSpec& measure : protocol->facts().measures)
      EXPECT_NE(text.find(measure.symbol + ": "), std::string::npos) << measure.symbol;
  }
}

TEST(Rulebooks, EveryMistakeIsSaidWhereItStands)
{
  const std::string said = bookProblems(
      "rulebook: x\nprotocol: i2c\nlimits:\n  tLOW: {min: 13}\n  tLOV: {min: 1 us}\n  tHIGH: {min: 2 us, max: 1 us}\n"
      "errors:\n  nack: {max: 0}\ntalk:\n  - rule: a\n  - rule: b\n    every: 20 ms\n    of: 'address:2A'\n"
      "  - rule: c\n    value: Level\n    max: 3\n  - rule: a\n    never: nack\ncolour: red\n");
  EXPECT_NE(said.find("line 4: '13' is no limit of this; write a time with its unit"), std::string::npos) << said;
  EXPECT_NE(said.find("line 5: 'tLOV' is not measured on I2C; did you mean tLOW"), std::string::npos) << said;
  EXPECT_NE(said.find("line 6: the least is more than the most"), std::string::npos) << said;
  EXPECT_NE(said.find("line 8: 'nack' is no error of I2C"), std::string::npos) << said;
  EXPECT_NE(said.find("line 10: nothing is expected here"), std::string::npos) << said;
  EXPECT_NE(said.find("has to have 'tolerance'"), std::string::npos) << said;
  EXPECT_NE(said.find("'Level' is no name of a value"), std::string::npos) << said;
  EXPECT_NE(said.find("there is a rule 'a' already"), std::string::npos) << said;
  EXPECT_NE(said.find("a rulebook has no key 'colour'"), std::string::npos) << said;
  EXPECT_NE(bookProblems("rulebook: x\nbase: i2c-fas\n").find("did you mean i2c-fast"), std::string::npos);
  EXPECT_NE(bookProblems("- 1\n").find("a rulebook is a map"), std::string::npos);
  EXPECT_NE(bookProblems("a: [\n"), "");
}

TEST(Rulebooks, TheReaderAndTheSchemaAgreeOnTheExamples)
{
  for (const char* const name : {"sensors", "adc", "drives"}) {
    const std::string text = fileText(sourceFolder("data/rulebooks/aldermere/") + name + ".yaml");
    EXPECT_TRUE(readRulebook(text).book) << name << ": " << bookProblems(text);
  }
}

TEST(Rulebooks, GoToTheBusesThatTheyFit)
{
  const auto buses = [] {
    return std::vector<Bus>{*parseBusSpec("s=i2c,scl=a,sda=b"), *parseBusSpec("c=can,rx=c,bitrate=500000")};
  };
  auto all = buses();
  ASSERT_TRUE(attachBooks({{"i2c-fast", ""}}, all));
  EXPECT_EQ(all[0].books.list().size(), 1U);
  EXPECT_TRUE(all[1].books.empty());
  all = buses();
  const auto wrong = attachBooks({{"i2c-fast", "c"}}, all);
  ASSERT_FALSE(wrong);
  EXPECT_EQ(wrong.error().code, ErrorCode::BadArgument);
  EXPECT_NE(wrong.error().text().find("'i2c-fast' is for a bus of i2c"), std::string::npos) << wrong.error().text();
  EXPECT_NE(attachBooks({{"i2c-fsat", "s"}}, all).error().text().find("did you mean i2c-fast"), std::string::npos);
  EXPECT_NE(attachBooks({{"i2c-fast", "z"}}, all).error().text().find("there is no bus 'z'"), std::string::npos);
  EXPECT_NE(attachBooks({{"uart", ""}}, all).error().text().find("no bus is one that 'uart' is for"),
            std::string::npos);
}

TEST(Rulebooks, AFileWithAMistakeIsNamedWithItsLine)
{
  Folder folder;
  const std::string path = folder / "ours.yaml";
  put(path, "rulebook: ours\nprotocol: i2c\nlimits:\n  tLOW: {min: soon}\n");
  const auto read = loadRulebook(path);
  ASSERT_FALSE(read);
  EXPECT_EQ(read.error().code, ErrorCode::Malformed);
  EXPECT_NE(read.error().text().find("ours.yaml, line 4"), std::string::npos) << read.error().text();
}

TEST(Rulebooks, BitsAreThoseOfTheSetRate)
{
  const RulebookRead read = readRulebook("rulebook: x\nprotocol: lin\nlimits:\n  break delimiter: {min: 2 bits}\n");
  ASSERT_TRUE(read.book);
  Bus bus = *parseBusSpec("l=lin,rx=a,baud=20000");
  EXPECT_TRUE(read.book->limitOf("break delimiter")->inBits);
}

TEST(Rulebooks, StandInForTheOneOfTheirNameAndAreTakenAway)
{
  Bus bus = DeviceTraffic("i2c").bus();
  attachBook(bus, {"a.yaml", "1"});
  attachBook(bus, {"b.yaml", "2"});
  attachBook(bus, {"a.yaml", "3"});
  EXPECT_EQ(bus.books.list(), (std::vector<SheetText>{{"a.yaml", "3"}, {"b.yaml", "2"}}));
  detachBook(bus, "none.yaml");
  EXPECT_EQ(bus.books.list().size(), 2U);
  detachBook(bus, "a.yaml");
  EXPECT_EQ(bus.books.list(), (std::vector<SheetText>{{"b.yaml", "2"}}));
  detachBook(bus, "b.yaml");
  EXPECT_EQ(bus, DeviceTraffic("i2c").bus()) << "as if there never was one";
}

TEST(Rulebooks, AreFoundInTheFirstFolderThatHasThem)
{
  const Folder one;
  const Folder two;
  put(one / "house.yaml", "rulebook: house\nbase: i2c-fast\n");
  put(two / "house.yaml", "rulebook: other\nbase: uart\n");
  put(two / "line.yml", "rulebook: line\nbase: uart\n");
  put(two / "broken.yaml", "rulebook: broken\nbase: nowhere\n");
  put(two / "sheet.yaml", "sheet: 1\ndevice: LT-20\n");
  put(two / "notes.txt", "rulebook: notes\nbase: uart\n");
  const auto found = findBooks({one / "", "/nowhere/at/all", two / ""});
  ASSERT_EQ(found.size(), 2U);
  EXPECT_EQ(found[0].text.name, "house.yaml");
  EXPECT_EQ(found[0].book->name, "house");
  EXPECT_EQ(found[0].path, one / "house.yaml");
  EXPECT_EQ(found[1].book->name, "line");
  EXPECT_EQ(found[1].book->protocol, "uart");
  for (const std::string& folder : rulebookFolders("/beside")) {
    EXPECT_TRUE(folder == "/beside" || folder.ends_with("/bexto/rulebooks")) << folder;
  }
  EXPECT_EQ(rulebookFolders("/beside").size(), sheetFolders("/beside").size());
}

}  // namespace
