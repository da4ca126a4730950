#pragma once

#include <algorithm>
#include <cstddef>
#include <cstdint>
#include <vector>

#include "core/decode/edge_walk.h"

namespace bexto {

/// The edges of a wire up to a moment as one list, which is what working through many at once asks for. Where the walk
/// has them all in hand, they are left there; else they are copied. Thread-compatible.
class EdgesTaken {
 public:
  /// All from the walk's next one to `end`, which are then behind it. Good until it walks on. Requires: `end` < kNever.
  void take(EdgeWalk& walk, std::int64_t end)
  {
    const std::size_t inHand = walk.inHand();
    m_at = walk.at();
    m_size = countUpTo(m_at, inHand, end);
    if (m_size < inHand)
      walk.jump(m_at + m_size);
    else
      copy(walk, end);
  }
  std::size_t size() const { return m_size; }
  /// Behind the last, kBehind more can be read: edges that come later, or kNever.
  const std::int64_t* data() const { return m_at; }
  std::int64_t operator[](std::size_t at) const { return m_at[at]; }
  static constexpr std::size_t kBehind = EdgeStream::kReadableBehind;

  /// How many of those in hand are not later than `end`.
  static std::size_t countUpTo(const std::int64_t* at, std::size_t inHand, std::int64_t end)
  {
    constexpr std::size_t kStep = 8;
    std::size_t count = 0;
    while (count + kStep <= inHand && at[count + kStep - 1] <= end)
      count += kStep;
    while (count < inHand && at[count] <= end)
      ++count;
    return count;
  }

 private:
  void copy(EdgeWalk& walk, std::int64_t end)
  {
    m_copy.clear();
    for (bool goesOn = true; goesOn;) {
      const std::size_t inHand = walk.inHand();
      const std::int64_t* const at = walk.at();
      const std::size_t count = countUpTo(at, inHand, end);
      m_copy.insert(m_copy.end(), at, at + count);
      walk.jump(at + count);
      goesOn = count == inHand && inHand > 0;
    }
    m_size = m_copy.size();
    m_copy.insert(m_copy.end(), kBehind, kNever.count());
    m_at = m_copy.data();
  }

  const std::int64_t* m_at = nullptr;
  std::size_t m_size = 0;
  std::vector<std::int64_t> m_copy;
};

}  // namespace bexto
