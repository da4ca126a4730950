// What sheets say and what is said of those with mistakes.
#include <gmock/gmock.h>

#include <filesystem>

#include "support/device_traffic.h"

using namespace bexto;
using namespace bexto::test;
using testing::ElementsAre;
using testing::HasSubstr;

namespace {

constexpr const char* kLevel = R"(sheet: 1
device: LT-20
bus: i2c
address: 0x2A
registers:
  state: {at: 0x10, access: read, values: {1: ok, 3: stale}}
  level: {at: 0x11, bytes: 2, scale: 0.003012, unit: m}
)";

std::vector<std::string> sheetProblems(const std::string& text)
{
  std::vector<std::string> texts;
  for (const SheetProblem& p : readSheet(text).problems)
    texts.push_back(p.text());
  return texts;
}

std::string with(const std::string& from, const std::string& to)
{
  std::string text = kLevel;
  const std::size_t at = text.find(from);
  EXPECT_NE(at, std::string::npos) << from;
  return text.replace(at, from.size(), to);
}

/// The number that a place finds in bytes.
std::uint64_t found(const BitPlace& place, const std::vector<std::uint8_t>& bytes)
{
  return bitsAt(place, bytes).value_or(0xdead);
}

SheetField signalOf(const std::string& keys)
{
  const SheetRead read =
      readSheet("sheet: 1\ndevice: d\nbus: can\nmessages:\n  m: {id: 1, fields: {v: {" + keys + "}}}\n");
  EXPECT_TRUE(read.sheet) << (read.problems.empty() ? "" : read.problems.front().text());
  return read.sheet ? read.sheet->messages.front().fields.front() : SheetField();
}

}  // namespace

TEST(Sheet, IsReadAsItIsWritten)
{
  const SheetRead read = readSheet(kLevel);
  ASSERT_TRUE(read.sheet) << read.problems.front().text();
  const Sheet& sheet = *read.sheet;
  EXPECT_EQ(sheet.device, "LT-20");
  EXPECT_EQ(sheet.protocol, "i2c");
  EXPECT_THAT(sheet.addresses, ElementsAre(0x2aU));
  ASSERT_EQ(sheet.registers.size(), 2U);
  const SheetRegister& level = sheet.registers[1];
  EXPECT_EQ(level.name, "level");
  EXPECT_EQ(level.at, 0x11U);
  EXPECT_EQ(level.bytes, 2U);
  EXPECT_EQ(level.line, 7);
  ASSERT_EQ(level.fields.size(), 1U);
  EXPECT_DOUBLE_EQ(level.fields[0].scale, 0.003012);
  EXPECT_EQ(level.fields[0].digits, 3);
  EXPECT_FALSE(sheet.registers[0].writable);
  EXPECT_EQ(*sheet.registers[0].fields[0].wordOf(3), "stale");
  EXPECT_EQ(sheet.registers[0].fields[0].wordOf(2), nullptr);
}

TEST(Sheet, ThoseThatAreShippedHaveNoMistakes)
{
  int sheets = 0;
  for (const char* folder : {"data/sheets", "docs/examples"}) {
    for (const auto& file : std::filesystem::directory_iterator(sourceFolder(folder))) {
      if (file.path().extension() != ".yaml")
        continue;
      const SheetRead read = readSheet(fileText(file.path().string()));
      EXPECT_TRUE(read.sheet) << file.path() << " " << (read.problems.empty() ? "" : read.problems.front().text());
      ++sheets;
    }
  }
  EXPECT_GE(sheets, 11);
}

