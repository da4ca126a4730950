// Tested by tests/core/memory_trace_test.cpp.
#include "core/device/memory_trace.h"

#include <algorithm>

namespace bexto {

std::optional<MemoryTrace> MemoryTrace::make(const Bus& bus, const Transactions& transactions, std::size_t sheet,
                                             const MemoryTrace& before, const std::stop_token& stop)
{
  MemoryTrace trace;
  const auto reading = std::dynamic_pointer_cast<const Reading>(transactions.meaning());
  if (!reading || sheet >= reading->devices().sheets().size() || !reading->devices().sheet(sheet).isMemory)
    return trace;
  const bool goesOn = before.m_reading && &before.m_reading->devices() == &reading->devices() &&
                      before.m_sheet == sheet && before.m_looked <= reading->rows().size();
  if (goesOn)
    trace = before;
  trace.m_bus = bus;
  trace.m_transactions = transactions;
  trace.m_reading = reading;
  trace.m_sheet = sheet;
  trace.m_size = reading->devices().spaceSize(sheet);
  const UnitTeller teller(*reading, bus, transactions.frames());
  const UnitRows& rows = reading->rows();
  for (std::uint64_t unit = trace.m_looked; unit < rows.size(); ++unit) {
    constexpr std::uint64_t kOften = 65536;
    if (unit % kOften == 0 && stop.stop_requested())
      return std::nullopt;
    const UnitRow& row = rows.at(unit);
    constexpr std::uint16_t kNothing = UnitRow::kUncertain | UnitRow::kSilent | UnitRow::kPoints | UnitRow::kLost;
    const bool moves = (row.flags & (UnitRow::kReads | UnitRow::kWrites)) != 0;
    if (row.item == UnitRow::kNone || !moves || (row.flags & kNothing) != 0 ||
        reading->devices().item(row.item).sheet != sheet || teller.movedBytes(unit) == 0)
      continue;
    trace.m_units.add(static_cast<std::uint32_t>(unit));
    trace.apply(trace.m_last, unit, teller);
    if (trace.m_units.size() % kEvery == 0)
      trace.m_states.push_back(trace.m_last);
  }
  trace.m_looked = rows.size();
  return trace;
}

/// What the access touched is from now on of it. Pages that others have are copied first.
void MemoryTrace::apply(MemoryState& state, std::uint64_t unit, const UnitTeller& teller) const
{
  const UnitRow& row = m_reading->rows().at(unit);
  const Sheet& sheet = m_reading->devices().sheet(m_sheet);
  const std::size_t count = teller.movedBytes(unit);
  const bool goesAround = (row.flags & UnitRow::kReads) == 0 && sheet.page > 0;
  for (std::size_t i = 0; i < count; ++i) {
    std::uint64_t address = std::uint64_t{row.address} + i;
    if (goesAround)
      address = row.address / sheet.page * std::uint64_t{sheet.page} + (row.address % sheet.page + i) % sheet.page;
    address %= m_size;
    auto& page = state.m_pages[static_cast<std::uint32_t>(address / MemoryState::kPage)];
    if (!page || page.use_count() > 1)
      page = page ? std::make_shared<MemoryState::Page>(*page) : std::make_shared<MemoryState::Page>();
    (*page)[address % MemoryState::kPage] = {static_cast<std::uint32_t>(unit + 1), static_cast<std::uint32_t>(i)};
  }
}

MemoryState MemoryTrace::stateAt(Picoseconds t) const
{
  if (m_units.size() == 0)
    return {};
  // How many ended by then.
  const FrameIndex& frames = m_transactions.frames();
  std::uint64_t low = 0;
  std::uint64_t high = m_units.size();
  while (low < high) {
    const std::uint64_t middle = (low + high) / 2;
    if (frames.frame(m_reading->framesOf(m_units.at(middle)).end - 1).time.end <= t)
      low = middle + 1;
    else
      high = middle;
  }
  const std::uint64_t kept = std::min<std::uint64_t>(low / kEvery, m_states.size());
  MemoryState state = kept == 0 ? MemoryState() : m_states[static_cast<std::size_t>(kept - 1)];
  const UnitTeller teller(*m_reading, m_bus, frames);
  for (std::uint64_t i = kept * kEvery; i < low; ++i)
    apply(state, m_units.at(i), teller);
  return state;
}

std::vector<MemoryByte> MemoryTrace::bytesOf(const MemoryState& state, std::uint32_t address, std::size_t count) const
{
  std::vector<MemoryByte> bytes;
  if (m_reading == nullptr)
    return bytes;
  const UnitTeller teller(*m_reading, m_bus, m_transactions.frames());
  // Neighbours mostly come from one access.
  std::uint64_t known = ~std::uint64_t{0};
  std::vector<std::uint8_t> moved;
  for (std::size_t i = 0; i < count && address + i < m_size; ++i) {
    const auto at = static_cast<std::uint32_t>(address + i);
    MemoryByte byte;
    const MemoryState::Page* const page = state.page(at / MemoryState::kPage);
    if (page != nullptr && (*page)[at % MemoryState::kPage].unit != 0) {
      const MemoryState::Cell& cell = (*page)[at % MemoryState::kPage];
      byte.unit = cell.unit - 1;
      if (byte.unit != known) {
        known = byte.unit;
        moved = teller.movedCopy(known);
      }
      byte.seen = cell.offset < moved.size();
      byte.written = (m_reading->rows().at(known).flags & UnitRow::kReads) == 0;
      byte.value = byte.seen ? moved[cell.offset] : std::uint8_t{0};
    }
    bytes.push_back(byte);
  }
  return bytes;
}

std::string MemoryTrace::textOf(std::uint64_t unit) const
{
  const auto told = UnitTeller(*m_reading, m_bus, m_transactions.frames()).told(unit);
  return told ? told->text : std::string();
}

}  // namespace bexto
