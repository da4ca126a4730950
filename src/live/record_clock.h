#pragma once

#include <algorithm>
#include <chrono>
#include <cstdint>

#include "core/base/time.h"

namespace bexto::live {

/// Moments of a source that has no clock of its own, in ps from begin().
class RecordClock {
 public:
  void begin()
  {
    m_begin = std::chrono::steady_clock::now();
    m_told = 0;
  }
  std::int64_t now() const
  {
    return std::chrono::duration_cast<std::chrono::nanoseconds>(std::chrono::steady_clock::now() - m_begin).count() *
           1000;
  }

  /// Up to where all was handed over: what comes late has this moment at the earliest.
  std::int64_t told() const { return m_told; }
  /// All before `until` is handed over. Gives told().
  std::int64_t tell(std::int64_t until)
  {
    m_told = std::max(m_told, until);
    return m_told;
  }

 private:
  std::chrono::steady_clock::time_point m_begin = std::chrono::steady_clock::now();
  std::int64_t m_told = 0;
};

}  // namespace bexto::live
