#include "core/base/side_by_side.h"

#include <gtest/gtest.h>

#include <atomic>
#include <stdexcept>
#include <vector>

using namespace bexto;

TEST(SideBySide, EachIsCalledOnceAndAllAreDoneThen)
{
  for (const std::size_t count : {0U, 1U, 2U, 1000U}) {
    std::vector<std::atomic<int>> calls(count);
    sideBySide(count, [&](std::size_t i) { ++calls[i]; });
    for (std::size_t i = 0; i < count; ++i)
      EXPECT_EQ(calls[i], 1) << i;
  }
}

TEST(SideBySide, WhatACallThrowsIsThrownAndEndsTheRest)
{
  constexpr std::size_t kCount = 1'000'000;
  std::atomic<std::size_t> calls = 0;
  const auto work = [&](std::size_t i) {
    ++calls;
    if (i == 5)
      throw std::runtime_error("five");
  };
  EXPECT_THROW(sideBySide(kCount, work), std::runtime_error);
  EXPECT_LT(calls, kCount);
}
