// Frames that are taken at once say what they say step by step.
#include <gtest/gtest.h>

#include <algorithm>
#include <array>
#include <random>
#include <tuple>

#include "core/protocol/can/can_machine.h"
#include "core/protocol/can/can_settings.h"
#include "support/random_traffic.h"
#include "support/rooms.h"
#include "support/waves.h"

using namespace bexto;
using namespace bexto::test;

namespace {

/// Keeps the frames, and counts the edges that the machine looked at one by one. One that records is told of every bit,
/// so its machine has no quick way.
template <bool kRecords>
struct Kept {
  std::vector<Frame> frames = {};
  std::vector<std::vector<std::uint8_t>> payloads = {};
  std::size_t edges = 0;

  void frame(const Frame& f)
  {
    payloads.emplace_back(f.payload.begin(), f.payload.end());
    frames.push_back(f);
    frames.back().payload = {};
  }
  static constexpr bool records() { return kRecords; }
  static constexpr bool stopped() { return false; }
  void bits(can::Part /*part*/, bool /*level*/, std::int64_t /*count*/, std::int64_t /*sample*/,
            const can::Timing& /*timing*/) const
  {
  }
  void edge(std::int64_t /*time*/) { ++edges; }
};

/// Reads all at once, and step by step, and looks for differences. Returns the edges that the first had to look at one
/// by one.
std::size_t compareWays(const CanSettings& settings, const StreamInput& input)
{
  Kept<false> quick;
  Kept<true> careful;
  can::Machine<Kept<false>> first(settings, input, Picoseconds{0}, can::Machine<Kept<false>>::Begin::Anywhere, quick);
  can::Machine<Kept<true>> second(settings, input, Picoseconds{0}, can::Machine<Kept<true>>::Begin::Anywhere, careful);
  while (first.run(1000)) {
  }
  while (second.run(1000)) {
  }
  EXPECT_EQ(first.rate().hertz(), second.rate().hertz());
  EXPECT_EQ(quick.payloads, careful.payloads);
  EXPECT_EQ(quick.frames.size(), careful.frames.size());
  for (std::size_t i = 0; i < std::min(quick.frames.size(), careful.frames.size()); ++i) {
    const Frame& a = quick.frames[i];
    const Frame& b = careful.frames[i];
    EXPECT_EQ(a.time, b.time) << i;
    EXPECT_EQ(std::tie(a.key, a.errors, a.kind, a.flags), std::tie(b.key, b.errors, b.kind, b.flags)) << i;
  }
  return quick.edges;
}

StreamInput wireOf(const std::vector<std::int64_t>& times, const ConditionedTrack& like)
{
  const Picoseconds end{times.back() + 100'000'000};
  return {{{trackOf(like.track.levelAt(Picoseconds{0}), times), like.how}}, end, true};
}

}  // namespace

TEST(CanWhole, FramesSayWhatTheySayStepByStep)
{
  for (std::uint64_t seed = 1; seed <= 400 && !HasFailure(); ++seed) {
    SCOPED_TRACE(seed);
    const CanCase c = canCase(seed);
    compareWays(c.bus.settings.as<CanSettings>(), c.input);
  }
}

TEST(CanWhole, WhatIsWrongIsSeenTheSameWay)
{
  for (std::uint64_t seed = 1; seed <= 400 && !HasFailure(); ++seed) {
    SCOPED_TRACE(seed);
    const CanCase c = canCase(seed);
    const auto& settings = c.bus.settings.as<CanSettings>();
    const auto bit = static_cast<std::int64_t>(1e12 / settings.bitrate);
    std::mt19937_64 random(seed);
    for (const std::int64_t part : {50, 10, 5, 3, 1}) {
      // Each edge somewhere near its place, and now and then one that is not there.
      std::vector<std::int64_t> times;
      for (const std::int64_t t : timesOf(c.input.tracks[0].track)) {
        if (random() % 40 != 0)
          times.push_back(t + static_cast<std::int64_t>(random() % static_cast<std::uint64_t>(bit / part)));
      }
      std::sort(times.begin(), times.end());
      times.erase(std::unique(times.begin(), times.end()), times.end());
      compareWays(settings, wireOf(times, c.input.tracks[0]));
    }
  }
}

