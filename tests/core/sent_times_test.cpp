#include "core/query/sent_times.h"

using namespace bexto;
using namespace std::chrono_literals;

TEST(SentTimes, WhatBeginsInASpanOfItsChannelsIsOurs)
{
  Capture capture;
  capture.sent = {{{1ms, 2ms}, 0}, {{1ms, 2ms}, 1}, {{5ms, 5ms}, 4}, {{7ms, 9ms}, 0}, {{7ms, 9ms}, 1}};
  const auto sensors = sentOn(capture, {0, 1});
  ASSERT_TRUE(sensors);
  EXPECT_EQ(sensors->size(), 2U) << "two wires are one transfer";
  EXPECT_FALSE(isSent(sensors.get(), 999us));
  EXPECT_TRUE(isSent(sensors.get(), 1ms));
  EXPECT_TRUE(isSent(sensors.get(), 2ms));
  EXPECT_FALSE(isSent(sensors.get(), 2001us));
  EXPECT_FALSE(isSent(sensors.get(), 5ms)) << "that was another channel";
  EXPECT_TRUE(isSent(sensors.get(), 8ms));
  const auto frames = sentOn(capture, {4});
  EXPECT_TRUE(isSent(frames.get(), 5ms));
  EXPECT_FALSE(isSent(frames.get(), 5ms + 1ns)) << "a frame of an interface has the very time";
  EXPECT_EQ(sentOn(capture, {2, 3}), nullptr);
  EXPECT_FALSE(isSent(nullptr, 1ms));
}
