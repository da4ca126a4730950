// Numbers, words and texts that sheets find in bytes, and checks over them.
#include <gmock/gmock.h>

#include <random>

#include "core/device/field_value.h"
#include "support/device_traffic.h"

using namespace bexto;
using namespace bexto::test;

namespace {

using Bytes = std::vector<std::uint8_t>;

SheetField field(const std::string& keys)
{
  const SheetRead read =
      readSheet("sheet: 1\ndevice: d\nbus: spi\ncommands:\n  c: {opcode: 1, sent: {v: {byte: 0, " + keys + "}}}\n");
  EXPECT_TRUE(read.sheet) << (read.problems.empty() ? "" : read.problems.front().text());
  return read.sheet ? read.sheet->commands.front().fields.front() : SheetField();
}

ToldValue valueIn(const std::string& keys, const Bytes& bytes)
{
  const auto value = valueOf(field(keys), {bytes, bytes});
  EXPECT_TRUE(value) << keys;
  return value.value_or(ToldValue());
}

/// Bit by bit, as the standards write it.
std::uint32_t plainCrc(const SheetChecksum& c, const Bytes& bytes)
{
  const auto reversed = [](std::uint64_t v, unsigned bits) {
    std::uint64_t out = 0;
    for (unsigned i = 0; i < bits; ++i)
      out |= (v >> i & 1U) << (bits - 1 - i);
    return out;
  };
  const std::uint64_t top = std::uint64_t{1} << (c.width - 1);
  const std::uint64_t all = top * 2 - 1;
  std::uint64_t value = c.initial;
  for (const std::uint8_t byte : bytes) {
    const std::uint64_t b = c.reflected ? reversed(byte, 8) : byte;
    for (int bit = 7; bit >= 0; --bit) {
      const bool one = ((value & top) != 0) != ((b >> bit & 1U) != 0);
      value = (value << 1U) & all;
      value ^= one ? c.polynomial : 0U;
    }
  }
  return static_cast<std::uint32_t>((c.reflected ? reversed(value, c.width) : value) ^ c.finalXor);
}

SheetChecksum crc(unsigned width, std::uint32_t polynomial, std::uint32_t initial, bool reflected,
                  std::uint32_t finalXor)
{
  SheetChecksum c;
  c.width = width;
  c.polynomial = polynomial;
  c.initial = initial;
  c.reflected = reflected;
  c.finalXor = finalXor;
  return c;
}

const Bytes kDigits{'1', '2', '3', '4', '5', '6', '7', '8', '9'};

}  // namespace

TEST(FieldValue, NumbersAreScaledAndShownWithTheirDigits)
{
  EXPECT_EQ(valueIn("bytes: 2, scale: 0.003012, unit: m", {0x7f, 0x3b}).textWithUnit(), "98.104 m");
  EXPECT_EQ(valueIn("type: signed", {0xfe}).text, "-2");
  EXPECT_EQ(valueIn("bytes: 2, type: signed, fraction: 6, digits: 2", {0xff, 0xf0}).text, "-0.25");
  EXPECT_EQ(valueIn("offset: -40, unit: °C", {65}).textWithUnit(), "25 °C");
  EXPECT_EQ(valueIn("hex: yes", {0x0a}).text, "0x0A");
  EXPECT_EQ(valueIn("bytes: 4, type: float", {0x40, 0x49, 0x0f, 0xdb}).text, "3.141593");
  EXPECT_EQ(valueIn("bytes: 8, type: float", {0x3f, 0xe0, 0, 0, 0, 0, 0, 0}).text, "0.5");
  EXPECT_EQ(valueIn("bytes: 8, digits: 0", {0xff, 0xff, 0xff, 0xff, 0xff, 0xff, 0xff, 0xff}).text,
            "18446744073709551616");
}

TEST(FieldValue, DigitsOfFourBitsAreDecimal)
{
  EXPECT_EQ(valueIn("type: bcd", {0x59}).text, "59");
  EXPECT_EQ(valueIn("bytes: 2, type: bcd", {0x12, 0x34}).text, "1234");
  const ToldValue wrong = valueIn("type: bcd", {0x5a});
  EXPECT_EQ(wrong.text, "0x5A");
  EXPECT_EQ(wrong.wrong, "no decimal digits");
}

TEST(FieldValue, WordsStandForNumbersAndRanges)
{
  EXPECT_EQ(valueIn("values: {0: off, 1..3: low, 4..255: high}", {2}).text, "low");
  EXPECT_EQ(valueIn("values: {0: off, 1..3: low, 4..255: high}", {255}).text, "high");
  EXPECT_EQ(valueIn("values: {0: off}, unit: V", {7}).textWithUnit(), "7 V");
  EXPECT_EQ(valueIn("values: {0: off}, unit: V", {0}).textWithUnit(), "off");
  EXPECT_EQ(valueIn("type: signed, values: {-1: none}", {0xff}).text, "none");
}

TEST(FieldValue, WhatCannotBeIsSaid)
{
  EXPECT_EQ(valueIn("reserved: [2, 4..7]", {5}).wrong, "reserved");
  EXPECT_EQ(valueIn("reserved: [2, 4..7]", {3}).wrong, "");
  EXPECT_EQ(valueIn("max: 85", {86}).wrong, "above its most, 85");
  EXPECT_EQ(valueIn("type: signed, min: -1", {0xfe}).wrong, "below its least, -1");
  EXPECT_EQ(valueIn("max: 85", {85}).wrong, "");
}

