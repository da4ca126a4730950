#include "core/decode/anatomy.h"

#include <algorithm>
#include <array>

namespace bexto {

void numberFields(Anatomy& anatomy)
{
  std::array<std::size_t, kRoleCount> seen{};
  for (Field& field : anatomy.fields)
    field.ordinal = seen.at(static_cast<std::size_t>(field.role))++;
}

Picoseconds typicalLength(const std::vector<Bit>& bits)
{
  std::vector<Picoseconds> lengths;
  for (const Bit& bit : bits) {
    if (bit.actual > Picoseconds{0})
      lengths.push_back(bit.actual);
  }
  if (lengths.empty())
    return Picoseconds{0};
  const auto middle = lengths.begin() + static_cast<std::ptrdiff_t>(lengths.size() / 2);
  std::nth_element(lengths.begin(), middle, lengths.end());
  return *middle;
}

}  // namespace bexto
