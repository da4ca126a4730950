#include "core/decode/rate_meter.h"

#include <algorithm>
#include <bit>

namespace bexto {

void RateMeter::add(Picoseconds period)
{
  if (period <= Picoseconds{0})
    return;
  const auto value = static_cast<std::uint64_t>(period.count());
  const auto power = static_cast<int>(std::bit_width(value)) - 1;
  const std::uint64_t fraction = power >= 6 ? (value >> (power - 6)) & 63U : (value << (6 - power)) & 63U;
  const std::size_t bucket = static_cast<std::size_t>(power) * 64 + static_cast<std::size_t>(fraction);
  if (m_buckets.empty())
    m_buckets.resize(std::size_t{64} * 64);
  ++m_buckets[bucket].count;
  m_buckets[bucket].sum += static_cast<double>(value);
  ++m_count;
}

double RateMeter::typicalPicoseconds() const
{
  std::uint64_t below = 0;
  for (std::size_t i = 0; i < m_buckets.size(); ++i) {
    below += m_buckets[i].count;
    if (below * 2 < m_count || m_buckets[i].count == 0)
      continue;
    // The neighbours too, or a median at a bucket's edge would pull the mean to one side.
    Bucket near;
    for (std::size_t j = std::max<std::size_t>(i, 1) - 1; j <= std::min(i + 1, m_buckets.size() - 1); ++j) {
      near.count += m_buckets[j].count;
      near.sum += m_buckets[j].sum;
    }
    return near.sum / static_cast<double>(near.count);
  }
  return 0.0;
}

double RateMeter::hertz() const
{
  const double period = typicalPicoseconds();
  return period > 0.0 ? 1e12 / period : 0.0;
}

}  // namespace bexto