TEST(Sheet, SaysEveryMistakeWithItsLineAndTheMend)
{
  struct Case {
    std::string from;
    std::string to;
    std::string said;
  };
  const std::vector<Case> cases{
      {"sheet: 1", "sheet: 2", "line 1: 'sheet' cannot be 2"},
      {"device: LT-20\n", "", "a sheet has to have 'device'; write it like device: LT-20"},
      {"bus: i2c", "bus: i3c", "line 3: 'bus' cannot be 'i3c'; did you mean i2c"},
      {"address: 0x2A", "address: 2A", "line 4: 'address' is '2A', and has to be a whole number"},
      {"address: 0x2A", "address: 0x80", "line 4: 'address' cannot be 0x80"},
      {"registers:", "register:", "line 5: a sheet has no key 'register'; did you mean registers"},
      {"access: read", "access: r", "line 6: 'access' cannot be 'r'; it is one of read, write, both"},
      {"at: 0x10", "att: 0x10", "line 6: a register has no key 'att'; did you mean at"},
      {"at: 0x10", "at: 0x100", "line 6: register 'state' is at 0x100, which cannot be reached"},
      {"at: 0x11", "at: 0x10", "line 7: register 'level' at 0x10 overlaps 'state' (line 6)"},
      {"bytes: 2", "bytes: 0", "line 7: 'bytes' cannot be 0; it is from 1 to 64"},
      {"scale: 0.003012", "scale: 0", "line 7: a scale of 0 makes all values the same"},
      {"scale: 0.003012", "scale: fast", "line 7: 'scale' is 'fast', and has to be a number"},
      {"unit: m", "unit: [m]", "line 7: 'unit' is a list, and has to be a text"},
      {"unit: m", "text: \"{levl} m\"", "line 7: there is no value 'levl' to put into the text; did you mean level"},
      {"unit: m", "text: \"{level m\"", "line 7: a brace is not closed"},
      {"unit: m", "type: flag", "line 7: 'level' is a flag and has 16 bits"},
      {"unit: m", "type: float", "line 7: 'level' is a float of 16 bits"},
      {"unit: m", "bits: 20", "line 7: there are no bits 20; these bytes have the bits 15..0"},
      {"unit: m", "reset: 0x10000", "line 7: the reset value does not fit into 2 bytes"},
      {"unit: m", "min: 3, max: 2", "line 7: 'level' has a min above its max"},
      {"{1: ok, 3: stale}", "{1: ok, 0..2: stale}", "1 is both 'stale' and 'ok'"},
      {"{1: ok, 3: stale}", "[ok, stale]", "line 6: words of values have to be a map"},
      {"  level:", "  Level:", "line 7: 'Level' is no name"},
      {"  level:", "  state:", "line 7: 'state' stands here twice"},
      {"  level: {at", "  level {at", "this is no YAML"},
      {"unit: m", "unit: m, fields: {a: {bits: 0}}", "line 7: 'unit' means nothing here"},
      {"bytes: 2, scale: 0.003012, unit: m", "fields: {}", "line 7: 'level' has no value in it"},
      {"bytes: 2, scale: 0.003012, unit: m", "bytes: 9, fields: {a: {bits: 0}}",
       "line 7: 'level' has values and more than 8 bytes"},
      {"registers:", "messages: {a: {id: 1}}\nregisters:", "line 5: 'messages' means nothing here"},
      {"registers:", "commands: {go: {opcode: 0x100}}\nregisters:", "line 5: 'opcode' cannot be 0x100"},
      {"registers:", "commands: {go: {opcode: 0x13, mask: 0xF0}}\nregisters:",
       "line 5: the opcode has bits that its mask leaves out"},
      {"registers:", "commands: {go: {opcode: 0x13, reads: 1}}\nregisters:",
       "line 5: 'go' moves bytes of the space and does not say where"},
      {"registers:", "sentences: [{of: [levl], text: x}]\nregisters:", "line 5: there is no register 'levl'"},
  };
  for (const Case& c : cases) {
    const std::vector<std::string> said = sheetProblems(with(c.from, c.to));
    const auto hit = std::any_of(said.begin(), said.end(),
                                 [&](const std::string& s) { return s.find(c.said) != std::string::npos; });
    EXPECT_TRUE(hit) << c.said << "\nis not said of " << c.to
                     << (said.empty() ? "\nnothing is" : "\nbut " + said.front());
  }
}

