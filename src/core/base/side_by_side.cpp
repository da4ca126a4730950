// Tested by tests/core/side_by_side_test.cpp.
#include "core/base/side_by_side.h"

#include <algorithm>
#include <atomic>
#include <exception>
#include <mutex>
#include <system_error>
#include <thread>
#include <vector>

namespace bexto {

void sideBySide(std::size_t count, const std::function<void(std::size_t)>& work)
{
  std::atomic<std::size_t> next = 0;
  std::mutex mutex;
  std::exception_ptr thrown;
  const auto workOn = [&] {
    try {
      for (std::size_t i = next++; i < count; i = next++)
        work(i);
    } catch (...) {
      next = count;
      const std::lock_guard<std::mutex> lock(mutex);
      thrown = std::current_exception();
    }
  };
  {
    const std::size_t most = std::clamp<std::size_t>(std::thread::hardware_concurrency(), 1, 16);
    std::vector<std::jthread> helpers;
    helpers.reserve(most);
    try {
      while (helpers.size() + 1 < std::min(most, count))
        helpers.emplace_back(workOn);
    } catch (const std::system_error&) {
      // The system gives no more threads: those that are there do it.
    }
    workOn();
  }
  if (thrown)
    std::rethrow_exception(thrown);
}

}  // namespace bexto
