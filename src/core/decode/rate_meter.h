#pragma once

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

}  // namespace bexto
