// Tested by tests/core/related_test.cpp.
#include "core/view/related.h"

#include <algorithm>

#include "core/decode/can.h"
#include "core/decode/i2c.h"
#include "core/decode/spi.h"

namespace bexto {

namespace {

constexpr std::uint32_t kNameless = ~0U;

Frame firstFrame(const Transactions& t, std::uint64_t number)
{
  return t.frames().frame(t.framesOf(number).first);
}

/// Two are alike in name when this is equal.
std::uint64_t nameOf(const LedgerSource& source, std::uint64_t number)
{
  const Frame frame = firstFrame(source.transactions, number);
  switch (source.bus.protocol()) {
    case Protocol::Uart:
      return 0;
    case Protocol::I2c: {
      const I2cTransfer t = i2cTransfer(frame);
      return t.hasAddress ? t.address | (t.tenBit ? 0x10000U : 0U) : kNameless;
    }
    case Protocol::Spi: {
      const SpiTransfer t = spiTransfer(source.bus, frame);
      const auto bytes = t.hasMosi ? t.mosi : t.miso;
      return bytes.empty() ? kNameless : bytes.front();
    }
    case Protocol::Can: {
      const CanHead head = canHead(frame);
      return head.hasId ? head.id | (head.extended ? 0x80000000U : 0U) : kNameless;
    }
  }
  return 0;
}

/// Whether the exchange writes, reads, or both, as two bits.
unsigned i2cWays(const Transactions& t, std::uint64_t number)
{
  unsigned ways = 0;
  const FrameRange range = t.framesOf(number);
  for (std::uint64_t i = range.first; i < range.end; ++i) {
    const I2cTransfer transfer = i2cTransfer(t.frames().frame(i));
    if (transfer.hasAddress)
      ways |= transfer.read ? 2U : 1U;
  }
  return ways;
}

std::uint64_t kindOf(const LedgerSource& source, std::uint64_t number)
{
  const Frame frame = firstFrame(source.transactions, number);
  if (source.bus.protocol() == Protocol::I2c)
    return i2cWays(source.transactions, number);
  return static_cast<std::uint64_t>(frame.kind);
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
    if (s == row.source || other.bus.name != rows.sources()[row.source].bus.name)
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

std::optional<std::uint64_t> alike(const LedgerSource& source, std::uint64_t number, Alike how, bool forward)
{
  const auto what = [&](std::uint64_t n) { return how == Alike::Name ? nameOf(source, n) : kindOf(source, n); };
  const std::uint64_t wanted = what(number);
  return walk(source, number, forward, [&](std::uint64_t n) { return what(n) == wanted; });
}

std::optional<LedgerRow> partnerOf(const MergedRows& rows, LedgerRow row)
{
  constexpr std::uint64_t kFar = 10000;
  const LedgerSource& source = rows.sources().at(row.source);
  const auto named = [&](std::uint64_t n) { return nameOf(source, n) == nameOf(source, row.number); };
  const auto at = [&](std::optional<std::uint64_t> n) {
    return n ? std::optional(LedgerRow{row.source, *n}) : std::nullopt;
  };
  switch (source.bus.protocol()) {
    case Protocol::Uart:
      return otherLine(rows, row);
    case Protocol::Can: {
      const FrameKind kind = firstFrame(source.transactions, row.number).kind;
      if (kind != FrameKind::Remote && kind != FrameKind::Data)
        return std::nullopt;
      const bool asks = kind == FrameKind::Remote;
      // The nearest frame with that identifier decides: a data frame that another one precedes is no answer.
      const auto near = walk(source, row.number, asks, named, kFar);
      const FrameKind wanted = asks ? FrameKind::Data : FrameKind::Remote;
      return near && firstFrame(source.transactions, *near).kind == wanted ? at(near) : std::nullopt;
    }
    case Protocol::I2c: {
      const unsigned ways = i2cWays(source.transactions, row.number);
      if (ways != 1 && ways != 2)
        return std::nullopt;
      const auto near = walk(source, row.number, ways == 1, named, kFar);
      return near && i2cWays(source.transactions, *near) == 3 - ways ? at(near) : std::nullopt;
    }
    case Protocol::Spi:
      break;
  }
  return std::nullopt;
}

}  // namespace bexto
