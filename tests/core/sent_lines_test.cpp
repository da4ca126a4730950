#include "core/view/sent_lines.h"

using namespace bexto;
using namespace std::chrono_literals;

TEST(SentLines, WhatBeginsInASpanOfItsChannelIsOurs)
{
  Capture capture;
  capture.sent = {{{1ms, 2ms}, 0}, {{1ms, 2ms}, 1}, {{5ms, 5ms}, 4}, {{7ms, 9ms}, 0}, {{7ms, 9ms}, 1}};
  const std::vector<std::size_t> sensors{0, 1};
  EXPECT_FALSE(wasSent(capture, sensors, 999us));
  EXPECT_TRUE(wasSent(capture, sensors, 1ms));
  EXPECT_TRUE(wasSent(capture, sensors, 2ms));
  EXPECT_FALSE(wasSent(capture, sensors, 2001us));
  EXPECT_FALSE(wasSent(capture, sensors, 5ms)) << "that was another channel";
  EXPECT_TRUE(wasSent(capture, {4}, 5ms));
  EXPECT_FALSE(wasSent(capture, {4}, 5ms + 1ns)) << "a frame of an interface has the very time";
  EXPECT_TRUE(wasSent(capture, {1}, 8ms));
  EXPECT_FALSE(wasSent(capture, {2, 3}, 8ms));
  EXPECT_FALSE(wasSent(capture, {4}, 8ms));
  EXPECT_FALSE(wasSent(Capture(), sensors, 1ms));
}
