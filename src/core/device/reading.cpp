// One pass over the frames, in their order, with a little state for each device (where its pointer is, which command
// waits for its answer). What a row cannot hold is made of it and the frame again: a row costs eight bytes and some
// tens of nanoseconds, a sentence microseconds, and only what is looked at needs one.
//
// Tested by tests/core/device_test.cpp (sheets against the plant's traffic) and tests/core/reading_test.cpp (pieces
// against the whole, any frames at all).
#include "core/device/reading.h"

#include <algorithm>
#include <iterator>

#include "core/base/say.h"
#include "core/decode/protocol.h"
#include "core/device/exchanges.h"
#include "core/device/field_value.h"
#include "core/device/transport.h"

namespace bexto {

namespace {

/// The packet error code of SMBus 3.2, chapter 5.4.1.1: CRC-8 with x^8 + x^2 + x + 1, begun with 0.
std::uint32_t pecOver(std::uint32_t crc, std::span<const std::uint8_t> bytes)
{
  SheetChecksum check;
  check.width = 8;
  check.polynomial = 0x07;
  check.initial = crc;
  return check.of(bytes);
}

/// Bytes that every one of its values needs.
std::size_t bytesNeeded(const std::vector<SheetField>& fields)
{
  std::size_t needed = 0;
  for (const SheetField& f : fields) {
    if (!f.onlyWith && f.place.byte >= 0 && f.place.bytes > 0)
      needed = std::max<std::size_t>(needed, static_cast<std::size_t>(f.place.byte) + f.place.bytes);
  }
  return needed;
}

}  // namespace

/// Makes the rows of a reading.
class ReadingPass {
 public:
  ReadingPass(Reading& reading, const TalkReader& talk)
      : m_reading(reading), m_devices(*reading.m_devices), m_talk(talk)
  {
    m_reading.m_states.resize(m_devices.sheets().size());
    m_reading.m_counters.resize(m_devices.items().size(), -1);
    for (const BusDevices::Item& item : m_devices.items()) {
      const Sheet& sheet = m_devices.sheet(item.sheet);
      m_needed.push_back(item.kind == BusDevices::Item::Kind::Message ? bytesNeeded(sheet.messages[item.number].fields)
                                                                      : 0);
    }
  }

  void frames(const FrameIndex& frames)
  {
    std::uint64_t from = m_reading.m_rows.size();
    for (const auto& chunk : frames.chunks()) {
      if (chunk->first + chunk->size() <= from)
        continue;
      for (auto i = static_cast<std::size_t>(from - chunk->first); i < chunk->size(); ++i, ++from) {
        const Frame frame = chunk->frame(i);
        UnitRow row = rowOf(frame, m_talk.of(frame));
        if (m_reading.m_isOfWholes && m_reading.m_wholes->stateOf(from) != Wholes::State::Whole)
          row.flags = UnitRow::kBroken;
        m_reading.m_rows.add(row);
        talks(row, from);
        if (row.isFaulty())
          m_reading.m_faulty.push_back(static_cast<std::uint32_t>(from));
      }
    }
    m_reading.m_frames = frames.size();
  }

  void characters(const FrameIndex& frames, const SheetFraming& framing, const Reading* before)
  {
    std::vector<FramedUnit> units;
    std::uint64_t from = 0;
    if (before != nullptr) {
      // What is near the end may go on: no message is longer than that.
      std::size_t keep = before->m_firsts->size();
      while (keep > 0 && (keep == before->m_firsts->size() ||
                          (*before->m_firsts)[keep] + std::uint64_t{framing.most} > before->m_frames))
        --keep;
      for (std::size_t i = 0; i < keep; ++i)
        units.push_back({(*before->m_firsts)[i], (*before->m_isMessage)[i]});
      from = keep < before->m_firsts->size() ? (*before->m_firsts)[keep] : before->m_frames;
    }
    const std::size_t kept = units.size();
    findMessages(framing, m_talk, frames, from, units);
    auto firsts = std::make_shared<std::vector<std::uint32_t>>();
    auto isMessage = std::make_shared<std::vector<bool>>();
    firsts->reserve(units.size());
    isMessage->reserve(units.size());
    for (const FramedUnit& unit : units) {
      firsts->push_back(unit.first);
      isMessage->push_back(unit.isMessage);
    }
    m_reading.m_rows.cutFrom(kept);
    m_reading.m_talkers.cutFrom(kept);
    while (!m_reading.m_faulty.empty() && m_reading.m_faulty.back() >= from)
      m_reading.m_faulty.pop_back();
    for (std::size_t i = kept; i < units.size(); ++i) {
      const FrameRange range{units[i].first, i + 1 < units.size() ? units[i + 1].first : frames.size()};
      const UnitRow row = units[i].isMessage ? messageRow(framing, frames, range) : UnitRow();
      m_reading.m_rows.add(row);
      talks(row, i);
      if (row.isFaulty())
        m_reading.m_faulty.push_back(units[i].first);
    }
    m_reading.m_firsts = std::move(firsts);
    m_reading.m_isMessage = std::move(isMessage);
    m_reading.m_frames = frames.size();
  }

