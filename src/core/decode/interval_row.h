#pragma once

#include <cstddef>
#include <cstdint>

namespace bexto {

/// Intervals as two lists of times in ps, of which each `stride`th counts: a list of edges is a row of lows when it
/// begins at the first one, ends at the second, and has a stride of 2. With that, one number behind the last of each
/// list has to be readable.
struct IntervalRow {
  const std::int64_t* begins;
  const std::int64_t* ends;
  std::size_t count;
  std::size_t stride = 1;

  std::int64_t begin(std::size_t i) const { return begins[i * stride]; }
  std::int64_t length(std::size_t i) const { return ends[i * stride] - begin(i); }
  /// `some` of them, from `first` on.
  IntervalRow part(std::size_t first, std::size_t some) const
  {
    return {begins + first * stride, ends + first * stride, some, stride};
  }
};

}  // namespace bexto
