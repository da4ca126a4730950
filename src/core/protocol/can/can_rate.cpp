// Tested by tests/core/can_test.cpp.
#include "core/protocol/can/can_rate.h"

#include "core/decode/bit_rate.h"
#include "core/protocol/can/can_decoder.h"
#include "core/protocol/can/can_frame.h"

namespace bexto {

namespace {

/// Whole frames without a fault in the first transitions.
std::size_t goodFrames(const CanSettings& settings, const StreamInput& input)
{
  constexpr std::size_t kEdges = 20000;
  FrameIndexBuilder builder;
  makeCanDecoder(settings, input)->run(builder, kEdges);
  const FrameIndex frames = builder.snapshot();
  std::size_t good = 0;
  for (const auto& chunk : frames.chunks()) {
    for (std::size_t i = 0; i < chunk->size(); ++i)
      good += chunk->kind[i] <= kCanRemote && (chunk->errors[i] & ~errorBit(CanError::Ack)) == 0 ? 1U : 0U;
  }
  return good;
}

}  // namespace

double findCanBitRate(const CanSettings& settings, const StreamInput& input)
{
  // Those of CiA 301 table 1 and of SAE J1939, and a few more that controllers and cars made common. Last what the
  // pulses say, which in a wire full of CAN FD is the rate of the data phase.
  std::vector<double> rates{500000, 250000, 1000000, 125000, 100000, 50000, 20000, 10000, 800000, 83333.333, 33333.333};
  rates.push_back(estimateBitRate(input.tracks.front()));
  double best = 0.0;
  std::size_t most = 0;
  for (const double rate : rates) {
    if (!(rate > 0.0))
      continue;
    CanSettings tried = settings;
    tried.bitrate = rate;
    if (const std::size_t good = goodFrames(tried, input); good > most) {
      most = good;
      best = rate;
    }
  }
  return best;
}

}  // namespace bexto
