// What "auto" finds on wires whose rates are known.
#include "core/decode/bus_spec.h"
#include "rig/can_driver.h"
#include "support/rooms.h"
#include "support/waves.h"

using namespace bexto;
using namespace bexto::test;
using rig::CanDriver;
using rig::CanMessage;
using rig::CanPace;

namespace {

/// Random messages at that pace; `kinds`: what some of them are.
StreamInput randomTraffic(const CanPace& pace, bool classic, bool fd, bool remote = false, bool spoilt = false)
{
  std::mt19937_64 random(7);
  CanDriver wire(pace);
  wire.hold(true, 20);
  for (int i = 0; i < (spoilt ? 3 : 0); ++i) {
    CanMessage m;
    m.id = 0x123;
    m.dlc = 1;
    m.data = {0x55};
    wire.drive(rig::canFrame(m, pace).bits, 24);
    wire.flag(6);
    wire.hold(true, 11);
  }
  for (int i = 0; i < 60; ++i) {
    CanMessage m;
    m.id = static_cast<std::uint32_t>(random() % 2048);
    m.fd = m.brs = fd && (!classic || random() % 4 == 0);
    m.remote = remote;
    m.dlc = static_cast<unsigned>(random() % 9);
    for (unsigned byte = 0; byte < m.dlc && !remote; ++byte)
      m.data.push_back(static_cast<std::uint8_t>(random()));
    wire.send(m);
    wire.hold(true, static_cast<double>(random() % 40));
  }
  wire.hold(true, 20);
  return {{wire.track()}, wire.now(), true};
}

}  // namespace

TEST(CanRate, AnUnusualBitRateIsMeasuredAndNotTakenForAUsualOneBesideIt)
{
  for (const double rate : {47619.0, 95238.0, 615385.0, 62500.0, 200000.0, 488000.0}) {
    CanPace pace;
    pace.bitrate = rate;
    const StreamInput input = randomTraffic(pace, true, false);
    const double found = findCanBitRate(CanSettings{}, input);
    EXPECT_NEAR(found, rate, rate * 0.002);
    Bus bus = *parseBusSpec("c=can,rx=rx,bitrate=auto");
    ASSERT_TRUE(canProtocol().findAuto(bus, {input}));
    const FrameIndex frames = decodeAll(bus, input);
    EXPECT_EQ(frames.size(), 60U) << rate;
    EXPECT_EQ(frames.errorCount(), 0U) << rate;
  }
  // As far off as oscillators may be, a usual rate is meant.
  for (const double off : {0.986, 1.014}) {
    CanPace pace;
    pace.bitrate = 250000.0 * off;
    EXPECT_EQ(findCanBitRate(CanSettings{}, randomTraffic(pace, true, false)), 250000.0);
  }
  EXPECT_EQ(findCanBitRate(CanSettings{}, randomTraffic({}, true, false, true)), 500000.0) << "remote frames count too";
}

TEST(CanRate, TheRateOfTheDataPhaseIsFoundFromFramesThatSwitch)
{
  for (const double nominal : {250000.0, 500000.0, 1000000.0}) {
    for (const double fd : {1e6, 2e6, 2.5e6, 3e6, 4e6, 5e6, 8e6}) {
      for (const bool classic : {false, true}) {
        CanPace pace;
        pace.bitrate = nominal;
        pace.fdBitrate = fd;
        const StreamInput input = randomTraffic(pace, classic, true);
        for (const std::string& spec : std::vector<std::string>{"auto", fmt::format("{}", nominal)}) {
          Bus bus = *parseBusSpec("c=can,rx=rx,bitrate=" + spec);
          ASSERT_TRUE(canProtocol().findAuto(bus, {input})) << nominal << " " << fd;
          EXPECT_EQ(canSettings(bus).bitrate, nominal);
          EXPECT_EQ(canSettings(bus).fdBitrate, fd) << "at " << nominal << (classic ? ", some of them" : ", all");
          EXPECT_EQ(decodeAll(bus, input).errorCount(), 0U);
        }
      }
    }
  }
}

TEST(CanRate, WhereNoFrameSwitchesThereIsNothingToFindAndNoneIsNeverLookedFor)
{
  Bus bus = *parseBusSpec("c=can,rx=rx,bitrate=500000");
  ASSERT_TRUE(canProtocol().findAuto(bus, {randomTraffic({}, true, false)}));
  EXPECT_EQ(bus.settings.text("fd_bitrate"), "auto");
  Bus none = *parseBusSpec("c=can,rx=rx,bitrate=500000,fd_bitrate=none");
  const StreamInput switching = randomTraffic({}, true, true);
  ASSERT_TRUE(canProtocol().findAuto(none, {switching}));
  EXPECT_EQ(none.settings.text("fd_bitrate"), "none");
  EXPECT_GT(decodeAll(none, switching).errorCount(), 0U);
}

TEST(CanRate, FramesThatAreCutAtTheBeginDoNotHideTheRate)
{
  for (const double rate : {125000.0, 500000.0, 615385.0}) {
    CanPace pace;
    pace.bitrate = rate;
    const StreamInput input = randomTraffic(pace, true, false, false, true);
    EXPECT_NEAR(findCanBitRate(CanSettings{}, input), rate, rate * 0.002);
  }
}

TEST(CanRate, WhatIsMeasuredIsTheSendersRateInFrontOfTheSwitch)
{
  // A frame's edges before the switch tell it; the edge behind FDF sets the grid anew and must not be counted twice,
  // and what is sent at the other rate must not be counted at all.
  for (const double off : {0.995, 1.0, 1.004}) {
    for (const auto& [classic, fd] : {std::pair{true, false}, std::pair{true, true}, std::pair{false, true}}) {
      CanPace pace;
      pace.bitrate = 500000.0 * off;
      pace.fdBitrate = 2000000.0 * off;
      const StreamInput input = randomTraffic(pace, classic, fd);
      const auto decoded = decodeStream(*parseBusSpec("c=can,rx=rx,bitrate=500000,fd_bitrate=2000000"), input, {});
      ASSERT_TRUE(decoded);
      EXPECT_EQ(decoded->frames.errorCount(), 0U) << off;
      EXPECT_NEAR(decoded->measuredHertz / pace.bitrate, 1.0, 2e-4) << off << " " << classic << fd;
    }
  }
}
