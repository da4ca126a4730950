#include "core/view/ledger.h"

#include <algorithm>
#include <cassert>

namespace bexto {

MergedRows::MergedRows(std::vector<Transactions> sources) : m_sources(std::move(sources))
{
  for (const Transactions& s : m_sources)
    m_size += s.size();
}

std::uint64_t MergedRows::firstFrom(Picoseconds t) const
{
  std::uint64_t before = 0;
  for (const Transactions& s : m_sources)
    before += s.firstFrom(t);
  return before;
}

std::vector<LedgerRow> MergedRows::rows(std::uint64_t first, std::size_t count) const
{
  std::vector<LedgerRow> found;
  if (first >= m_size)
    return found;
  // The latest moment before which no more than `first` rows begin: from there on at most a few rows are skipped.
  Picoseconds low{0};
  Picoseconds high{0};
  for (const Transactions& s : m_sources) {
    if (s.size() > 0)
      high = std::max(high, s.beginOf(s.size() - 1) + Picoseconds{1});
  }
  while (high - low > Picoseconds{1}) {
    const Picoseconds middle = low + (high - low) / 2;
    (firstFrom(middle) <= first ? low : high) = middle;
  }
  std::vector<std::uint64_t> next;
  std::uint64_t row = 0;
  for (const Transactions& s : m_sources) {
    next.push_back(s.firstFrom(low));
    row += next.back();
  }
  while (found.size() < count && row < m_size) {
    std::size_t earliest = m_sources.size();
    Picoseconds begin = kNever;
    for (std::size_t s = 0; s < m_sources.size(); ++s) {
      if (next[s] < m_sources[s].size() && m_sources[s].beginOf(next[s]) < begin) {
        begin = m_sources[s].beginOf(next[s]);
        earliest = s;
      }
    }
    if (row >= first)
      found.push_back({earliest, next[earliest]});
    ++next[earliest];
    ++row;
  }
  return found;
}

std::uint64_t MergedRows::rowOf(LedgerRow wanted) const
{
  const Picoseconds begin = m_sources.at(wanted.source).beginOf(wanted.number);
  std::uint64_t row = 0;
  for (std::size_t s = 0; s < m_sources.size(); ++s) {
    if (s == wanted.source)
      row += wanted.number;
    else
      row += m_sources[s].firstFrom(s < wanted.source ? begin + Picoseconds{1} : begin);
  }
  return row;
}

void LedgerLines::open(std::uint64_t row, std::uint64_t details)
{
  assert(row < m_rows);
  close(row);
  m_open[row] = details;
  m_extra += details;
}

void LedgerLines::close(std::uint64_t row)
{
  const auto found = m_open.find(row);
  if (found == m_open.end())
    return;
  m_extra -= found->second;
  m_open.erase(found);
}

void LedgerLines::closeAll()
{
  m_open.clear();
  m_extra = 0;
}

LedgerLines::Line LedgerLines::at(std::uint64_t line) const
{
  assert(line < size());
  std::uint64_t extra = 0;
  for (const auto& [row, details] : m_open) {
    const std::uint64_t rowLine = row + extra;
    if (line <= rowLine)
      break;
    if (line <= rowLine + details)
      return {row, line - rowLine};
    extra += details;
  }
  return {line - extra, 0};
}

std::uint64_t LedgerLines::lineOf(std::uint64_t row) const
{
  std::uint64_t line = row;
  for (const auto& [open, details] : m_open) {
    if (open >= row)
      break;
    line += details;
  }
  return line;
}

}  // namespace bexto
