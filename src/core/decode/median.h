#pragma once

#include <algorithm>
#include <cstdint>
#include <vector>

namespace bexto {

/// Twice the median, which is whole also where there are two middle values; 0 of none. Puts the values in another
/// order.
inline std::int64_t twiceMedian(std::vector<std::int64_t>& values)
{
  if (values.empty())
    return 0;
  const auto middle = values.begin() + static_cast<std::ptrdiff_t>(values.size() / 2);
  std::nth_element(values.begin(), middle, values.end());
  return values.size() % 2 != 0 ? 2 * *middle : *middle + *std::max_element(values.begin(), middle);
}

}  // namespace bexto
