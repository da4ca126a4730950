// The CRCs of CAN, and the row of bits that they are made from.
#include "core/protocol/can/can_crc.h"

#include <gtest/gtest.h>

#include <random>

using namespace bexto;

namespace {

template <std::size_t N>
std::uint32_t checkValue(CanCrc kind, const char (&text)[N])
{
  CanCrcRegister crc(kind);
  for (std::size_t i = 0; i + 1 < N; ++i)
    crc.byte(static_cast<std::uint8_t>(text[i]));
  return crc.value();
}

}  // namespace

// The check values of the public catalogue: the CRC of the nine characters "123456789".
TEST(CanCrc, GivesTheCatalogueCheckValues)
{
  EXPECT_EQ(checkValue(CanCrc::Crc15, "123456789"), 0x059eU);
  EXPECT_EQ(checkValue(CanCrc::Crc17, "123456789"), 0x04f03U);
  EXPECT_EQ(checkValue(CanCrc::Crc21, "123456789"), 0x0ed841U);
}

TEST(CanCrc, BitsAndBytesAgreeAtEveryLength)
{
  std::mt19937_64 random(5);
  BitRow<4> row;
  for (int i = 0; i < 200; ++i)
    row.append(random() % 2 == 0, 1);
  for (std::size_t count = 0; count <= 200; ++count) {
    CanCrcRegister bitwise(CanCrc::Crc21, 1U << 20U);
    for (std::size_t i = 0; i < count; ++i)
      bitwise.bit(row.bits(i, 1) != 0);
    EXPECT_EQ(crcOf(CanCrcRegister(CanCrc::Crc21, 1U << 20U), row, count), bitwise.value()) << count;
  }
}

TEST(BitRow, KeepsRunsAcrossItsWords)
{
  BitRow<3> row;
  for (unsigned i = 0; i < 30; ++i)
    row.append(i % 2 == 0, 1 + i % 5);
  BitRow<3> single;
  for (unsigned i = 0; i < 30; ++i) {
    for (unsigned k = 0; k < 1 + i % 5; ++k)
      single.append(i % 2 == 0, 1);
  }
  ASSERT_EQ(row.size(), single.size());
  for (std::size_t at = 0; at + 32 <= row.size(); ++at)
    EXPECT_EQ(row.bits(at, 32), single.bits(at, 32)) << at;
  row.clear();
  row.append(false, 20);
  EXPECT_EQ(row.bits(0, 20), 0U);
}
