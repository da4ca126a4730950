// Tested by tests/core/query_scan_test.cpp.
#include "core/query/line_set.h"

#include <algorithm>
#include <bit>
#include <cassert>

namespace bexto {

void LineSet::add(std::uint64_t line)
{
  const auto word = static_cast<std::size_t>(line / 64);
  assert(word + 1 >= m_words.size());
  while (m_words.size() <= word) {
    if (m_words.size() % kWordsPerBlock == 0)
      m_below.push_back(m_size);
    m_words.push_back(0);
  }
  assert((m_words[word] >> (line % 64)) == 0);
  m_words[word] |= std::uint64_t{1} << (line % 64);
  ++m_size;
}

void LineSet::cutFrom(std::uint64_t line)
{
  const auto word = static_cast<std::size_t>(line / 64);
  if (word >= m_words.size())
    return;
  m_size = countBelow(line);
  m_words.resize(word + 1);
  m_words.back() &= (std::uint64_t{1} << (line % 64)) - 1;
  // As if the last member had been the last to be added.
  while (!m_words.empty() && m_words.back() == 0)
    m_words.pop_back();
  m_below.resize((m_words.size() + kWordsPerBlock - 1) / kWordsPerBlock);
}

bool LineSet::contains(std::uint64_t line) const
{
  const auto word = static_cast<std::size_t>(line / 64);
  return word < m_words.size() && (m_words[word] >> (line % 64) & 1U) != 0;
}

std::uint64_t LineSet::countBelow(std::uint64_t line) const
{
  const auto word = static_cast<std::size_t>(line / 64);
  if (word >= m_words.size())
    return m_size;
  std::size_t w = word / kWordsPerBlock * kWordsPerBlock;
  std::uint64_t count = m_below[word / kWordsPerBlock];
  for (; w < word; ++w)
    count += static_cast<std::uint64_t>(std::popcount(m_words[w]));
  const std::uint64_t lower = (std::uint64_t{1} << (line % 64)) - 1;
  return count + static_cast<std::uint64_t>(std::popcount(m_words[word] & lower));
}

std::optional<std::uint64_t> LineSet::nextOfBoth(const LineSet& a, const LineSet& b, std::uint64_t line, bool forward)
{
  const std::size_t words = std::min(a.m_words.size(), b.m_words.size());
  const std::uint64_t below = (std::uint64_t{1} << (line % 64)) - 1;
  auto w = static_cast<std::size_t>(line / 64);
  if (forward) {
    for (std::uint64_t mask = ~below; w < words; ++w, mask = ~std::uint64_t{0}) {
      if (const std::uint64_t both = a.m_words[w] & b.m_words[w] & mask; both != 0)
        return w * 64 + static_cast<std::uint64_t>(std::countr_zero(both));
    }
    return std::nullopt;
  }
  std::uint64_t mask = below;
  if (w >= words) {
    w = words;
    mask = 0;
  }
  for (++w; w-- > 0; mask = ~std::uint64_t{0}) {
    const std::uint64_t both = w < words ? a.m_words[w] & b.m_words[w] & mask : 0;
    if (both != 0)
      return w * 64 + 63 - static_cast<std::uint64_t>(std::countl_zero(both));
  }
  return std::nullopt;
}

std::uint64_t LineSet::at(std::uint64_t k) const
{
  assert(k < m_size);
  const auto block =
      static_cast<std::size_t>(std::upper_bound(m_below.begin(), m_below.end(), k) - m_below.begin()) - 1;
  std::uint64_t left = k - m_below[block];
  std::size_t w = block * kWordsPerBlock;
  for (;; ++w) {
    const auto here = static_cast<std::uint64_t>(std::popcount(m_words[w]));
    if (left < here)
      break;
    left -= here;
  }
  std::uint64_t bits = m_words[w];
  for (; left > 0; --left)
    bits &= bits - 1;
  return w * 64 + static_cast<std::uint64_t>(std::countr_zero(bits));
}

}  // namespace bexto