TEST(CanWhole, OfALoneNodeToo)
{
  // Its frames come again and again behind pauses, some too short, and at times somebody does answer.
  for (std::uint64_t seed = 1; seed <= 400 && !HasFailure(); ++seed) {
    SCOPED_TRACE(seed);
    const CanCase c = canCase(seed);
    std::mt19937_64 random(seed);
    rig::CanDriver wire(c.pace);
    wire.hold(true, 12.5);
    for (int i = 0; i < 40; ++i) {
      rig::CanMessage m = c.messages[random() % c.messages.size()];
      m.acknowledged = random() % 8 == 0;
      m.id = static_cast<std::uint32_t>(random() % (m.extended ? 0x20000000 : 0x800));
      rig::CanFrameBits frame = rig::canFrame(m, c.pace);
      if (random() % 8 == 0)
        frame.bits.erase(frame.bits.begin() + static_cast<std::ptrdiff_t>(random() % frame.bits.size()));
      wire.drive(frame.bits);
      wire.hold(true, static_cast<double>(random() % 1100) / 100.0);
    }
    wire.hold(true, 13);
    ConditionedTrack track = wire.track();
    track.how.invert = c.bus.settings.as<CanSettings>().invert;
    compareWays(c.bus.settings.as<CanSettings>(), {{track}, wire.now(), true});
  }
}

TEST(CanWhole, ARunOfTheCrcThatEndsBeforeItsSampleIsNotTakenForOne)
{
  rig::CanPace pace;
  pace.fdBitrate = 2e6;
  CanSettings settings;
  settings.bitrate = pace.bitrate;
  settings.fdBitrate = pace.fdBitrate;
  for (std::uint64_t seed = 1; seed <= 200 && !HasFailure(); ++seed) {
    SCOPED_TRACE(seed);
    std::mt19937_64 random(seed);
    rig::CanDriver wire(pace);
    wire.hold(true, 12);
    std::vector<std::size_t> ends;  ///< the edges up to the end of each frame
    for (int i = 0; i < 8; ++i) {
      rig::CanMessage m;
      m.fd = m.brs = true;
      m.dlc = 4;
      for (int n = 0; n < 4; ++n)
        m.data.push_back(static_cast<std::uint8_t>(random()));
      wire.drive(rig::canFrame(m, pace).bits);
      wire.hold(true, 12);
      ends.push_back(wire.track().size());
    }
    const ConditionedTrack track = wire.track();
    std::vector<std::int64_t> times = timesOf(track.track);
    // Before the acknowledge, which is the last dominant run.
    for (const std::size_t end : ends) {
      if (random() % 2 == 0)
        times[end - 3] = times[end - 4] + static_cast<std::int64_t>(random() % 200'000);
    }
    compareWays(settings, wireOf(times, track));
  }
}

TEST(CanWhole, MostFramesGoTheQuickWay)
{
  struct Way {
    bool fd;
    bool brs;
    bool acknowledged;
  };
  static constexpr std::array<Way, 6> kWays{{{false, false, true},
                                             {true, false, true},
                                             {true, true, true},
                                             {false, false, false},
                                             {true, false, false},
                                             {true, true, false}}};
  for (const Way& way : kWays) {
    const rig::CanPace pace;
    rig::CanDriver wire{pace};
    std::mt19937_64 random(7);
    wire.hold(true, 12);
    for (int i = 0; i < 500; ++i) {
      rig::CanMessage m;
      m.id = static_cast<std::uint32_t>(random() % 0x800);
      m.fd = way.fd;
      m.brs = way.brs;
      m.dlc = 8;
      m.acknowledged = way.acknowledged;
      for (int n = 0; n < 8; ++n)
        m.data.push_back(static_cast<std::uint8_t>(random()));
      wire.drive(rig::canFrame(m, pace).bits);
      wire.hold(true, 3);
    }
    wire.hold(true, 12);
    const StreamInput input{{wire.track()}, wire.now(), true};
    CanSettings settings;
    settings.bitrate = 500e3;
    settings.fdBitrate = 2e6;
    EXPECT_LT(compareWays(settings, input) * 8, input.tracks[0].track.size()) << way.fd << way.brs << way.acknowledged;
  }
}
