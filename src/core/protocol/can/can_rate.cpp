// Tested by tests/core/can_rate_test.cpp.
#include "core/protocol/can/can_rate.h"

#include <algorithm>
#include <cmath>

#include "core/decode/bit_rate.h"
#include "core/protocol/can/can_decoder.h"
#include "core/protocol/can/can_frame.h"
#include "core/protocol/can/can_machine.h"

namespace bexto {

namespace {

/// Transitions that a rate is tried on.
constexpr std::size_t kEdges = 20000;

/// ISO 11898-1:2015, 11.3.2.5: oscillators differ by no more than that where nodes understand one another.
constexpr double kTolerance = 0.0158;

bool isWhole(const Frame& frame)
{
  return frame.kind <= kCanRemote && (frame.errors & ~errorBit(CanError::Ack)) == 0;
}

struct Trial {
  std::size_t good = 0;   ///< whole frames
  double measured = 0.0;  ///< bit/s that they say themselves
};

/// What the first transitions give at the settings' rates.
Trial tryOut(const CanSettings& settings, const StreamInput& input)
{
  FrameIndexBuilder builder;
  const auto decoder = makeCanDecoder(settings, input);
  decoder->run(builder, kEdges);
  const FrameIndex frames = builder.snapshot();
  Trial trial{0, decoder->measuredHertz()};
  for (std::uint64_t i = 0; i < frames.size(); ++i)
    trial.good += isWhole(frames.frame(i)) ? 1U : 0U;
  return trial;
}

/// Where frames begin whose rate switches; their headers can be read without that rate.
std::vector<Picoseconds> switchingFrames(CanSettings settings, const StreamInput& input, std::size_t slices)
{
  constexpr std::size_t kMost = 48;
  settings.fdBitrate = kCanNoFdBitrate;
  const auto decoder = makeCanDecoder(settings, input);
  std::vector<Picoseconds> begins;
  bool more = true;
  for (std::size_t slice = 0; slice < slices && more; ++slice) {
    FrameIndexBuilder builder;
    more = decoder->run(builder, kEdges);
    const FrameIndex frames = builder.snapshot();
    for (std::uint64_t i = 0; i < frames.size(); ++i) {
      const Frame frame = frames.frame(i);
      if (canHasHeader(frame) && canFrame(frame).brs)
        begins.push_back(frame.time.begin);
      if (begins.size() == kMost)
        return begins;
    }
  }
  return begins;
}

/// Takes the first frame and stops.
struct OneFrame {
  bool seen = false;
  bool whole = false;

  void frame(const Frame& f)
  {
    seen = true;
    whole = isWhole(f);
  }
  static constexpr bool records() { return false; }
  bool stopped() const { return seen; }
  void bits(can::Part /*part*/, bool /*level*/, std::int64_t /*count*/, std::int64_t /*sample*/,
            const can::Timing& /*timing*/) const
  {
  }
  void edge(std::int64_t /*time*/) const {}
};

std::size_t wholeAt(const CanSettings& settings, const StreamInput& input, const std::vector<Picoseconds>& begins)
{
  std::size_t whole = 0;
  for (const Picoseconds begin : begins) {
    OneFrame one;
    can::Machine<OneFrame> machine(settings, input, begin, can::Machine<OneFrame>::Begin::AtStartOfFrame, one);
    while (!one.seen && machine.run(512)) {
    }
    whole += one.whole ? 1U : 0U;
  }
  return whole;
}

double fdBitRate(const CanSettings& settings, const StreamInput& input, std::size_t slices)
{
  const std::vector<Picoseconds> begins = switchingFrames(settings, input, slices);
  if (begins.empty())
    return 0.0;
  // Those that transceivers are made for, then others that controllers can make of the same clock, then what the pulses
  // say: on a busy wire the shortest are of the data phase.
  std::vector<double> rates{2e6, 5e6, 4e6, 8e6, 1e6, 2.5e6, 500e3, 800e3, 1.6e6, 3.2e6, 10e6, 12e6};
  for (int times = 1; times <= 20; ++times)
    rates.push_back(settings.bitrate * times);
  rates.push_back(estimateBitRate(input.tracks.front()));
  double best = 0.0;
  std::size_t most = 0;
  for (const double rate : rates) {
    CanSettings tried = settings;
    tried.fdBitrate = rate;
    if (const std::size_t whole = rate > 0.0 ? wholeAt(tried, input, begins) : 0; whole > most) {
      most = whole;
      best = rate;
    }
  }
  return best;
}

}  // namespace

double findCanFdBitRate(const CanSettings& settings, const StreamInput& input)
{
  constexpr std::size_t kSlices = 25;
  return fdBitRate(settings, input, kSlices);
}

double findCanBitRate(const CanSettings& settings, const StreamInput& input)
{
  // Those of CiA 301 table 1 and of SAE J1939, and a few more that controllers and cars made common. Last what the
  // pulses say, which in a wire full of CAN FD is the rate of the data phase.
  std::vector<double> rates{500000, 250000, 1000000, 125000, 100000, 50000, 20000, 10000, 800000, 83333.333, 33333.333};
  rates.push_back(estimateBitRate(input.tracks.front()));
  const auto at = [&](double rate) {
    CanSettings tried = settings;
    tried.bitrate = rate;
    // Where all frames switch, none is whole without the other rate.
    tried.fdBitrate = settings.fdBitrate == 0.0 ? fdBitRate(tried, input, 1) : settings.fdBitrate;
    return tryOut(tried, input);
  };
  double best = 0.0;
  Trial bestTrial;
  for (const double rate : rates) {
    if (!(rate > 0.0))
      continue;
    if (const Trial trial = at(rate); trial.good > bestTrial.good) {
      bestTrial = trial;
      best = rate;
    }
  }
  // A rate beside the right one may give some frames, short ones, and faults for the rest.
  const double measured = std::round(bestTrial.measured);
  if (best > 0.0 && measured > 0.0 && std::abs(measured / best - 1.0) > kTolerance &&
      at(measured).good >= bestTrial.good)
    return measured;
  return best;
}

}  // namespace bexto
