// Tested by tests/core/ledger_test.cpp.
#include "core/view/ledger.h"

#include <algorithm>
#include <cassert>
#include <cctype>

#include "core/decode/sentence.h"
#include "core/view/line_payload.h"

namespace bexto {

std::string LedgerSource::name() const
{
  const std::string where = segment == 0 ? "" : " · " + std::to_string(segment);
  if (!severalLines || line.empty())
    return bus.name + where;
  std::string upper = line;
  std::transform(upper.begin(), upper.end(), upper.begin(),
                 [](unsigned char c) { return static_cast<char>(std::toupper(c)); });
  return bus.name + " " + upper + where;
}

MergedRows::MergedRows(std::vector<LedgerSource> sources) : m_sources(std::move(sources))
{
  for (const LedgerSource& s : m_sources) {
    m_size += s.size();
    m_all += s.transactions.size();
  }
}

std::uint64_t MergedRows::firstFrom(Picoseconds t) const
{
  std::uint64_t before = 0;
  for (const LedgerSource& s : m_sources)
    before += s.shownBelow(s.firstFrom(t));
  return before;
}

std::vector<LedgerRow> MergedRows::rows(std::uint64_t first, std::size_t count) const
{
  std::vector<LedgerRow> found;
  if (first >= m_size)
    return found;
  const auto beginAt = [](const LedgerSource& s, std::uint64_t k) { return s.beginOf(s.numberAt(k)); };
  // The latest moment before which no more than `first` rows begin: from there on at most a few rows are skipped.
  Picoseconds low{0};
  Picoseconds high{0};
  for (const LedgerSource& s : m_sources) {
    if (s.size() == 0)
      continue;
    low = std::min(low, beginAt(s, 0));
    high = std::max(high, beginAt(s, s.size() - 1) + Picoseconds{1});
  }
  while (high - low > Picoseconds{1}) {
    const Picoseconds middle = low + (high - low) / 2;
    (firstFrom(middle) <= first ? low : high) = middle;
  }
  struct Next {
    std::uint64_t k = 0;
    std::uint64_t number = 0;
    Picoseconds begin = kNever;
  };
  std::vector<Next> next;
  const auto put = [&](std::size_t s) {
    const LedgerSource& source = m_sources[s];
    if (next[s].k >= source.size()) {
      next[s].begin = kNever;
      return;
    }
    next[s].number = source.numberAt(next[s].k);
    next[s].begin = source.beginOf(next[s].number);
  };
  std::uint64_t row = 0;
  for (std::size_t s = 0; s < m_sources.size(); ++s) {
    next.push_back({m_sources[s].shownBelow(m_sources[s].firstFrom(low)), 0, kNever});
    put(s);
    row += next[s].k;
  }
  while (found.size() < count && row < m_size) {
    std::size_t earliest = 0;
    for (std::size_t s = 1; s < m_sources.size(); ++s)
      earliest = next[s].begin < next[earliest].begin ? s : earliest;
    if (row >= first)
      found.push_back({earliest, next[earliest].number});
    ++next[earliest].k;
    put(earliest);
    ++row;
  }
  return found;
}

std::uint64_t MergedRows::rowOf(LedgerRow wanted) const
{
  const Picoseconds begin = beginOf(wanted);
  std::uint64_t row = 0;
  for (std::size_t s = 0; s < m_sources.size(); ++s) {
    const LedgerSource& source = m_sources[s];
    if (s == wanted.source)
      row += source.shownBelow(wanted.number);
    else
      row += source.shownBelow(source.firstFrom(s < wanted.source ? begin + Picoseconds{1} : begin));
  }
  return row;
}

void LedgerLines::setForm(LedgerForm form, std::size_t wrap)
{
  assert(wrap > 0);
  m_form = form;
  m_wrap = wrap;
  m_exceptions.clear();
}

void LedgerLines::setOpen(LedgerRow row, bool open)
{
  if (m_form == LedgerForm::Bytes)
    return;
  if (open == (m_form == LedgerForm::Opened))
    m_exceptions.erase(row);
  else
    m_exceptions.insert(row);
}

std::uint64_t LedgerLines::detailCount(LedgerRow row) const
{
  const LedgerSource& source = m_rows.sources().at(row.source);
  if (m_form == LedgerForm::Bytes)
    return byteLineCount(source.bus, source.transactions, row.number, m_wrap) - 1;
  return isOpen(row) ? bexto::detailCount(source.bus, source.transactions, row.number) : 0;
}

LedgerPlace LedgerLines::last() const
{
  const std::uint64_t row = m_rows.size() - 1;
  return {row, detailCount(m_rows.at(row))};
}

LedgerPlace LedgerLines::moved(LedgerPlace from, std::int64_t by) const
{
  from = clamped(from);
  const auto steps = static_cast<std::uint64_t>(by < 0 ? -by : by);
  const std::uint64_t first = by < 0 ? from.row - std::min(from.row, steps) : from.row;
  const std::vector<LedgerRow> rows =
      m_rows.rows(first, static_cast<std::size_t>((by < 0 ? from.row - first : steps) + 1));
  auto left = steps;
  if (by < 0) {
    while (left > from.detail) {
      if (from.row == 0)
        return {0, 0};
      left -= from.detail + 1;
      --from.row;
      from.detail = detailCount(rows[static_cast<std::size_t>(from.row - first)]);
    }
    from.detail -= left;
    return from;
  }
  for (;;) {
    const std::uint64_t under = detailCount(rows[static_cast<std::size_t>(from.row - first)]);
    if (from.detail + left <= under)
      return {from.row, from.detail + left};
    if (from.row + 1 == m_rows.size())
      return {from.row, under};
    left -= under - from.detail + 1;
    ++from.row;
    from.detail = 0;
  }
}

LedgerPlace LedgerLines::clamped(LedgerPlace place) const
{
  assert(!empty());
  if (place.row >= m_rows.size())
    return last();
  if (place.detail > 0)
    place.detail = std::min(place.detail, detailCount(m_rows.at(place.row)));
  return place;
}

}  // namespace bexto