TEST(Sheet, SaysAllMistakesAtOnceInTheirOrder)
{
  const auto said = sheetProblems(with("access: read", "access: r") + "  third: {at: 0x20, byts: 2}\nunits: m\n");
  ASSERT_EQ(said.size(), 3U) << said.front();
  EXPECT_THAT(said[0], HasSubstr("line 6"));
  EXPECT_THAT(said[1], HasSubstr("line 8"));
  EXPECT_THAT(said[2], HasSubstr("line 9"));
}

TEST(Sheet, MessagesHaveMistakesOfTheirOwn)
{
  const std::string head = "sheet: 1\ndevice: d\nbus: uart\n";
  EXPECT_THAT(sheetProblems(head + "messages: {a: {match: {byte: 0, value: 1}}}\n").front(),
              HasSubstr("has to have 'framing'"));
  EXPECT_THAT(sheetProblems(head + "framing: {start: 0x7E}\nmessages: {a: {}}\n").front(),
              HasSubstr("line 4: nothing says where a message ends"));
  EXPECT_THAT(sheetProblems(head + "framing: {escape: slip, size: 4}\nmessages: {a: {}}\n").front(),
              HasSubstr("cannot be counted in bytes that are escaped"));
  EXPECT_THAT(sheetProblems(head + "framing: {gap: soon}\nmessages: {a: {}}\n").front(),
              HasSubstr("'soon' is no time; write it like 2ms"));
  EXPECT_THAT(sheetProblems(head + "framing: {end: 10}\nmessages:\n  a: {answers: b}\n").front(),
              HasSubstr("line 6: 'a' answers 'b'"));
  EXPECT_THAT(sheetProblems(head + "framing: {end: 10}\nmessages:\n  a: {line: \"x {Y}\"}\n").front(),
              HasSubstr("'Y' is no name of a value"));
  EXPECT_THAT(sheetProblems(head + "framing: {end: 10}\nchecksum: {kind: crc, width: 16}\nmessages: {a: {}}\n").front(),
              HasSubstr("line 5: a checksum has to have 'polynomial'"));
  EXPECT_THAT(sheetProblems(
                  head + "framing: {end: 10}\nchecksum: {kind: crc, width: 12, polynomial: 0x80F}\nmessages: {a: {}}\n")
                  .front(),
              HasSubstr("a width of 12 bits is no whole byte"));
  EXPECT_THAT(sheetProblems("sheet: 1\ndevice: d\nbus: can\nmessages:\n  a: {fields: {v: {byte: 0}}}\n").front(),
              HasSubstr("line 5: a message has to have 'id'"));
  EXPECT_THAT(sheetProblems("sheet: 1\ndevice: d\nbus: can\nmessages:\n  a: {id: 0x800}\n").front(),
              HasSubstr("'id' cannot be 0x800"));
  EXPECT_THAT(
      sheetProblems("sheet: 1\ndevice: d\nbus: can\nmessages:\n  a: {id: 1, fields: {v: {byte: 0, when: {w: 1}}, "
                    "w: {byte: 1}}}\n")
          .front(),
      HasSubstr("there is no value 'w' above this one"));
  EXPECT_THAT(sheetProblems("sheet: 1\ndevice: d\nbus: can\nmessages:\n  a: {id: 1, fields: {v: {unit: m}}}\n").front(),
              HasSubstr("nothing says where this is"));
}

