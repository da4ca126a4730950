#pragma once

#include <cstddef>
#include <memory>

namespace bexto {

/// Memory in which much is put down once: 2 MB, aligned to that, which the system is asked to back with one page. A
/// program that touches fresh memory spends more time on its pages of 4 KB than on writing them. Given out from its
/// begin to its end, and back as a whole. Thread-compatible.
class HugePage {
 public:
  static constexpr std::size_t kBytes = std::size_t{2} << 20U;

  /// Throws std::bad_alloc when there is no memory.
  HugePage();
  /// So many bytes, aligned to 64, or nullptr when not so many are left.
  void* take(std::size_t bytes);
  bool holds(const void* at) const;

 private:
  struct Free {
    void operator()(std::byte* at) const;
  };
  std::unique_ptr<std::byte, Free> m_memory;
  std::size_t m_taken = 0;
};

}  // namespace bexto
