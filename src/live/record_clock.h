#pragma once

#include <chrono>
#include <cstdint>

#include "core/base/time.h"

namespace bexto::live {

/// Moments of a source that has no clock of its own, in ps from begin().
class RecordClock {
 public:
  void begin() { m_begin = std::chrono::steady_clock::now(); }
  std::int64_t now() const
  {
    return std::chrono::duration_cast<std::chrono::nanoseconds>(std::chrono::steady_clock::now() - m_begin).count() *
           1000;
  }

 private:
  std::chrono::steady_clock::time_point m_begin = std::chrono::steady_clock::now();
};

}  // namespace bexto::live
