#pragma once

#include <cstddef>
#include <cstdint>
#include <vector>

#include "core/base/time.h"

namespace bexto {

/// The typical one of many measured periods: the mean of those within about one part in 64 of the median. Stretched
/// clocks and pauses do not move it. Constant memory (64 KB), constant time a period. Thread-compatible: a decoder owns
/// one.
class RateMeter {
 public:
  /// Periods of 0 and less are left out.
  void add(Picoseconds period);
  /// In ps; 0 when nothing was added.
  double typicalPicoseconds() const;
  /// Its inverse: periods a second; 0 when nothing was added.
  double hertz() const;

 private:
  struct Bucket {
    std::uint64_t count = 0;
    double sum = 0.0;
  };
  std::vector<Bucket> m_buckets;  ///< 64 for each power of two
  std::uint64_t m_count = 0;
};

/// Which of many that come in rows are worth a division: all of the first ones, and then one in sixteen, because
/// measuring more would take as long as reading them.
class MeasuredOnes {
 public:
  /// So many more have come: calls `measure(i)` for those to be measured, in their order. i < count.
  template <typename Measure>
  void come(std::size_t count, const Measure& measure)
  {
    std::size_t i = 0;
    for (; i < count && m_seen < kAll; ++i, ++m_seen)
      measure(i);
    const std::size_t next = i + (kOneOf - 1 - m_seen % kOneOf);
    m_seen += count - i;
    for (i = next; i < count; i += kOneOf)
      measure(i);
  }

 private:
  static constexpr std::uint64_t kAll = 256;
  static constexpr std::uint64_t kOneOf = 16;
  std::uint64_t m_seen = 0;
};

}  // namespace bexto
