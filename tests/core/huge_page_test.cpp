#include "core/base/huge_page.h"

#include <gtest/gtest.h>

#include <cstdint>
#include <cstring>

using namespace bexto;

TEST(HugePage, IsGivenOutFromItsBeginToItsEnd)
{
  HugePage page;
  auto* const first = static_cast<std::byte*>(page.take(100));
  auto* const second = static_cast<std::byte*>(page.take(1));
  ASSERT_NE(first, nullptr);
  EXPECT_EQ(second - first, 128);
  EXPECT_EQ(reinterpret_cast<std::uintptr_t>(first) % HugePage::kBytes, 0U);
  auto* const rest = static_cast<std::byte*>(page.take(HugePage::kBytes - 192));
  EXPECT_EQ(rest - first, 192);
  std::memset(first, 1, HugePage::kBytes);
  EXPECT_EQ(page.take(1), nullptr);
}

TEST(HugePage, GivesNothingOfWhatItHasNot)
{
  HugePage page;
  EXPECT_EQ(page.take(HugePage::kBytes + 1), nullptr);
  EXPECT_NE(page.take(HugePage::kBytes), nullptr);
  EXPECT_EQ(page.take(1), nullptr);
}

TEST(HugePage, KnowsWhatIsItsOwn)
{
  HugePage page;
  HugePage other;
  auto* const at = static_cast<std::byte*>(page.take(64));
  EXPECT_TRUE(page.holds(at));
  EXPECT_TRUE(page.holds(at + HugePage::kBytes - 1));
  EXPECT_FALSE(page.holds(at + HugePage::kBytes));
  EXPECT_FALSE(page.holds(at - 1));
  EXPECT_FALSE(other.holds(at));
}