 private:
  /// Notes that somebody asks or answers. What may be something else does neither.
  void talks(const UnitRow& row, std::uint64_t unit)
  {
    constexpr std::uint16_t kNothing = UnitRow::kUncertain | UnitRow::kSilent | UnitRow::kChecksum | UnitRow::kBroken;
    if (m_devices.hasAnswers() && row.item != UnitRow::kNone && m_devices.asks(row.item).any() &&
        (row.flags & kNothing) == 0)
      m_reading.m_talkers.add(static_cast<std::uint32_t>(unit));
  }

  UnitRow rowOf(const Frame& frame, const Talk& talk)
  {
    UnitRow row;
    if (!talk.heard)
      return row;
    switch (m_devices.style()) {
      case TalkStyle::Addressed:
        addressed(frame, talk, row);
        break;
      case TalkStyle::Exchanged:
        exchanged(talk, row);
        break;
      case TalkStyle::Named:
        named(talk, row);
        break;
      case TalkStyle::Characters:
      case TalkStyle::None:
        break;
    }
    return row;
  }

  // ---- Addressed.

  void addressed(const Frame& frame, const Talk& talk, UnitRow& row)
  {
    const auto number = m_devices.sheetAt(talk.name);
    if (!number)
      return;
    const Sheet& sheet = m_devices.sheet(*number);
    Reading::DeviceState& state = m_reading.m_states[*number];
    row.item = m_devices.otherOf(*number);
    if (!talk.answered) {
      row.flags |= UnitRow::kSilent;
      state.writeEnd = -1;
      return;
    }
    std::span<const std::uint8_t> bytes = talk.inward ? talk.in : talk.out;
    if (sheet.packetError)
      bytes = withoutPec(sheet, frame, talk, bytes, state, row);
    if (talk.inward)
      readBy(*number, sheet, bytes, state, row);
    else
      writtenTo(*number, sheet, bytes, state, row);
  }

  /// Takes the packet error code off and judges it. It covers the write in front of a read with its address.
  static std::span<const std::uint8_t> withoutPec(const Sheet& sheet, const Frame& frame, const Talk& talk,
                                                  std::span<const std::uint8_t> bytes, Reading::DeviceState& state,
                                                  UnitRow& row)
  {
    const bool goesOn = talk.inward && state.writeEnd == frame.time.begin.count();
    const auto address = static_cast<std::uint8_t>((talk.name << 1U | (talk.inward ? 1U : 0U)) & 0xffU);
    std::uint32_t crc = pecOver(goesOn ? state.crc : 0U, {&address, 1});
    const std::size_t least = talk.inward ? 1 : sheet.pointerBytes + 1;
    state.writeEnd = talk.inward ? -1 : frame.time.end.count();
    if (bytes.size() <= least || (!talk.whole && talk.inward)) {
      state.crc = pecOver(crc, bytes);
      return bytes;
    }
    crc = pecOver(crc, bytes.first(bytes.size() - 1));
    row.flags |= UnitRow::kHasPec;
    if (crc != bytes.back())
      row.flags |= UnitRow::kChecksum;
    state.crc = crc;
    return bytes.first(bytes.size() - 1);
  }

