// Tested by tests/core/uart_rate_test.cpp.
#include "core/protocol/uart/uart_rate.h"

#include <algorithm>
#include <cmath>
#include <vector>

#include "core/decode/bit_rate.h"
#include "core/protocol/uart/uart_decoder.h"
#include "core/protocol/uart/uart_frame.h"
#include "core/signal/edge_stream.h"

namespace bexto {

namespace {

constexpr std::size_t kEdges = 4000;
constexpr std::size_t kTooFew = 9;
/// Shares that differ by less are as good as one another: dirt hits one rate's characters and not another's.
constexpr double kAsGood = 0.02;

std::vector<std::int64_t> firstEdges(const StreamInput& input)
{
  EdgeStream edges(input.tracks.front(), Picoseconds{0}, input.until, true);
  std::vector<std::int64_t> times;
  while (times.size() < kEdges && edges.next() != kNever.count()) {
    times.push_back(edges.next());
    edges.advance();
  }
  return times;
}

struct Trial {
  double share = 0.0;     ///< of the transitions that are explained
  double away = 0.0;      ///< bits from the borders, on average over those
  double measured = 0.0;  ///< bit/s that the characters say themselves
};

/// How far from the border of a bit a transition may be: samples are coarse, and a sender's clock is another.
double roomAt(double position)
{
  return 0.25 + 0.02 * position;
}

/// Noise has half its edges near some border, but none nearer than chance. Traffic of another format than the settings
/// say has half its characters clean, and those exactly.
bool convinces(const Trial& trial)
{
  return trial.share >= 0.7 || (trial.share >= 0.3 && trial.away < 0.08);
}

Trial tryOut(UartSettings settings, double baud, const StreamInput& input, const std::vector<std::int64_t>& edges)
{
  settings.baud = baud;
  StreamInput begin = input;
  begin.final = true;
  FrameIndexBuilder builder;
  const auto decoder = makeUartDecoder(settings, begin);
  decoder->run(builder, kEdges);
  const FrameIndex frames = builder.snapshot();
  const double bit = 1e12 / baud;
  std::size_t explained = 0;
  double away = 0.0;
  auto edge = edges.begin();
  for (std::uint64_t i = 0; i < frames.size(); ++i) {
    const Frame frame = frames.frame(i);
    if (frame.kind != kUartCharacter || frame.errors != 0)
      continue;
    edge = std::lower_bound(edge, edges.end(), frame.time.begin.count());
    for (; edge != edges.end() && *edge < frame.time.end.count() - std::llround(0.5 * bit); ++edge) {
      const double position = static_cast<double>(*edge - frame.time.begin.count()) / bit;
      const double off = std::abs(position - std::round(position));
      if (off > roomAt(position))
        continue;
      ++explained;
      away += off;
    }
  }
  return {static_cast<double>(explained) / static_cast<double>(edges.size()),
          explained == 0 ? 1.0 : away / static_cast<double>(explained), decoder->measuredHertz()};
}

}  // namespace

double findUartBaud(const UartSettings& settings, const StreamInput& input)
{
  const std::vector<std::int64_t> edges = firstEdges(input);
  if (edges.size() < kTooFew)
    return 0.0;
  double best = 0.0;
  Trial bestTrial;
  for (const double baud : standardRates()) {
    const Trial trial = tryOut(settings, baud, input, edges);
    const bool off = trial.measured > 0.0 && std::abs(trial.measured / baud - 1.0) > 0.03;
    const bool better = trial.share > bestTrial.share + kAsGood ||
                        (trial.share > bestTrial.share - kAsGood && trial.away < bestTrial.away);
    if (!off && better) {
      best = baud;
      bestTrial = trial;
    }
  }
  // What the pulses say, and what the characters at that rate do.
  double other = estimateBitRate(input.tracks.front());
  for (int round = 0; round < 3 && other > 0.0; ++round) {
    const Trial trial = tryOut(settings, other, input, edges);
    if (trial.share > bestTrial.share + kAsGood) {
      best = other;
      bestTrial = trial;
    }
    other = trial.measured;
  }
  return convinces(bestTrial) ? best : 0.0;
}

}  // namespace bexto
