// Messages in a row of characters.
#include <gmock/gmock.h>

#include <random>

#include "core/device/framer.h"
#include "core/device/reading.h"
#include "support/device_traffic.h"
#include "support/rooms.h"

using namespace bexto;
using namespace bexto::test;
using testing::ElementsAre;

namespace {

using Bytes = std::vector<std::uint8_t>;

std::string sheet(const std::string& framing, const std::string& more = "")
{
  return "sheet: 1\ndevice: d\nbus: uart\nframing: " + framing + "\n" + more +
         "messages:\n  m: {fields: {all: {byte: 0, bytes: rest, type: bytes}}, text: \"{all}\"}\n";
}

/// Each message by its bytes, in brackets what is none.
std::vector<std::string> units(const DeviceTraffic& traffic)
{
  const Transactions all = traffic.transactions();
  std::vector<std::string> texts;
  for (std::uint64_t i = 0; i < all.size(); ++i) {
    const auto told = all.meaning()->told(traffic.bus(), all.frames(), all.framesOf(i));
    texts.push_back(told.empty() ? "(" + std::to_string(all.framesOf(i).count()) + ")" : told.front().text);
  }
  return texts;
}

}  // namespace

TEST(Framer, CountsByALengthAndFindsTheNextStart)
{
  DeviceTraffic t("uart");
  t.describe(sheet("{start: 0x7E, length: {byte: 1, plus: 2}}"));
  t.say(Bytes{1, 2, 0x7e, 2, 0xaa, 0xbb, 0x7e, 1, 0x7e, 0x7e, 0, 9});
  EXPECT_THAT(units(t), ElementsAre("(2)", "7E 02 AA BB", "7E 01 7E", "7E 00", "(1)"));
}

TEST(Framer, AMessageThatIsCutCostsNotTheNext)
{
  DeviceTraffic t("uart");
  t.describe(sheet("{start: 0x7E, length: {byte: 1, plus: 2}}"));
  t.say(Bytes{0x7e, 9, 1, 2});
  t.rest(std::chrono::milliseconds{100});
  t.say(Bytes{0x7e, 1, 5});
  EXPECT_THAT(units(t), ElementsAre("(4)", "7E 01 05"));
}

TEST(Framer, EndsAtADelimiterAtARestAndAtASize)
{
  DeviceTraffic lines("uart");
  lines.describe(sheet("{end: \"\\r\\n\"}"));
  lines.say("ab\r\nc\r\n");
  EXPECT_THAT(units(lines), ElementsAre("61 62 0D 0A", "63 0D 0A"));
  DeviceTraffic rests("uart");
  rests.describe(sheet("{gap: 3ms}"));
  rests.say(Bytes{1, 2});
  rests.rest(std::chrono::milliseconds{2});
  rests.say(Bytes{3});
  rests.rest(std::chrono::milliseconds{3});
  rests.say(Bytes{4});
  EXPECT_THAT(units(rests), ElementsAre("01 02 03", "04"));
  DeviceTraffic sizes("uart");
  sizes.describe(sheet("{size: 3}"));
  sizes.say(Bytes{1, 2, 3, 4, 5, 6, 7});
  EXPECT_THAT(units(sizes), ElementsAre("01 02 03", "04 05 06", "(1)"));
}

TEST(Framer, GoesOnAnywhereInALongRow)
{
  const Bus bus("u", uartProtocol());
  const auto talk = bus.protocol().talkReader(bus);
  FrameIndexBuilder row;
  for (std::int64_t i = 0; i < 50000; ++i) {
    const auto byte = static_cast<std::uint32_t>(i % 7 == 0 ? 0x7e : i % 5);
    row.add({{Picoseconds{1000 * i}, Picoseconds{1000 * i + 900}}, kUartCharacter, kUartHasValue, 0, byte, {}});
  }
  const FrameIndex frames = row.snapshot();
  ASSERT_GT(frames.chunks().size(), 2U);
  SheetFraming framing;
  framing.start = {0x7e};
  framing.size = 7;
  std::vector<FramedUnit> all;
  findMessages(framing, *talk, frames, 0, all);
  ASSERT_EQ(all.size(), 7143U);
  for (const std::size_t from : {2000U, 4000U, 7000U}) {
    std::vector<FramedUnit> rest;
    findMessages(framing, *talk, frames, all[from].first, rest);
    ASSERT_EQ(rest.size(), all.size() - from);
    for (std::size_t i = 0; i < rest.size(); ++i) {
      ASSERT_EQ(rest[i].first, all[from + i].first);
      ASSERT_EQ(rest[i].isMessage, all[from + i].isMessage);
    }
  }
}

