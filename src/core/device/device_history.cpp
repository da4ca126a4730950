// Tested by tests/core/device_history_test.cpp.
#include "core/device/device_history.h"

#include <algorithm>

#include "core/decode/bus.h"

namespace bexto {

std::optional<DeviceHistory> DeviceHistory::make(const Bus& bus, const Transactions& transactions,
                                                 const DeviceHistory& before, const std::stop_token& stop)
{
  DeviceHistory history;
  const auto reading = std::dynamic_pointer_cast<const Reading>(transactions.meaning());
  if (!reading)
    return history;
  const BusDevices& devices = reading->devices();
  const bool goesOn =
      before.m_reading && &before.m_reading->devices() == &devices && before.m_looked <= reading->rows().size();
  if (goesOn)
    history = before;
  history.m_bus = bus;
  history.m_transactions = transactions;
  history.m_reading = reading;
  // Where the subjects of each sheet begin.
  std::vector<std::size_t> registersFrom;
  std::vector<std::size_t> itemSubject(devices.items().size(), 0);
  if (!goesOn)
    history.m_subjects.clear();
  std::size_t count = 0;
  const auto subject = [&](const Subject& s) {
    if (!goesOn)
      history.m_subjects.push_back(s);
    return count++;
  };
  for (std::size_t s = 0; s < devices.sheets().size(); ++s) {
    const Sheet& sheet = devices.sheet(s);
    registersFrom.push_back(count);
    for (std::size_t r = 0; r < sheet.registers.size(); ++r)
      subject({s, true, r});
    for (std::size_t i = 0; i < devices.items().size(); ++i) {
      const BusDevices::Item& item = devices.items()[i];
      const bool says = item.kind == BusDevices::Item::Kind::Message || item.kind == BusDevices::Item::Kind::Command;
      if (item.sheet == s && says)
        itemSubject[i] = subject({s, false, item.number});
    }
  }
  history.m_units.resize(count);
  const UnitRows& rows = reading->rows();
  // Of characters the last units may have been others.
  std::uint64_t from = history.m_looked;
  if (reading->firsts() && goesOn) {
    from = from > 64 ? from - 64 : 0;
    while (from > 0 && from < rows.size() &&
           reading->framesOf(from).first + 2048 > before.m_transactions.frames().size())
      --from;
    for (UnitList& list : history.m_units)
      list.cutFrom(from);
  }
  UnitTeller const teller(*reading, bus, transactions.frames());
  for (std::uint64_t unit = from; unit < rows.size(); ++unit) {
    constexpr std::uint64_t kOften = 65536;
    if (unit % kOften == 0 && stop.stop_requested())
      return std::nullopt;
    const UnitRow& row = rows.at(unit);
    constexpr std::uint16_t kNothing = UnitRow::kUncertain | UnitRow::kSilent | UnitRow::kPoints | UnitRow::kLost;
    if (row.item == UnitRow::kNone || (row.flags & (kNothing | UnitRow::kChecksum)) != 0)
      continue;
    const BusDevices::Item& item = devices.item(row.item);
    if (item.kind == BusDevices::Item::Kind::Message || item.kind == BusDevices::Item::Kind::Command)
      history.m_units[itemSubject[row.item]].add(static_cast<std::uint32_t>(unit));
    if ((row.flags & (UnitRow::kReads | UnitRow::kWrites)) == 0 || devices.sheet(item.sheet).registers.empty())
      continue;
    const std::size_t length = teller.movedBytes(unit);
    const bool writes = (row.flags & UnitRow::kReads) == 0;
    for (const BusDevices::Touched& touched : devices.registersIn(item.sheet, row.address, length, writes)) {
      if (touched.whole)
        history.m_units[registersFrom[item.sheet] + touched.number].add(static_cast<std::uint32_t>(unit));
    }
  }
  history.m_looked = rows.size();
  return history;
}

std::optional<std::uint64_t> DeviceHistory::lastAt(std::size_t i, Picoseconds t) const
{
  const UnitList& units = m_units[i];
  const FrameIndex& frames = m_transactions.frames();
  // By its begin first: of the units that began, the last one may go on at `t`.
  std::uint64_t low = 0;
  std::uint64_t high = units.size();
  while (low < high) {
    const std::uint64_t middle = (low + high) / 2;
    if (frames.frame(m_reading->framesOf(units.at(middle)).first).time.begin <= t)
      low = middle + 1;
    else
      high = middle;
  }
  while (low > 0) {
    const FrameRange range = m_reading->framesOf(units.at(low - 1));
    if (frames.frame(range.end - 1).time.end <= t)
      return units.at(low - 1);
    --low;
  }
  return std::nullopt;
}

std::optional<DeviceHistory::Said> DeviceHistory::saidAt(std::size_t i, Picoseconds t) const
{
  const auto unit = lastAt(i, t);
  return unit ? std::optional(saidIn(i, *unit)) : std::nullopt;
}

DeviceHistory::Said DeviceHistory::saidIn(std::size_t i, std::uint64_t unit) const
{
  Said said;
  said.unit = unit;
  const FrameIndex& frames = m_transactions.frames();
  said.at = frames.frame(m_reading->framesOf(unit).end - 1).time.end;
  said.written = (m_reading->rows().at(unit).flags & UnitRow::kWrites) != 0;
  const auto told = UnitTeller(*m_reading, m_bus, frames).told(unit);
  if (!told)
    return said;
  for (const SheetField& field : fieldsOf(i)) {
    const auto found = std::find_if(told->values.begin(), told->values.end(),
                                    [&](const ToldValue& v) { return v.name == field.name; });
    if (found != told->values.end())
      said.values.push_back(*found);
  }
  return said;
}

const std::string& DeviceHistory::nameOf(std::size_t i) const
{
  const Subject& s = m_subjects[i];
  const Sheet& sheet = m_reading->devices().sheet(s.sheet);
  if (s.isRegister)
    return sheet.registers[s.number].name;
  return sheet.messages.empty() ? sheet.commands[s.number].name : sheet.messages[s.number].name;
}

const std::string& DeviceHistory::deviceOf(std::size_t i) const
{
  return m_reading->devices().sheet(m_subjects[i].sheet).device;
}

const std::vector<SheetField>& DeviceHistory::fieldsOf(std::size_t i) const
{
  const Subject& s = m_subjects[i];
  const Sheet& sheet = m_reading->devices().sheet(s.sheet);
  if (s.isRegister)
    return sheet.registers[s.number].fields;
  return sheet.messages.empty() ? sheet.commands[s.number].fields : sheet.messages[s.number].fields;
}

}  // namespace bexto
