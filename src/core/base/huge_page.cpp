// Tested by tests/core/huge_page_test.cpp.
#include "core/base/huge_page.h"

#include <sys/mman.h>

#include <algorithm>
#include <cstdlib>
#include <functional>
#include <new>

namespace bexto {

HugePage::HugePage() : m_memory(static_cast<std::byte*>(std::aligned_alloc(kBytes, kBytes)))
{
  if (m_memory == nullptr)
    throw std::bad_alloc();
  // A wish: a system without such pages goes on with its small ones.
  madvise(m_memory.get(), kBytes, MADV_HUGEPAGE);
}

void* HugePage::take(std::size_t bytes)
{
  constexpr std::size_t kAlign = 64;
  if (bytes > kBytes - m_taken)
    return nullptr;
  std::byte* const at = m_memory.get() + m_taken;
  m_taken = std::min(kBytes, (m_taken + bytes + kAlign - 1) / kAlign * kAlign);
  return at;
}

bool HugePage::holds(const void* at) const
{
  const std::less<> before;
  return !before(at, m_memory.get()) && before(at, m_memory.get() + kBytes);
}

void HugePage::Free::operator()(std::byte* at) const
{
  std::free(at);
}

}  // namespace bexto