  void writtenTo(std::size_t number, const Sheet& sheet, std::span<const std::uint8_t> bytes,
                 Reading::DeviceState& state, UnitRow& row)
  {
    state.command = UnitRow::kNone;
    const bool hasSpace = !sheet.registers.empty() || sheet.isMemory;
    if (const auto found =
            sheet.commands.empty() || bytes.empty() ? std::nullopt : m_devices.commandIn(number, bytes)) {
      const SheetCommand& command = sheet.commands[*found];
      row.item = m_devices.commandOf(number, *found);
      state.command = row.item;
      placeCommand(command, bytes, row);
      state.commandAddress = row.address;
      state.commandPlaced = (row.flags & UnitRow::kLost) == 0;
      if (command.writes && bytes.size() > *command.writes)
        row.flags |= UnitRow::kWrites;
      checkFields(command.fields, {bytes, {}}, row);
      return;
    }
    if (!hasSpace) {
      if (!bytes.empty())
        row.flags |= UnitRow::kUnknown;
      return;
    }
    if (bytes.size() < sheet.pointerBytes || (bytes.empty() && sheet.pointerBytes == 0))
      return;  // it was only asked whether it is there
    row.item = m_devices.spaceOf(number);
    std::uint32_t pointer = 0;
    for (std::uint32_t i = 0; i < sheet.pointerBytes; ++i)
      pointer |= std::uint32_t{bytes[i]} << 8U * (sheet.pointerBig ? sheet.pointerBytes - 1 - i : i);
    pointer = static_cast<std::uint32_t>(pointer % m_devices.spaceSize(number));
    row.address = pointer;
    state.pointed = true;
    state.pointer = pointer;
    const std::span<const std::uint8_t> data = bytes.subspan(sheet.pointerBytes);
    if (data.empty()) {
      row.flags |= UnitRow::kPoints;
      return;
    }
    row.flags |= UnitRow::kWrites;
    checkSpace(number, sheet, data, true, row);
    advance(number, sheet, data.size(), true, state);
  }

  void readBy(std::size_t number, const Sheet& sheet, std::span<const std::uint8_t> bytes, Reading::DeviceState& state,
              UnitRow& row)
  {
    row.flags |= UnitRow::kReads;
    if (state.command != UnitRow::kNone) {
      row.item = state.command;
      row.address = state.commandAddress;
      if (!state.commandPlaced)
        row.flags |= UnitRow::kLost;
      checkFields(sheet.commands[m_devices.item(row.item).number].fields, {{}, bytes}, row);
      return;
    }
    if (sheet.registers.empty() && !sheet.isMemory)
      return;
    row.item = m_devices.spaceOf(number);
    if (sheet.pointerBytes > 0 && !state.pointed) {
      row.flags |= UnitRow::kLost;
      return;
    }
    row.address = sheet.pointerBytes > 0 ? state.pointer : 0;
    checkSpace(number, sheet, bytes, false, row);
    advance(number, sheet, bytes.size(), false, state);
  }

  void advance(std::size_t number, const Sheet& sheet, std::size_t bytes, bool writes,
               Reading::DeviceState& state) const
  {
    if (!sheet.increments)
      return;
    const auto by = static_cast<std::uint64_t>(bytes) / sheet.unit;
    std::uint64_t next = state.pointer + by;
    if (writes && sheet.page > 0)
      next = state.pointer / sheet.page * std::uint64_t{sheet.page} + (state.pointer % sheet.page + by) % sheet.page;
    state.pointer = static_cast<std::uint32_t>(next % m_devices.spaceSize(number));
  }

  // ---- Exchanged.

  void exchanged(const Talk& talk, UnitRow& row)
  {
    for (std::size_t s = 0; s < m_devices.sheets().size(); ++s) {
      const auto found = m_devices.commandIn(s, talk.out);
      if (!found)
        continue;
      const SheetCommand& command = m_devices.sheet(s).commands[*found];
      row.item = m_devices.commandOf(s, *found);
      placeCommand(command, talk.out, row);
      if (command.reads && talk.in.size() > *command.reads)
        row.flags |= UnitRow::kReads;
      if (command.writes && talk.out.size() > *command.writes)
        row.flags |= UnitRow::kWrites;
      if (m_devices.item(row.item).checked)
        checkFields(command.fields, {talk.out, talk.in}, row);
      return;
    }
    row.item = m_devices.otherOf(0);
    if (!talk.out.empty())
      row.flags |= UnitRow::kUnknown;
  }

  static void placeCommand(const SheetCommand& command, std::span<const std::uint8_t> out, UnitRow& row)
  {
    if (!command.address)
      return;
    if (const auto address = bitsAt(*command.address, out))
      row.address = static_cast<std::uint32_t>(*address);
    else
      row.flags |= UnitRow::kLost;
  }

  // ---- Named.

  void named(const Talk& talk, UnitRow& row)
  {
    row.item = m_reading.m_isOfWholes ? m_devices.wholeMessageOf(talk.name, talk.out)
                                      : m_devices.messageOf(talk.name, talk.out);
    if (row.item == UnitRow::kNone)
      return;
    if (!talk.answered) {
      row.flags |= UnitRow::kSilent;
      return;
    }
    if (!talk.certain) {
      row.flags |= UnitRow::kUncertain;
      return;
    }
    if (m_devices.item(row.item).kind == BusDevices::Item::Kind::Part) {
      part(talk, row);
      return;
    }
    if (m_devices.item(row.item).kind != BusDevices::Item::Kind::Message) {
      row.flags |= UnitRow::kUnknown;
      return;
    }
    judgeMessage(talk.out, nullptr, row);
  }

