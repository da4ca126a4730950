// The shortest pulse of an asynchronous line is one bit, when any bit ever stands alone. Dirt makes shorter ones, and a
// short text may happen to have no lone bit at all. So: take the shortest length that a good share of all pulses have
// (dirt is rare), then try it and its halves and thirds as the unit, and keep the first of which nearly all pulses up
// to ten bits are whole multiples. Last, fit: total length of those pulses over their total number of bits. Rising and
// falling edges that come unevenly late cancel in that sum.
//
// Tested by tests/core/uart_test.cpp.
#include "core/decode/bit_rate.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <vector>

#include "core/signal/edge_stream.h"

namespace bexto {

namespace {

constexpr std::size_t kPulses = 20000;
constexpr std::size_t kTooFew = 8;

/// The rates of <termios.h> (IEEE Std 1003.1-2017) from 110 on, those that Linux adds in <asm/termbits.h>, and a few
/// that oscillators and firmware make common.
constexpr std::array<double, 32> kStandardRates{110,    134.5,   150,     200,     300,     600,     1200,    1800,
                                                2400,   4800,    9600,    14400,   19200,   28800,   31250,   38400,
                                                57600,  76800,   115200,  230400,  250000,  460800,  500000,  576000,
                                                921600, 1000000, 1152000, 1500000, 2000000, 2500000, 3000000, 4000000};

struct Fit {
  std::size_t good = 0;
  std::size_t all = 0;
  double length = 0.0;
  double bits = 0.0;
};

Fit fitTo(const std::vector<double>& pulses, double unit)
{
  Fit fit;
  for (const double pulse : pulses) {
    const double n = std::round(pulse / unit);
    if (n > 10.0)
      break;
    if (n < 1.0)
      continue;
    ++fit.all;
    if (std::abs(pulse - n * unit) <= 0.2 * unit) {
      ++fit.good;
      fit.length += pulse;
      fit.bits += n;
    }
  }
  return fit;
}

}  // namespace

double estimateBitRate(const ConditionedTrack& track)
{
  EdgeStream edges(track, Picoseconds{0}, kNever - Picoseconds{1}, true);
  std::vector<double> pulses;
  std::int64_t before = edges.next();
  while (pulses.size() < kPulses && before != kNever.count()) {
    edges.advance();
    const std::int64_t now = edges.next();
    if (now != kNever.count())
      pulses.push_back(static_cast<double>(now - before));
    before = now;
  }
  if (pulses.size() < kTooFew)
    return 0.0;
  std::sort(pulses.begin(), pulses.end());
  const std::size_t share = std::max<std::size_t>(2, pulses.size() / 40);
  double shortest = pulses.back();
  for (std::size_t i = 0; i + share <= pulses.size(); ++i) {
    if (pulses[i + share - 1] <= 1.25 * pulses[i]) {
      shortest = pulses[i + share / 2];
      break;
    }
  }
  for (const double part : {1.0, 2.0, 3.0}) {
    const Fit fit = fitTo(pulses, shortest / part);
    if (fit.all == 0 || static_cast<double>(fit.good) < 0.9 * static_cast<double>(fit.all))
      continue;
    const Fit better = fitTo(pulses, fit.length / fit.bits);
    return 1e12 * (better.bits > 0.0 ? better.bits / better.length : fit.bits / fit.length);
  }
  return 1e12 / shortest;
}

std::span<const double> standardRates()
{
  return kStandardRates;
}

double nearestStandardRate(double measured)
{
  double best = measured;
  double bestOff = 0.03;
  for (const double rate : kStandardRates) {
    const double off = std::abs(measured - rate) / rate;
    if (off <= bestOff) {
      best = rate;
      bestOff = off;
    }
  }
  return best;
}

}  // namespace bexto
