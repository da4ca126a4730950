// Tested by tests/core/related_test.cpp.
#include "core/view/related.h"

#include <algorithm>

#include "core/decode/protocol.h"

namespace bexto {

namespace {

/// Two are alike in name when this is equal.
std::uint64_t nameOf(const LedgerSource& source, std::uint64_t number)
{
  const Transactions& t = source.transactions;
  return source.bus.protocol().nameOf(source.bus, t.frames().frame(t.framesOf(number).first));
}

std::uint64_t kindOf(const LedgerSource& source, std::uint64_t number)
{
  return source.bus.protocol().kindOf(source.transactions, number);
}

std::uint64_t likenessOf(const LedgerSource& source, std::uint64_t number, Alike how)
{
  return how == Alike::Name ? nameOf(source, number) : kindOf(source, number);
}

/// The first after `number`, or the last before it, for which `holds` does; within so many transactions.
template <typename Holds>
std::optional<std::uint64_t> walk(const LedgerSource& source, std::uint64_t number, bool forward, const Holds& holds,
                                  std::uint64_t within = ~std::uint64_t{0})
{
  for (; within > 0; --within) {
    if (forward ? number + 1 >= source.transactions.size() : number == 0)
      return std::nullopt;
    forward ? ++number : --number;
    if (holds(number))
      return number;
  }
  return std::nullopt;
}

std::optional<LedgerRow> otherLine(const MergedRows& rows, LedgerRow row)
{
  for (std::size_t s = 0; s < rows.sources().size(); ++s) {
    const LedgerSource& other = rows.sources()[s];
    if (s == row.source || other.bus.name != rows.sources()[row.source].bus.name ||
        other.id.segment != rows.sources()[row.source].id.segment)
      continue;
    // What came between this and the line's own neighbours. In a polled bus that is a run before and a run after: an
    // answer follows its question sooner than the next question follows an answer.
    const LedgerSource& own = rows.sources()[row.source];
    const TimeRange time = own.transactions.timeOf(row.number);
    const std::uint64_t after = other.transactions.firstFrom(time.begin + Picoseconds{1});
    const bool last = row.number + 1 == own.transactions.size();
    const Picoseconds next = last ? kNever : own.transactions.beginOf(row.number + 1);
    const Picoseconds before = row.number == 0 ? Picoseconds{-1} : own.transactions.beginOf(row.number - 1);
    Picoseconds gapAfter = kNever;
    Picoseconds gapBefore = kNever;
    if (after < other.transactions.size() && other.transactions.beginOf(after) < next)
      gapAfter = other.transactions.beginOf(after) - time.end;
    if (after > 0 && other.transactions.beginOf(after - 1) > before)
      gapBefore = time.begin - other.transactions.timeOf(after - 1).end;
    if (gapAfter == kNever && gapBefore == kNever)
      return std::nullopt;
    return LedgerRow{s, gapAfter <= gapBefore ? after : after - 1};
  }
  return std::nullopt;
}

}  // namespace

AlikeSearch::AlikeSearch(LedgerSource source, std::uint64_t number, Alike how, bool forward)
    : m_source(std::move(source)),
      m_how(how),
      m_forward(forward),
      m_wanted(likenessOf(m_source, number, how)),
      m_next(m_source.shownBelow(forward ? number + 1 : number))
{
}

bool AlikeSearch::run(std::uint64_t lines)
{
  for (; lines > 0; --lines) {
    if (m_forward ? m_next >= m_source.size() : m_next == 0)
      return true;
    const std::uint64_t number = m_source.numberAt(m_forward ? m_next++ : --m_next);
    if (likenessOf(m_source, number, m_how) == m_wanted) {
      m_found = number;
      return true;
    }
  }
  return false;
}

std::optional<std::uint64_t> alike(const LedgerSource& source, std::uint64_t number, Alike how, bool forward)
{
  LedgerSource all = source;
  all.shown.reset();
  AlikeSearch search(std::move(all), number, how, forward);
  search.run(~std::uint64_t{0});
  return search.found();
}

std::optional<LedgerRow> partnerOf(const MergedRows& rows, LedgerRow row)
{
  constexpr std::uint64_t kFar = 10000;
  const LedgerSource& source = rows.sources().at(row.source);
  const Protocol& protocol = source.bus.protocol();
  // What a sheet says is better than what stands near.
  if (const auto& meaning = source.transactions.meaning()) {
    const auto partner = meaning->partnerOf(source.transactions.framesOf(row.number));
    for (std::size_t s = 0; partner && partner->stream >= 0 && s < rows.sources().size(); ++s) {
      const LedgerSource& other = rows.sources()[s];
      if (other.id == StreamId{source.id.bus, partner->stream, source.id.segment} &&
          partner->frame < other.transactions.frames().size())
        return LedgerRow{s, other.transactions.transactionOf(partner->frame)};
    }
    if (partner)
      return std::nullopt;
  }
  if (protocol.facts().answersOnOtherLine)
    return otherLine(rows, row);
  const Side side = protocol.sideOf(source.transactions, row.number);
  if (side == Side::None)
    return std::nullopt;
  // The nearest of that name decides: an answer that another one precedes belongs to no request.
  const auto named = [&](std::uint64_t n) { return nameOf(source, n) == nameOf(source, row.number); };
  const auto near = walk(source, row.number, side == Side::Request, named, kFar);
  const Side wanted = side == Side::Request ? Side::Answer : Side::Request;
  if (!near || protocol.sideOf(source.transactions, *near) != wanted)
    return std::nullopt;
  return LedgerRow{row.source, *near};
}

}  // namespace bexto