TEST(FieldValue, TextAndBytesAreShownAsTheyAre)
{
  EXPECT_EQ(valueIn("bytes: 4, type: text", {'O', 'K', 7, 0}).text, "“OK\\x07”");
  EXPECT_EQ(valueIn("bytes: rest, type: bytes", {1, 2, 0xff}).text, "01 02 FF");
  EXPECT_FALSE(valueOf(field("bytes: 4, type: text"), {Bytes{'O'}, {}}));
}

TEST(FieldValue, TemplatesAndListsAreFilled)
{
  std::vector<ToldValue> values;
  values.push_back(valueIn("values: {1: ok}", {1}));
  values[0].name = "state";
  values.push_back(valueIn("scale: 0.5, unit: m", {7}));
  values[1].name = "level_now";
  EXPECT_EQ(filledIn("{{at}} {level_now} ({state}), {else}", values), "{at} 3.5 m (ok), ?");
  EXPECT_EQ(sentenceOf(values), "state = ok, level now = 3.5 m");
  ToldValue flag = valueIn("bits: 0, type: flag", {1});
  flag.name = "low_supply";
  EXPECT_EQ(sentenceOf({flag}), "low supply");
  flag = valueIn("bits: 0, type: flag", {0});
  EXPECT_EQ(sentenceOf({flag}), "no flag");
}

TEST(FieldValue, LinesOfTextAreTakenApart)
{
  SheetField clock;
  clock.name = "clock";
  clock.form = FieldForm::Float;
  SheetField what;
  what.name = "what";
  what.form = FieldForm::Text;
  std::vector<ToldValue> values;
  EXPECT_TRUE(matchLine("[{clock}] gate {what}!", "[ 5.199] gate opens!", {clock, what}, &values));
  ASSERT_EQ(values.size(), 2U);
  EXPECT_EQ(values[0].number, 5.199);
  EXPECT_EQ(values[1].text, "opens");
  EXPECT_FALSE(matchLine("[{clock}] gate {what}!", "[soon] gate opens!", {clock, what}, nullptr)) << "no number";
  EXPECT_FALSE(matchLine("[{clock}] gate {what}!", "[1] gate opens", {clock, what}, nullptr)) << "the end is missing";
  EXPECT_FALSE(matchLine("[{clock}]", "[]", {clock}, nullptr)) << "nothing is no value";
  EXPECT_TRUE(matchLine("{{{clock}", "{7", {clock}, nullptr)) << "two braces are one";
  EXPECT_TRUE(matchLine("a{what}", "abc", {what}, nullptr));
  EXPECT_FALSE(matchLine("a{what}", "a", {what}, nullptr));
}

TEST(Checksum, IsWhatTheStandardsSay)
{
  // The check over the digits 1 to 9: ITU-T V.42 8.1.1.6.2 (CRC-32), SMBus 3.2 5.4 (CRC-8), and the CRC of ITU-T
  // X.25 2.2.7.4.
  EXPECT_EQ(crc(32, 0x04c11db7, 0xffffffff, true, 0xffffffff).of(kDigits), 0xcbf43926U);
  EXPECT_EQ(crc(8, 0x07, 0, false, 0).of(kDigits), 0xf4U);
  EXPECT_EQ(crc(16, 0x1021, 0xffff, true, 0xffff).of(kDigits), 0x906eU);
  EXPECT_EQ(crc(16, 0x1021, 0xffff, false, 0).of(kDigits), 0x29b1U);
}

TEST(Checksum, ByTableIsAsBitByBit)
{
  std::mt19937_64 random(7);
  for (int i = 0; i < 400; ++i) {
    const unsigned width = 8 * (1 + static_cast<unsigned>(random() % 4));
    const auto mask = static_cast<std::uint32_t>((std::uint64_t{1} << width) - 1);
    const SheetChecksum c =
        crc(width, static_cast<std::uint32_t>(random() | 1U) & mask, static_cast<std::uint32_t>(random()) & mask,
            random() % 2 == 0, static_cast<std::uint32_t>(random()) & mask);
    Bytes bytes(random() % 20);
    for (std::uint8_t& b : bytes)
      b = static_cast<std::uint8_t>(random());
    // The begin of a reflected one is given as it is written, not reflected.
    ASSERT_EQ(c.of(bytes), plainCrc(c, bytes)) << width << " " << c.reflected;
  }
}

TEST(Checksum, SumsAndExclusiveOrs)
{
  SheetChecksum sum;
  sum.kind = SheetChecksum::Kind::Sum;
  EXPECT_EQ(sum.of(Bytes{0xff, 0x02}), 0x01U);
  sum.negated = true;
  EXPECT_EQ(sum.of(Bytes{0xff, 0x02}), 0xffU);
  SheetChecksum either;
  either.kind = SheetChecksum::Kind::Xor;
  EXPECT_EQ(either.of(Bytes{0x0f, 0xf1}), 0xfeU);
}

TEST(Checksum, StandsWhereItIsSaidToStand)
{
  SheetChecksum sum;
  sum.kind = SheetChecksum::Kind::Sum;
  sum.from = 1;
  sum.at = -1;
  EXPECT_TRUE(sum.holds(Bytes{0x7e, 1, 2, 3}));
  EXPECT_FALSE(sum.holds(Bytes{0x7e, 1, 2, 4}));
  EXPECT_FALSE(sum.holds(Bytes{})) << "too short";
  sum.from = 0;
  sum.at = 0;
  sum.until = 0;
  sum.from = 1;
  sum.until = -1;
  sum.at = 0;
  EXPECT_TRUE(sum.holds(Bytes{3, 1, 2, 9})) << "in front of what it covers";
}
