// Sheets as files: found, attached, and how well they fit what was said.
#include <gmock/gmock.h>

#include <cstdlib>
#include <filesystem>

#include "support/device_traffic.h"
#include "support/sessions.h"

using namespace bexto;
using namespace bexto::test;
using testing::ElementsAre;
using testing::HasSubstr;

namespace {

constexpr const char* kGood = "sheet: 1\ndevice: d\nbus: i2c\naddress: 0x2A\nregisters: {a: {at: 0}}\n";

}  // namespace

TEST(SheetFile, IsRefusedWithFileLineAndMend)
{
  const Folder folder;
  put(folder / "bad.yaml", "sheet: 1\ndevice: d\nbus: i2c\naddress: 1000\n");
  DeviceTraffic t("i2c");
  const auto bad = loadSheetFor(folder / "bad.yaml", t.bus());
  ASSERT_FALSE(bad);
  EXPECT_EQ(bad.error().code, ErrorCode::Malformed);
  EXPECT_THAT(bad.error().text(), HasSubstr("bad.yaml, line 4: 'address' cannot be 1000"));
  const auto none = loadSheetFor(folder / "none.yaml", t.bus());
  ASSERT_FALSE(none);
  EXPECT_EQ(none.error().code, ErrorCode::Unreadable);
  EXPECT_FALSE(loadSheet(folder / "")) << "a folder is no file";
  put(folder / "long.yaml", std::string((1U << 20U) + 1, '#'));
  EXPECT_THAT(loadSheet(folder / "long.yaml").error().text(), HasSubstr("too long for a sheet"));
}

TEST(SheetFile, StandsInForTheOneOfItsName)
{
  Bus bus = DeviceTraffic("i2c").bus();
  attachSheet(bus, {"a.yaml", "1"});
  attachSheet(bus, {"b.yaml", "2"});
  attachSheet(bus, {"a.yaml", "3"});
  EXPECT_THAT(bus.sheets.list(), ElementsAre(SheetText{"a.yaml", "3"}, SheetText{"b.yaml", "2"}));
  detachSheet(bus, "a.yaml");
  EXPECT_THAT(bus.sheets.list(), ElementsAre(SheetText{"b.yaml", "2"}));
  detachSheet(bus, "b.yaml");
  EXPECT_TRUE(bus.sheets.empty());
  EXPECT_EQ(bus, DeviceTraffic("i2c").bus()) << "as if there never was one";
}

TEST(SheetFile, IsFoundInTheFirstFolderThatHasIt)
{
  const Folder one;
  const Folder two;
  put(one / "a.yaml", kGood);
  put(two / "a.yaml", "sheet: 1\ndevice: other\n");
  put(two / "b.yml", "sheet: 2\n");
  put(two / "c.yaml", "just: some\nother: file\n");
  put(two / "d.txt", kGood);
  const auto found = findSheets({one / "", "/nowhere/at/all", two / ""});
  ASSERT_EQ(found.size(), 2U);
  EXPECT_EQ(found[0].text.name, "a.yaml");
  EXPECT_TRUE(found[0].read.sheet);
  EXPECT_EQ(found[1].text.name, "b.yml");
  EXPECT_FALSE(found[1].read.problems.empty());
}

TEST(SheetFile, FoldersAreThoseOfTheDesktop)
{
  const auto restore = [](const char* name) {
    const char* const value = std::getenv(name);
    return value == nullptr ? std::string() : std::string(value);
  };
  const std::string home = restore("XDG_DATA_HOME");
  const std::string dirs = restore("XDG_DATA_DIRS");
  ::setenv("XDG_DATA_HOME", "/h", 1);
  ::setenv("XDG_DATA_DIRS", "/a:/b", 1);
  EXPECT_THAT(sheetFolders("/beside"), ElementsAre("/beside", "/h/bexto/sheets", "/a/bexto/sheets", "/b/bexto/sheets"));
  EXPECT_THAT(sheetFolders(""), ElementsAre("/h/bexto/sheets", "/a/bexto/sheets", "/b/bexto/sheets"));
  home.empty() ? ::unsetenv("XDG_DATA_HOME") : ::setenv("XDG_DATA_HOME", home.c_str(), 1);
  dirs.empty() ? ::unsetenv("XDG_DATA_DIRS") : ::setenv("XDG_DATA_DIRS", dirs.c_str(), 1);
}

TEST(SheetFile, FitsWhatWasSaid)
{
  DeviceTraffic t("i2c");
  t.write(0x2a, {0, 1});
  t.write(0x2a, {0}, false);
  t.write(0x30, {0});
  EXPECT_EQ(fitOf({"a", kGood}, t.bus(), t.frames()), 1U) << "nobody answered the second";
  EXPECT_EQ(fitOf({"a", "sheet: 1\n"}, t.bus(), t.frames()), 0U);
  EXPECT_EQ(fitOf({"a", "sheet: 1\ndevice: d\nbus: can\nmessages: {a: {id: 1}}\n"}, t.bus(), t.frames()), 0U);
  DeviceTraffic messages("can");
  messages.can(1, {});
  messages.can(2, {});
  const SheetText one{"a", "sheet: 1\ndevice: d\nbus: can\nmessages: {a: {id: 1}}\n"};
  EXPECT_EQ(fitOf(one, messages.bus(), messages.frames()), 1U);
  // Of long traffic the begin is asked: the chunks that hold any of the first so many.
  for (int i = 0; i < 40'000; ++i)
    messages.can(1, {});
  const std::uint64_t chunk = messages.frames().chunks().at(1)->first;
  EXPECT_EQ(fitOf(one, messages.bus(), messages.frames(), chunk), chunk - 1);
  EXPECT_EQ(fitOf(one, messages.bus(), messages.frames(), chunk + 1), 2 * chunk - 1);
}