TEST(Framer, TakesEscapesAway)
{
  // RFC 1055: C0 ends, DB DC stands for C0 and DB DD for DB; an end in front flushes.
  DeviceTraffic slip("uart");
  slip.describe(sheet("{escape: slip}"));
  slip.say(Bytes{0xc0, 1, 0xdb, 0xdc, 0xdb, 0xdd, 2, 0xc0, 3, 0xc0});
  EXPECT_THAT(units(slip), ElementsAre("01 C0 DB 02", "03"));
  DeviceTraffic cobs("uart");
  cobs.describe(sheet("{escape: cobs}"));
  cobs.say(Bytes{3, 0x11, 0x22, 2, 0x33, 0, 1, 1, 0});
  EXPECT_THAT(units(cobs), ElementsAre("11 22 00 33", "00"));
  DeviceTraffic stuffed("uart");
  stuffed.describe(sheet("{start: 0x7E, end: 0x7F, escape: {mark: 0x7D, xor: 0x20}}"));
  stuffed.say(Bytes{0x7e, 1, 0x7d, 0x5f, 0x7d, 0x5d, 2, 0x7f});
  EXPECT_THAT(units(stuffed), ElementsAre("01 7F 7D 02"));
}

TEST(Framer, ABreakEndsWhatGoesOn)
{
  DeviceTraffic t("uart");
  t.describe(sheet("{start: 0x7E, size: 4}"));
  t.say(Bytes{0x7e, 1});
  DeviceTraffic whole("uart");
  whole.describe(sheet("{start: 0x7E, size: 4}"));
  whole.say(Bytes{0x7e, 1, 2, 3});
  EXPECT_THAT(units(t), ElementsAre("(2)"));
  EXPECT_THAT(units(whole), ElementsAre("7E 01 02 03"));
}

TEST(Framer, ABreakIsInNoMessageAndHarmsNoneBesideIt)
{
  DeviceTraffic t("uart");
  t.describe(sheet("{start: 0x7E, length: {byte: 1, plus: 2}}"));
  t.sayBreak();
  t.say(Bytes{0x7e, 1, 5});
  t.say(Bytes{0x7e});
  t.sayBreak();  // where its length should be
  t.say(Bytes{0x7e, 0});
  EXPECT_THAT(units(t), ElementsAre("(1)", "7E 01 05", "(2)", "7E 00"));
}

TEST(Framer, AnyPiecesAreTheWhole)
{
  const std::vector<std::string> framings{"{start: 0x7E, length: {byte: 1, plus: 2}}",
                                          "{end: 0x7E}",
                                          "{gap: 3ms}",
                                          "{escape: slip}",
                                          "{escape: cobs}",
                                          "{size: 5, most: 64}"};
  for (std::uint64_t seed = 0; seed < 60; ++seed) {
    std::mt19937_64 random(seed);
    DeviceTraffic t("uart");
    t.describe(sheet(framings[seed % framings.size()]));
    std::vector<FrameIndex> pieces;
    for (int i = 0; i < 400; ++i) {
      const std::uint64_t kind = random() % 12;
      t.say(Bytes{static_cast<std::uint8_t>(kind == 0   ? 0x7e
                                            : kind == 1 ? 0xc0
                                            : kind == 2 ? 0xdb
                                            : kind == 3 ? 0
                                                        : random() % 6)});
      if (random() % 9 == 0)
        t.rest(std::chrono::milliseconds{static_cast<int>(random() % 30)});
      if (random() % 25 == 0)
        pieces.push_back(t.frames());
    }
    pieces.push_back(t.frames());
    const Transactions whole(t.bus(), t.frames());
    Transactions grown;
    for (const FrameIndex& piece : pieces)
      grown = Transactions(t.bus(), piece, grown);
    ASSERT_EQ(grown.size(), whole.size()) << seed;
    for (std::uint64_t i = 0; i < whole.size(); ++i) {
      ASSERT_EQ(grown.framesOf(i), whole.framesOf(i)) << seed << " " << i;
      ASSERT_EQ(grown.meaning()->told(t.bus(), t.frames(), grown.framesOf(i)),
                whole.meaning()->told(t.bus(), t.frames(), whole.framesOf(i)))
          << seed << " " << i;
    }
    std::uint64_t frames = 0;
    for (std::uint64_t i = 0; i < whole.size(); ++i)
      frames += whole.framesOf(i).count();
    EXPECT_EQ(frames, t.frames().size()) << "every character is in one line";
  }
}
