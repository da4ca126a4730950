// Tested by tests/core/device_test.cpp.
#include "core/device/bus_devices.h"

#include <algorithm>
#include <mutex>

#include "core/base/say.h"
#include "core/decode/protocol.h"
#include "core/device/exchanges.h"
#include "core/device/field_value.h"
#include "core/device/reading.h"
#include "core/device/transport.h"

namespace bexto {

namespace {

bool startsLike(const std::vector<BytesLike>& like, std::span<const std::uint8_t> bytes)
{
  return std::all_of(like.begin(), like.end(), [&](const BytesLike& b) {
    const std::int64_t at = b.byte < 0 ? static_cast<std::int64_t>(bytes.size()) + b.byte : b.byte;
    return at >= 0 && at < static_cast<std::int64_t>(bytes.size()) &&
           (bytes[static_cast<std::size_t>(at)] & b.mask) == b.value;
  });
}

bool anyUnsound(const std::vector<SheetField>& fields)
{
  return std::any_of(fields.begin(), fields.end(), [](const SheetField& f) { return !f.alwaysSound() || f.counts; });
}

}  // namespace

bool isText(const Sheet& sheet)
{
  return std::any_of(sheet.messages.begin(), sheet.messages.end(),
                     [](const SheetMessage& m) { return !m.line_of_text.empty(); });
}

std::string whyNotOn(const Sheet& sheet, const Protocol& protocol)
{
  return sheet.protocol == protocol.name() ? std::string() : say("it is for a bus of {}", sheet.protocol);
}

BusDevices::BusDevices(const Protocol& protocol, const SheetTexts& texts)
    : m_protocol(&protocol), m_texts(texts), m_style(protocol.facts().talkStyle)
{
  m_byShortAddress.fill(kNobody);
  for (const SheetText& text : texts.list()) {
    SheetRead read = readSheet(text.text);
    if (read.sheet && whyNotOn(*read.sheet, protocol).empty())
      addSheet(std::move(read.sheet));
  }
  collectWords();
  findAnswers();
}

void BusDevices::addSheet(std::shared_ptr<const Sheet> sheet)
{
  constexpr std::size_t kMostItems = 60'000;
  const std::size_t items = 2 + sheet->commands.size() + sheet->messages.size() + sheet->transports.size();
  // One row of characters is cut into messages in one way.
  const bool second = m_style == TalkStyle::Characters && !m_sheets.empty();
  if (second || m_items.size() + items > kMostItems)
    return;
  const std::size_t number = m_sheets.size();
  m_firstItem.push_back(static_cast<std::uint16_t>(m_items.size()));
  m_items.push_back({Item::Kind::Other, number, 0, false});
  m_items.push_back({Item::Kind::Space, number, 0, true});
  m_spaceChecked.push_back(std::any_of(sheet->registers.begin(), sheet->registers.end(), [](const SheetRegister& r) {
    return !r.writable || r.undefined != 0 || anyUnsound(r.fields);
  }));
  m_byOpcode.emplace_back();
  for (std::size_t i = 0; i < sheet->commands.size(); ++i) {
    const SheetCommand& c = sheet->commands[i];
    m_items.push_back({Item::Kind::Command, number, i, anyUnsound(c.fields)});
    for (unsigned first = 0; first < 256; ++first) {
      if (c.opcode.empty() || (first & c.opcode.front().mask) == c.opcode.front().value)
        m_byOpcode.back()[first].push_back(static_cast<std::uint16_t>(i));
    }
  }
  for (std::size_t i = 0; i < sheet->messages.size(); ++i) {
    const SheetMessage& m = sheet->messages[i];
    const auto item = static_cast<std::uint16_t>(m_items.size());
    m_items.push_back({Item::Kind::Message, number, i, anyUnsound(m.fields)});
    if (m.over)
      continue;
    if (m.idMask != 0xffffffff)
      m_masked.push_back(item);
    else {
      for (const std::uint32_t id : m.ids)
        m_byId[id].push_back(item);
    }
  }
  for (std::size_t t = 0; t < sheet->transports.size(); ++t) {
    const SheetTransport& spec = sheet->transports[t];
    Transport transport{&spec, number, static_cast<std::uint16_t>(m_items.size()), {}};
    m_items.push_back({Item::Kind::Part, number, t, false});
    for (std::size_t i = 0; i < sheet->messages.size(); ++i) {
      if (sheet->messages[i].over == t)
        transport.messages.push_back(static_cast<std::uint16_t>(m_firstItem.back() + 2U + sheet->commands.size() + i));
    }
    m_transportAt.try_emplace(spec.id, m_transports.size());
    m_transports.push_back(std::move(transport));
  }
  for (const SheetTransport& spec : sheet->transports) {
    // Flow control may have an identifier of its own; mostly it is that of the other direction.
    if (spec.flow)
      m_transportAt.try_emplace(*spec.flow, m_transportAt.at(spec.id));
  }
  for (const std::uint32_t address : sheet->addresses) {
    m_byAddress.try_emplace(address, number);
    if (address < m_byShortAddress.size() && m_byShortAddress[address] == kNobody)
      m_byShortAddress[address] = static_cast<std::uint16_t>(number);
  }
  m_sheets.push_back(std::move(sheet));
}

void BusDevices::findAnswers()
{
  m_asks.resize(m_items.size());
  for (std::size_t i = 0; i < m_items.size(); ++i) {
    if (m_items[i].kind != Item::Kind::Message)
      continue;
    const std::vector<SheetMessage>& messages = m_sheets[m_items[i].sheet]->messages;
    const SheetMessage& answer = messages[m_items[i].number];
    const auto asked =
        std::find_if(messages.begin(), messages.end(), [&](const SheetMessage& m) { return m.name == answer.answers; });
    if (answer.answers.empty() || asked == messages.end())
      continue;
    // Messages of a sheet stand side by side.
    const std::size_t request = i - m_items[i].number + static_cast<std::size_t>(asked - messages.begin());
    m_asks[i].answersTo = static_cast<std::uint16_t>(request);
    Asks& asks = m_asks[request];
    // Of several answers the one that may take longest decides.
    const bool endless = asks.isAsked && asks.within == Picoseconds{0};
    asks.within = endless || answer.within == Picoseconds{0} ? Picoseconds{0} : std::max(asks.within, answer.within);
    asks.isAsked = true;
    m_hasAnswers = true;
  }
}

std::optional<Transactions> BusDevices::wholesIn(const Bus& bus, const Transactions& stream, const Transactions& before,
                                                 bool final) const
{
  const auto reading = std::dynamic_pointer_cast<const Reading>(stream.meaning());
  if (m_transports.empty() || !reading)
    return std::nullopt;
  const auto wholes = Wholes::find(*this, bus, stream.frames(), final);
  return Transactions::eachFrame(wholes->frames(),
                                 Reading::ofWholes(shared_from_this(), bus, wholes, before.meaning()));
}

std::vector<std::shared_ptr<const Meaning>> BusDevices::together(const Bus& bus,
                                                                 std::span<const Transactions> streams) const
{
  std::vector<std::shared_ptr<const Meaning>> meanings;
  std::vector<const Reading*> readings;
  const Exchanges* before = nullptr;
  std::size_t whole = streams.size();  // the first stream of whole messages: as many are in front of it as behind
  for (std::size_t i = 0; i < streams.size(); ++i) {
    meanings.push_back(streams[i].meaning());
    readings.push_back(dynamic_cast<const Reading*>(streams[i].meaning().get()));
    if (readings.back() != nullptr && before == nullptr)
      before = readings.back()->exchanges();
    if (readings.back() != nullptr && readings.back()->isOfWholes())
      whole = std::min(whole, i);
  }
  const auto exchanges = Exchanges::make(bus, streams, before);
  for (std::size_t i = 0; i < streams.size(); ++i) {
    if (readings[i] == nullptr)
      continue;
    const std::size_t other = i < whole ? i + whole : i - whole;
    const bool hasOther = whole < streams.size() && other < streams.size() && readings[other] != nullptr;
    if (!exchanges && !hasOther)
      continue;
    auto joined = readings[i]->with(exchanges, i);
    if (hasOther)
      joined = joined->with(readings[std::max(i, other)]->wholes(), static_cast<int>(other));
    meanings[i] = std::move(joined);
  }
  return meanings;
}

void BusDevices::collectWords()
{
  const auto addOnce = [](std::vector<std::string>& list, const std::string& text) {
    if (!text.empty() && std::find(list.begin(), list.end(), text) == list.end())
      list.push_back(text);
  };
  const auto addValues = [&](const std::vector<SheetField>& fields, const std::string& device) {
    for (const SheetField& f : fields) {
      auto known = std::find_if(m_values.begin(), m_values.end(), [&](const ValueWord& v) { return v.name == f.name; });
      if (known == m_values.end())
        known = m_values.insert(m_values.end(), {f.name, f.unit, say("of {}", device), {}});
      if (f.form == FieldForm::Flag && f.words.empty()) {
        addOnce(known->words, "yes");
        addOnce(known->words, "no");
      }
      for (const ValueName& word : f.words)
        addOnce(known->words, word.name);
    }
  };
  for (const auto& sheet : m_sheets) {
    addOnce(m_devices, sheet->device);
    for (const ValueName& station : sheet->stations)
      addOnce(m_devices, sheet->device + " " + station.name);
    for (const SheetRegister& r : sheet->registers) {
      addOnce(m_subjects, r.name);
      addValues(r.fields, sheet->device);
    }
    for (const SheetCommand& c : sheet->commands) {
      addOnce(m_subjects, c.name);
      addValues(c.fields, sheet->device);
    }
    for (const SheetMessage& m : sheet->messages) {
      addOnce(m_devices, m.from);
      addOnce(m_subjects, m.name);
      addValues(m.fields, sheet->device);
    }
  }
}

std::optional<std::size_t> BusDevices::sheetAt(std::uint32_t address) const
{
  if (address < m_byShortAddress.size()) {
    const std::uint16_t sheet = m_byShortAddress[address];
    return sheet == kNobody ? std::nullopt : std::optional<std::size_t>(sheet);
  }
  const auto found = m_byAddress.find(address);
  return found == m_byAddress.end() ? std::nullopt : std::optional(found->second);
}

std::optional<std::size_t> BusDevices::commandIn(std::size_t sheet, std::span<const std::uint8_t> out) const
{
  const std::vector<SheetCommand>& commands = m_sheets[sheet]->commands;
  if (out.empty()) {
    // Only one that needs no opcode.
    for (std::size_t i = 0; i < commands.size(); ++i) {
      if (commands[i].opcode.empty())
        return i;
    }
    return std::nullopt;
  }
  // The one that says most: "9F 01" before "9F".
  std::optional<std::size_t> best;
  for (const std::uint16_t i : m_byOpcode[sheet][out.front()]) {
    if (startsLike(commands[i].opcode, out) && (!best || commands[i].opcode.size() > commands[*best].opcode.size()))
      best = i;
  }
  return best;
}

std::optional<std::size_t> BusDevices::transportAt(std::uint32_t id) const
{
  if (m_transports.empty())
    return std::nullopt;
  const auto found = m_transportAt.find(id);
  return found == m_transportAt.end() ? std::nullopt : std::optional(found->second);
}

std::uint16_t BusDevices::wholeMessageOf(std::uint32_t id, std::span<const std::uint8_t> bytes) const
{
  const auto transport = transportAt(id);
  if (!transport)
    return UnitRow::kNone;
  for (const std::uint16_t item : m_transports[*transport].messages) {
    if (startsLike(m_sheets[m_items[item].sheet]->messages[m_items[item].number].match, bytes))
      return item;
  }
  return m_transports[*transport].item;
}

std::uint16_t BusDevices::messageOf(std::uint32_t id, std::span<const std::uint8_t> bytes) const
{
  if (const auto transport = transportAt(id))
    return m_transports[*transport].item;
  const auto messageAt = [&](std::uint16_t item) -> const SheetMessage& {
    return m_sheets[m_items[item].sheet]->messages[m_items[item].number];
  };
  std::uint16_t other = UnitRow::kNone;
  if (const auto found = m_byId.find(id); found != m_byId.end()) {
    for (const std::uint16_t item : found->second) {
      if (startsLike(messageAt(item).match, bytes))
        return item;
      other = otherOf(m_items[item].sheet);
    }
  }
  for (const std::uint16_t item : m_masked) {
    const SheetMessage& m = messageAt(item);
    if (std::find(m.ids.begin(), m.ids.end(), id & m.idMask) == m.ids.end())
      continue;
    if (startsLike(m.match, bytes))
      return item;
    other = otherOf(m_items[item].sheet);
  }
  return other;
}

std::uint16_t BusDevices::messageIn(std::span<const std::uint8_t> bytes) const
{
  const std::string_view line(reinterpret_cast<const char*>(bytes.data()), bytes.size());
  for (std::size_t i = 2; i < m_items.size(); ++i) {
    if (m_items[i].kind != Item::Kind::Message)
      continue;
    const SheetMessage& m = m_sheets[m_items[i].sheet]->messages[m_items[i].number];
    if (startsLike(m.match, bytes) && (m.line_of_text.empty() || matchLine(m.line_of_text, line, m.fields, nullptr)))
      return static_cast<std::uint16_t>(i);
  }
  return m_items.empty() ? UnitRow::kNone : otherOf(0);
}

std::uint64_t BusDevices::spaceSize(std::size_t sheet) const
{
  const Sheet& s = *m_sheets[sheet];
  if (s.size != 0)
    return s.size;
  return m_style == TalkStyle::Addressed && s.pointerBytes < 4 ? std::uint64_t{1} << 8U * std::max(s.pointerBytes, 1U)
                                                               : std::uint64_t{1} << 32U;
}

std::vector<BusDevices::Touched> BusDevices::registersIn(std::size_t sheet, std::uint32_t address, std::size_t length,
                                                         bool writes) const
{
  std::vector<Touched> touched;
  forRegisters(sheet, address, length, writes, [&touched](const Touched& t) { touched.push_back(t); });
  return touched;
}

std::shared_ptr<const Describer> describerOf(const Bus& bus)
{
  if (bus.sheets.empty() || !bus.valid())
    return nullptr;
  // The last few, also those that describe nothing: a bus is asked for at every step of a live capture.
  constexpr std::size_t kMost = 32;
  static std::mutex access;
  static std::vector<std::shared_ptr<const BusDevices>> known;
  const std::lock_guard lock(access);
  auto found = std::find_if(known.begin(), known.end(),
                            [&](const auto& each) { return each->isOf(bus.protocol(), bus.sheets); });
  if (found == known.end()) {
    if (known.size() == kMost)
      known.erase(known.begin());
    found = known.insert(known.end(), std::make_shared<const BusDevices>(bus.protocol(), bus.sheets));
  }
  std::rotate(found, found + 1, known.end());  // the last used is the last to go
  const std::shared_ptr<const BusDevices>& devices = known.back();
  return devices->sheets().empty() ? nullptr : devices;
}

std::shared_ptr<const Meaning> BusDevices::read(const Bus& bus, const FrameIndex& frames,
                                                const std::shared_ptr<const Meaning>& before) const
{
  return Reading::make(shared_from_this(), bus, frames, before);
}

}  // namespace bexto