TEST(Sheet, AnythingAtAllIsRefusedInALine)
{
  EXPECT_THAT(sheetProblems(""), ElementsAre(HasSubstr("the sheet is empty")));
  EXPECT_THAT(sheetProblems("- a\n- b\n").front(), HasSubstr("a sheet is a map"));
  EXPECT_THAT(sheetProblems("a: b\n---\nc: d\n"), ElementsAre(HasSubstr("line 2: a second document begins here")));
  std::string deep;
  for (int i = 0; i < 200; ++i)
    deep += "[";
  EXPECT_EQ(sheetProblems("sheet: " + deep).size(), 1U);
  // Aliases of aliases: a billion of entries, in a few lines.
  std::string bomb = "a0: &a0 [1, 2, 3, 4, 5, 6, 7, 8, 9, 10]\n";
  for (int i = 1; i < 10; ++i) {
    bomb += "a" + std::to_string(i) + ": &a" + std::to_string(i) + " [";
    for (int k = 0; k < 10; ++k)
      bomb += (k == 0 ? "*a" : ", *a") + std::to_string(i - 1);
    bomb += "]\n";
  }
  EXPECT_THAT(sheetProblems(bomb).front(), HasSubstr("this is too much for one sheet"));
  EXPECT_THAT(sheetProblems(std::string((1U << 20U) + 1, '#')).front(), HasSubstr("too long"));
}

TEST(Sheet, TheSchemaRefusesWhatTheReaderDoes)
{
  const auto fits = [](const std::string& text) {
    const auto tree = parseYaml(text);
    return tree && checkBySchema(*tree).empty();
  };
  EXPECT_TRUE(fits(kLevel));
  EXPECT_FALSE(fits(with("sheet: 1", "sheet: 2")));
  EXPECT_FALSE(fits(with("access: read", "access: r")));
  EXPECT_FALSE(fits(with("at: 0x10", "att: 0x10")));
  EXPECT_FALSE(fits(with("address: 0x2A", "address: 2A")));
  EXPECT_FALSE(fits(with("  level:", "  Level:")));
  EXPECT_FALSE(fits(with("bytes: 2", "bytes: 0")));
}

TEST(SheetPlace, BigOrderGoesDownFromItsHighestBit)
{
  // Bit 7 of byte 0 on, twelve of them: byte 0 and the upper half of byte 1.
  EXPECT_EQ(found(signalOf("start: 7, length: 12, order: big").place, {0xab, 0xcd}), 0xabcU);
  EXPECT_EQ(found(signalOf("start: 3, length: 12, order: big").place, {0xab, 0xcd}), 0xbcdU);
  EXPECT_EQ(found(signalOf("start: 5, length: 3, order: big").place, {0x28}), 5U);
  EXPECT_EQ(found(signalOf("start: 0, length: 64, order: big").place, {1, 0, 0, 0, 0, 0, 0, 0, 2}),
            0x8000000000000001U);
}

TEST(SheetPlace, LittleOrderGoesUpFromItsLowestBit)
{
  EXPECT_EQ(found(signalOf("start: 0, length: 12").place, {0xab, 0xcd}), 0xdabU);
  EXPECT_EQ(found(signalOf("start: 4, length: 12").place, {0xab, 0xcd}), 0xcdaU);
  EXPECT_EQ(found(signalOf("start: 12, length: 4").place, {0xab, 0xcd}), 0xcU);
  EXPECT_EQ(found(signalOf("start: 4, length: 64").place, {0x10, 0, 0, 0, 0, 0, 0, 0, 0x0f}), 0xf000000000000001U);
}

TEST(SheetPlace, BytesAndBitsCountFromEitherEnd)
{
  EXPECT_EQ(found(signalOf("byte: 1, bytes: 2, order: big").place, {9, 0x12, 0x34}), 0x1234U);
  EXPECT_EQ(found(signalOf("byte: 1, bytes: 2, order: little").place, {9, 0x12, 0x34}), 0x3412U);
  EXPECT_EQ(found(signalOf("byte: -1").place, {9, 8, 7}), 7U);
  EXPECT_EQ(found(signalOf("byte: 0, bits: 6..4").place, {0x5f}), 5U);
  EXPECT_EQ(found(signalOf("byte: 3").place, {9, 8, 7}), 0xdeadU) << "there are too few";
}