  /// Of a message in several frames; or a whole one that the sheet does not know, where it knows some.
  void part(const Talk& talk, UnitRow& row)
  {
    const std::size_t number = m_devices.transportAt(talk.name).value_or(0);
    const BusDevices::Transport& transport = m_devices.transports()[number];
    if (m_reading.m_isOfWholes ? !transport.messages.empty()
                               : transportPart(talk.out, transport.spec->extended).kind == TransportPart::Kind::None)
      row.flags |= UnitRow::kUnknown;
  }

  /// `common`: the checksum that all messages have.
  void judgeMessage(std::span<const std::uint8_t> bytes, const SheetChecksum* common, UnitRow& row)
  {
    const BusDevices::Item& item = m_devices.item(row.item);
    const SheetMessage& message = m_devices.sheet(item.sheet).messages[item.number];
    const SheetChecksum* const check = message.checksum ? &*message.checksum : common;
    if (check != nullptr && !check->holds(bytes)) {
      row.flags |= UnitRow::kChecksum;
      return;
    }
    if (bytes.size() < m_needed[row.item])
      row.flags |= UnitRow::kShort;
    if (!item.checked)
      return;
    checkFields(message.fields, {bytes, bytes}, row);
    for (const SheetField& f : message.fields) {
      if (f.counts && message.ids.size() < 2 && message.idMask == 0xffffffff)
        checkCounter(f, bytes, row);
    }
  }

  void checkCounter(const SheetField& f, std::span<const std::uint8_t> bytes, UnitRow& row)
  {
    const auto raw = rawOf(f, {bytes, bytes});
    if (!raw)
      return;
    std::int64_t& last = m_reading.m_counters[row.item];
    const std::int64_t most = f.most < 1e15        ? static_cast<std::int64_t>(f.most)
                              : f.place.bits >= 62 ? std::int64_t{1} << 62U
                                                   : (std::int64_t{1} << f.place.bits) - 1;
    const std::int64_t next = last >= most ? 0 : last + 1;
    if (last >= 0 && *raw != next)
      row.flags |= UnitRow::kCounter;
    last = *raw;
  }

  // ---- Characters.

  UnitRow messageRow(const SheetFraming& framing, const FrameIndex& frames, FrameRange range)
  {
    UnitRow row;
    const Sheet& sheet = m_devices.sheet(0);
    const std::vector<std::uint8_t> bytes = messageBytes(framing, m_talk, frames, range, isText(sheet));
    for (std::uint64_t i = range.first; i < range.end; ++i) {
      if (frames.frame(i).errors != 0)
        row.flags |= UnitRow::kUncertain;
    }
    row.item = m_devices.messageIn(bytes);
    const bool known = m_devices.item(row.item).kind == BusDevices::Item::Kind::Message;
    const SheetChecksum* const common = sheet.checksum ? &*sheet.checksum : nullptr;
    if (known) {
      judgeMessage(bytes, common, row);
      return row;
    }
    if (common != nullptr && !common->holds(bytes))
      row.flags |= UnitRow::kChecksum;
    else if (!isText(sheet) && !sheet.messages.empty())
      row.flags |= UnitRow::kUnknown;
    return row;
  }

  // ---- Values.

  static void checkFields(const std::vector<SheetField>& fields, const FieldBytes& bytes, UnitRow& row)
  {
    for (const SheetField& f : fields) {
      if (f.alwaysSound() || !isThere(fields, f, bytes))
        continue;
      if (const auto raw = rawOf(f, bytes); raw && isWrong(f, bytes, *raw))
        row.flags |= UnitRow::kReserved;
    }
  }

  void checkSpace(std::size_t number, const Sheet& sheet, std::span<const std::uint8_t> bytes, bool writes,
                  UnitRow& row)
  {
    if (!m_devices.isSpaceChecked(number))
      return;
    m_devices.forRegisters(number, row.address, bytes.size(), writes, [&](const BusDevices::Touched& touched) {
      const SheetRegister& r = sheet.registers[touched.number];
      if (writes && !r.writable)
        row.flags |= UnitRow::kReadOnly;
      if (!touched.whole)
        return;
      const std::span<const std::uint8_t> own = bytes.subspan(static_cast<std::size_t>(touched.offset), r.bytes);
      if (r.undefined != 0) {
        BitPlace all;
        all.bytes = r.bytes;
        all.bits = std::min(64U, r.bytes * 8);
        all.big = r.big;
        if ((bitsAt(all, own).value_or(0) & r.undefined) != 0)
          row.flags |= UnitRow::kUndefined;
      }
      checkFields(r.fields, {own, own}, row);
    });
  }

