// A break is a low of eleven bits and more, and behind it come five falling edges two bits apart. Whatever the rate is,
// that pattern tells it: five distances that are alike, after a low at least five times as long as one of them.
//
// Tested by tests/core/lin_test.cpp.
#include <algorithm>
#include <array>
#include <cmath>

#include "core/decode/bit_rate.h"
#include "core/protocol/lin/lin_decoder.h"
#include "core/signal/edge_stream.h"

namespace bexto {

namespace {

/// The bit rates that ISO 17987-4:2016 recommends, and 20 kbit/s, the highest.
constexpr std::array<double, 5> kUsual{2400.0, 9600.0, 10417.0, 19200.0, 20000.0};

double usualRate(double measured)
{
  for (const double rate : kUsual) {
    if (std::abs(measured / rate - 1.0) <= 0.01)
      return rate;
  }
  return nearestStandardRate(measured);
}

}  // namespace

double findLinRate(const StreamInput& input)
{
  constexpr std::size_t kEdges = 20000;
  constexpr std::size_t kPattern = 11;  // fall and rise of the break, and up to the fifth fall of the sync byte
  std::vector<std::int64_t> edges;
  EdgeStream stream(input.tracks.front(), Picoseconds{0}, input.until, true);
  if (!stream.level() && stream.next() != kNever.count())
    stream.advance();
  for (; stream.next() != kNever.count() && edges.size() < kEdges; stream.advance())
    edges.push_back(stream.next());
  std::vector<double> lengths;
  for (std::size_t i = 0; i + kPattern <= edges.size(); i += 2) {
    const double bit = static_cast<double>(edges[i + 10] - edges[i + 2]) / 8.0;
    bool even = static_cast<double>(edges[i + 1] - edges[i]) >= 10.5 * bit;
    for (std::size_t k = 2; k <= 8 && even; k += 2)
      even = std::abs(static_cast<double>(edges[i + k + 2] - edges[i + k]) - 2.0 * bit) <= 0.3 * bit;
    if (even)
      lengths.push_back(bit);
  }
  if (lengths.empty())
    return 0.0;
  const auto middle = lengths.begin() + static_cast<std::ptrdiff_t>(lengths.size() / 2);
  std::nth_element(lengths.begin(), middle, lengths.end());
  return usualRate(1e12 / *middle);
}

}  // namespace bexto
