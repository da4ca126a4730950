// Tested by tests/core/value_series_test.cpp.
#include "core/device/value_series.h"

#include <algorithm>
#include <cmath>

#include "core/decode/bus.h"
#include "core/device/reading.h"

namespace bexto {

namespace {

/// A value in a row: of a register, a command or a message.
struct Source {
  const SheetField* field = nullptr;
  const SheetRegister* reg = nullptr;  ///< of an access to the space
  Picoseconds every{0};
};

const SheetField* named(const std::vector<SheetField>& fields, const std::string& name)
{
  const auto found = std::find_if(fields.begin(), fields.end(), [&](const SheetField& f) { return f.name == name; });
  return found == fields.end() ? nullptr : &*found;
}

/// Where rows of the item have the value; none: they do not.
Source sourceIn(const BusDevices& devices, const BusDevices::Item& item, const DeviceValue& value)
{
  const Sheet& sheet = devices.sheet(item.sheet);
  Source source;
  if (sheet.device != value.device)
    return source;
  const bool isCommand = item.kind == BusDevices::Item::Kind::Command;
  if (item.kind == BusDevices::Item::Kind::Message && sheet.messages[item.number].name == value.subject) {
    source.field = named(sheet.messages[item.number].fields, value.value);
    source.every = sheet.messages[item.number].every;
  } else if (isCommand && sheet.commands[item.number].name == value.subject) {
    source.field = named(sheet.commands[item.number].fields, value.value);
  }
  const bool moves = isCommand && (sheet.commands[item.number].reads || sheet.commands[item.number].writes);
  if (source.field == nullptr && (item.kind == BusDevices::Item::Kind::Space || moves)) {
    const auto reg = std::find_if(sheet.registers.begin(), sheet.registers.end(),
                                  [&](const SheetRegister& r) { return r.name == value.subject; });
    if (reg != sheet.registers.end()) {
      source.reg = &*reg;
      source.field = named(reg->fields, value.value);
    }
  }
  return source;
}

void widen(ValueSeries::Range& range, double value)
{
  range.low = std::min(range.low, value);
  range.high = std::max(range.high, value);
}

/// Frames of characters that may still be regrouped when more of them come.
constexpr std::uint32_t kUnsettled = 2048;

}  // namespace

const SheetField* fieldOf(const BusDevices& devices, const DeviceValue& value)
{
  for (const BusDevices::Item& item : devices.items()) {
    if (const Source source = sourceIn(devices, item, value); source.field != nullptr)
      return source.field;
  }
  return nullptr;
}

bool isNumeric(const SheetField& field)
{
  return field.form != FieldForm::Text && field.form != FieldForm::Bytes;
}

std::vector<DeviceValue> numericValues(const BusDevices& devices)
{
  std::vector<DeviceValue> values;
  for (const auto& sheet : devices.sheets()) {
    const auto add = [&](const auto& subject) {
      for (const SheetField& field : subject.fields) {
        if (isNumeric(field))
          values.push_back({sheet->device, subject.name, field.name});
      }
    };
    std::for_each(sheet->registers.begin(), sheet->registers.end(), add);
    std::for_each(sheet->commands.begin(), sheet->commands.end(), add);
    std::for_each(sheet->messages.begin(), sheet->messages.end(), add);
  }
  return values;
}

std::optional<ValueSeries> ValueSeries::make(const Bus& bus, const Transactions& transactions, const DeviceValue& value,
                                             const ValueSeries& before, const std::stop_token& stop)
{
  ValueSeries series;
  const auto reading = std::dynamic_pointer_cast<const Reading>(transactions.meaning());
  if (!reading)
    return series;
  const BusDevices& devices = reading->devices();
  const UnitRows& rows = reading->rows();
  if (before.m_reading && &before.m_reading->devices() == &devices && before.m_looked <= rows.size())
    series = before;
  series.m_reading = reading;
  std::vector<Source> sources;
  Picoseconds every{0};
  for (const BusDevices::Item& item : devices.items()) {
    sources.push_back(sourceIn(devices, item, value));
    every = std::max(every, sources.back().every);
  }
  std::uint64_t from = series.m_looked;
  if (reading->firsts() && from > 0) {
    // The last messages may be others by now: those that began in what was the end then.
    const std::uint64_t frames = transactions.frames().size();
    while (from > 0 && (from >= rows.size() || reading->framesOf(from).first + kUnsettled > frames))
      --from;
    series.cutFrom(static_cast<std::uint32_t>(reading->framesOf(from).first));
  }
  const FrameIndex& frames = transactions.frames();
  const UnitTeller teller(*reading, bus, frames);
  std::vector<std::uint8_t> buffer;
  constexpr std::uint16_t kNothing =
      UnitRow::kUncertain | UnitRow::kSilent | UnitRow::kPoints | UnitRow::kLost | UnitRow::kChecksum;
  for (std::uint64_t unit = from; unit < rows.size(); ++unit) {
    constexpr std::uint64_t kOften = 65536;
    if (unit % kOften == 0 && stop.stop_requested())
      return std::nullopt;
    const UnitRow& row = rows.at(unit);
    if (row.item == UnitRow::kNone || sources[row.item].field == nullptr || (row.flags & kNothing) != 0)
      continue;
    const Source& source = sources[row.item];
    const auto number = teller.number(unit, *source.field, source.reg, buffer);
    if (!number || !std::isfinite(*number))
      continue;
    const FrameRange range = reading->framesOf(unit);
    series.add({frames.frame(range.end - 1).time.end, *number, static_cast<std::uint32_t>(range.first)});
  }
  series.m_looked = rows.size();
  series.findSilence(every);
  return series;
}

void ValueSeries::add(const Point& point)
{
  if (!m_open || m_open.use_count() != 1)
    m_open = m_open ? std::make_shared<Block>(*m_open) : std::make_shared<Block>();
  Block& block = *m_open;
  if (block.at.empty())
    block.all = {point.value, point.value};
  if (block.at.size() % kFew == 0)
    block.few.push_back({point.value, point.value});
  widen(block.all, point.value);
  widen(block.few.back(), point.value);
  block.at.push_back(point.at);
  block.value.push_back(point.value);
  block.frame.push_back(point.frame);
  if (block.at.size() == kBlock)
    m_sealed.push_back(std::exchange(m_open, nullptr));
}

void ValueSeries::cutFrom(std::uint32_t frame)
{
  // At most a few blocks: what is cut is at the end.
  while (!empty() && at(size() - 1).frame >= frame) {
    const auto full = static_cast<std::size_t>((size() - 1) / kBlock);
    const Block last = blockOf(size() - 1);
    m_sealed.resize(std::min(full, m_sealed.size()));
    m_open = nullptr;
    for (std::size_t i = 0; i < last.at.size() && last.frame[i] < frame; ++i)
      add({last.at[i], last.value[i], last.frame[i]});
  }
}

void ValueSeries::findSilence(Picoseconds every)
{
  m_silence = m_holds = kNever;
  if (every > Picoseconds{0}) {
    m_silence = wholePicoseconds(static_cast<double>(every.count()) * 2.5);
    m_holds = every;
    return;
  }
  constexpr std::uint64_t kLeast = 4;
  constexpr std::uint64_t kMost = 4096;
  if (size() < kLeast)
    return;
  std::vector<Picoseconds> rests;
  const std::uint64_t step = std::max<std::uint64_t>(1, (size() - 1) / kMost);
  for (std::uint64_t i = 1; i < size(); i += step)
    rests.push_back(at(i).at - at(i - 1).at);
  const auto most = rests.begin() + static_cast<std::ptrdiff_t>(rests.size() * 19 / 20);
  std::nth_element(rests.begin(), most, rests.end());
  const Picoseconds longest = *std::max_element(rests.begin(), rests.end());
  m_holds = std::max(*most, Picoseconds{1});
  m_silence = wholePicoseconds(static_cast<double>(m_holds.count()) * 4.0);
  if (longest <= m_silence)
    m_silence = m_holds = kNever;
}

ValueSeries::Point ValueSeries::at(std::uint64_t i) const
{
  const Block& block = blockOf(i);
  const auto place = static_cast<std::size_t>(i % kBlock);
  return {block.at[place], block.value[place], block.frame[place]};
}

std::uint64_t ValueSeries::countBefore(Picoseconds t) const
{
  const auto sealed =
      std::partition_point(m_sealed.begin(), m_sealed.end(), [t](const auto& b) { return b->at.back() < t; });
  const auto before = static_cast<std::uint64_t>(sealed - m_sealed.begin()) * kBlock;
  const Block* const inside = sealed != m_sealed.end() ? sealed->get() : m_open.get();
  if (inside == nullptr)
    return before;
  return before +
         static_cast<std::uint64_t>(std::lower_bound(inside->at.begin(), inside->at.end(), t) - inside->at.begin());
}

ValueSeries::Range ValueSeries::rangeOf(std::uint64_t begin, std::uint64_t end) const
{
  const double first = at(begin).value;
  Range range{first, first};
  const auto take = [&](const Range& part) {
    range.low = std::min(range.low, part.low);
    range.high = std::max(range.high, part.high);
  };
  for (std::uint64_t i = begin; i < end;) {
    const Block& block = blockOf(i);
    const auto place = static_cast<std::size_t>(i % kBlock);
    const std::uint64_t left = end - i;
    if (place == 0 && left >= block.at.size()) {
      take(block.all);
      i += block.at.size();
    } else if (place % kFew == 0 && left >= kFew && place + kFew <= block.at.size()) {
      take(block.few[place / kFew]);
      i += kFew;
    } else {
      widen(range, block.value[place]);
      ++i;
    }
  }
  return range;
}

}  // namespace bexto