  Reading& m_reading;
  const BusDevices& m_devices;
  const TalkReader& m_talk;
  std::vector<std::size_t> m_needed;  ///< of each item
};

std::shared_ptr<const Reading> Reading::make(std::shared_ptr<const BusDevices> devices, const Bus& bus,
                                             const FrameIndex& frames, const std::shared_ptr<const Meaning>& before)
{
  const auto talk = bus.protocol().talkReader(bus);
  if (!talk)
    return nullptr;
  const std::shared_ptr<Reading> reading(new Reading);
  const auto* known = dynamic_cast<const Reading*>(before.get());
  if (known != nullptr && (known->m_devices != devices || known->m_frames > frames.size()))
    known = nullptr;
  if (known != nullptr)
    reading->goOnFrom(*known);
  reading->m_devices = std::move(devices);
  ReadingPass pass(*reading, *talk);
  const Sheet& first = reading->m_devices->sheet(0);
  if (reading->m_devices->style() == TalkStyle::Characters)
    pass.characters(frames, *first.framing, known);
  else
    pass.frames(frames);
  return reading;
}

std::shared_ptr<const Reading> Reading::ofWholes(std::shared_ptr<const BusDevices> devices, const Bus& bus,
                                                 const std::shared_ptr<const Wholes>& wholes,
                                                 const std::shared_ptr<const Meaning>& before)
{
  const auto talk = bus.protocol().talkReader(bus);
  if (!talk)
    return nullptr;
  const std::shared_ptr<Reading> reading(new Reading);
  const FrameIndex& frames = wholes->frames();
  const auto* const known = dynamic_cast<const Reading*>(before.get());
  if (known != nullptr && known->m_devices == devices && known->m_isOfWholes && known->m_frames <= frames.size())
    reading->goOnFrom(*known);
  reading->m_devices = std::move(devices);
  reading->m_wholes = wholes;
  reading->m_isOfWholes = true;
  ReadingPass(*reading, *talk).frames(frames);
  return reading;
}

void Reading::goOnFrom(const Reading& before)
{
  m_rows = before.m_rows;
  m_frames = before.m_frames;
  m_faulty = before.m_faulty;
  m_states = before.m_states;
  m_counters = before.m_counters;
  m_talkers = before.m_talkers;
  m_exchanges = before.m_exchanges;
  m_stream = before.m_stream;
}

std::uint64_t Reading::unitOf(std::uint64_t frame) const
{
  if (!m_firsts)
    return frame;
  return static_cast<std::uint64_t>(std::upper_bound(m_firsts->begin(), m_firsts->end(), frame) - m_firsts->begin()) -
         1;
}

FrameRange Reading::framesOf(std::uint64_t unit) const
{
  if (!m_firsts)
    return {unit, unit + 1};
  const auto i = static_cast<std::size_t>(unit);
  return {(*m_firsts)[i], i + 1 < m_firsts->size() ? (*m_firsts)[i + 1] : m_frames};
}

bool Reading::says(FrameRange frames) const
{
  for (std::uint64_t unit = unitOf(frames.first); unit < m_rows.size() && framesOf(unit).first < frames.end; ++unit) {
    if (m_rows.at(unit).item != UnitRow::kNone)
      return true;
  }
  return false;
}

std::shared_ptr<Reading> Reading::copy() const
{
  std::shared_ptr<Reading> other(new Reading);
  other->goOnFrom(*this);
  other->m_devices = m_devices;
  other->m_firsts = m_firsts;
  other->m_isMessage = m_isMessage;
  other->m_wholes = m_wholes;
  other->m_isOfWholes = m_isOfWholes;
  other->m_other = m_other;
  return other;
}

std::shared_ptr<const Reading> Reading::with(std::shared_ptr<const Exchanges> exchanges, std::size_t stream) const
{
  const std::shared_ptr<Reading> other = copy();
  other->m_exchanges = std::move(exchanges);
  other->m_stream = stream;
  return other;
}

std::shared_ptr<const Reading> Reading::with(std::shared_ptr<const Wholes> wholes, int other) const
{
  const std::shared_ptr<Reading> joined = copy();
  joined->m_wholes = std::move(wholes);
  joined->m_other = other;
  return joined;
}

}  // namespace bexto
