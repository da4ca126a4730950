#pragma once

#include <cstdint>
#include <vector>

#include "core/base/time.h"

namespace bexto {

/// The typical one of many measured periods: the mean of those within about one part in 64 of the median. Stretched
/// clocks and pauses do not move it. Constant memory, constant time a period.
class RateMeter {
 public:
  /// Periods of 0 and less are left out.
  void add(Picoseconds period);
  /// 0 when nothing was added.
  double typicalPicoseconds() const;
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
