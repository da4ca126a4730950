// Tested by tests/core/sheet_test.cpp and tests/core/transport_test.cpp.
#include "core/device/message_reader.h"

#include <algorithm>

#include "core/base/say.h"
#include "core/base/time_text.h"
#include "core/device/field_reader.h"
#include "core/device/sheet_parts.h"
#include "core/device/yaml_scalar.h"

namespace bexto {

void MessageReader::readCharacters(YamlMap& map, Sheet& sheet)
{
  if (m_style != TalkStyle::Characters) {
    for (const char* key : {"framing"})
      map.refuse(key, say("it is for buses of characters"));
    return;
  }
  const YamlPart* const part = map.need("framing", "framing: {end: \"\\r\\n\"}");
  if (part != nullptr)
    sheet.framing = framingOf(*part);
  if (const YamlPart* const check = map.get("checksum"))
    sheet.checksum = checksumOf(*check);
  if (const YamlPart* const address = map.get("address")) {
    FieldReader reader(BitPlace(), m_big, true, m_problems);
    YamlMap inner(*address, say("an address"), m_problems);
    sheet.station = reader.placeOf(inner);
    if (const YamlPart* const names = inner.get("names"))
      sheet.stations = reader.wordsOf(*names);
  }
}

SheetFraming MessageReader::framingOf(const YamlPart& part)
{
  SheetFraming f;
  YamlMap map(part, say("a framing"), m_problems);
  if (const YamlPart* const start = map.get("start"))
    f.start = bytesOf(*start, "start", m_problems);
  if (const YamlPart* const end = map.get("end"))
    f.end = bytesOf(*end, "end", m_problems);
  if (const YamlPart* const length = map.get("length")) {
    FieldReader reader(BitPlace(), m_big, true, m_problems);
    YamlMap inner(*length, say("a length"), m_problems);
    f.length = reader.placeOf(inner);
    f.plus = inner.whole("plus", 0, -65536, 65536);
    if (f.length->byte < 0 || f.length->bytes == 0)
      m_problems.add(*length, say("a length has to stand at a place that is known before the end"),
                     say("count its byte from 0"));
  }
  f.size = static_cast<std::uint32_t>(map.whole("size", 0, 1, 65536));
  f.most = static_cast<std::uint32_t>(map.whole("most", 1024, 1, 65536));
  if (map.has("gap")) {
    const std::string text = map.text("gap");
    const auto gap = parseTime(text);
    if (gap && *gap > Picoseconds{0})
      f.gap = *gap;
    else
      m_problems.add(*part.find("gap"), say("'{}' is no time", text), say("write it like 2ms"));
  }
  if (const YamlPart* const escape = map.get("escape")) {
    if (escape->kind == YamlPart::Kind::Scalar) {
      const std::string kind = map.choice("escape", {"slip", "cobs"}, "");
      f.escape = kind == "slip"   ? SheetFraming::Escape::Slip
                 : kind == "cobs" ? SheetFraming::Escape::Cobs
                                  : SheetFraming::Escape::None;
    } else {
      YamlMap inner(*escape, say("an escape"), m_problems);
      inner.need("mark", "mark: 0x7D");
      f.escape = SheetFraming::Escape::Stuffed;
      f.mark = static_cast<std::uint8_t>(inner.whole("mark", 0x7d, 0, 255));
      f.toggle = static_cast<std::uint8_t>(inner.whole("xor", 0x20, 0, 255));
    }
  }
  // SLIP (RFC 1055) and COBS end by themselves.
  if (f.escape == SheetFraming::Escape::Slip)
    f.end = {0xc0};
  if (f.escape == SheetFraming::Escape::Cobs)
    f.end = {0x00};
  if (f.end.empty() && !f.length && f.size == 0 && !map.has("gap"))
    m_problems.add(part, say("nothing says where a message ends"), say("add end:, length:, size:, gap: or escape:"));
  if (f.escape != SheetFraming::Escape::None && (f.length || f.size != 0))
    m_problems.add(part, say("a length cannot be counted in bytes that are escaped"),
                   say("leave length: and size: away"));
  return f;
}

SheetChecksum MessageReader::checksumOf(const YamlPart& part)
{
  SheetChecksum c;
  YamlMap map(part, say("a checksum"), m_problems);
  const std::string kind = map.choice("kind", {"sum", "xor", "crc"}, "crc");
  c.kind = kind == "sum"   ? SheetChecksum::Kind::Sum
           : kind == "xor" ? SheetChecksum::Kind::Xor
                           : SheetChecksum::Kind::Crc;
  const bool crc = c.kind == SheetChecksum::Kind::Crc;
  if (crc)
    map.need("width", "width: 16");
  c.width = static_cast<unsigned>(map.whole("width", 8, 8, crc ? 32 : c.kind == SheetChecksum::Kind::Sum ? 16 : 8));
  const std::int64_t most = (std::int64_t{1} << std::min(c.width, 32U)) - 1;
  if (crc) {
    map.need("polynomial", "polynomial: 0x1021");
    c.polynomial = static_cast<std::uint32_t>(map.whole("polynomial", 0x07, 1, most));
    c.reflected = map.yes("reflected", false);
    map.refuse("negated", say("write final_xor:"));
  } else {
    map.refuse("polynomial", say("only a crc has one"));
    map.refuse("reflected", say("only a crc is"));
    c.negated = map.yes("negated", false);
  }
  if (c.width % 8 != 0)
    m_problems.add(part, say("a width of {} bits is no whole byte", c.width), say("8, 16, 24 or 32"));
  c.initial = static_cast<std::uint32_t>(map.whole("initial", 0, 0, most));
  c.finalXor = static_cast<std::uint32_t>(map.whole("final_xor", 0, 0, most));
  c.from = static_cast<std::int32_t>(map.whole("from", 0, -65536, 65535));
  c.until = static_cast<std::int32_t>(map.whole("until", 0, -65536, 65535));
  c.at = static_cast<std::int32_t>(map.whole("at", -static_cast<std::int64_t>(c.bytes()), -65536, 65535));
  c.big = map.choice("order", {"big", "little"}, m_big ? "big" : "little") == "big";
  return c;
}

void MessageReader::readMessages(YamlMap& map, Sheet& sheet)
{
  if (m_style != TalkStyle::Characters && m_style != TalkStyle::Named) {
    map.refuse("messages", say("on this bus write registers: or commands:"));
    if (m_style != TalkStyle::Characters)
      map.refuse("checksum", say("it is for messages"));
    return;
  }
  if (m_style == TalkStyle::Named)
    map.refuse("checksum", say("it goes to the message that it is of"));
  readTransports(map, sheet);
  const YamlPart* const part = map.get("messages");
  if (part == nullptr || !isMapOfNames(*part, "messages", m_problems))
    return;
  for (const auto& [name, value] : part->entries)
    readMessage(name, value, sheet);
  for (SheetMessage& m : sheet.messages) {
    const bool known = m.answers.empty() ||
                       std::any_of(sheet.messages.begin(), sheet.messages.end(),
                                   [&](const SheetMessage& other) { return other.name == m.answers && &other != &m; });
    if (!known)
      m_problems.add(partAt(m.line), say("'{}' answers '{}', and there is no such message", m.name, m.answers),
                     say("name one of the other messages"));
  }
}

void MessageReader::readTransports(YamlMap& map, Sheet& sheet)
{
  if (m_style != TalkStyle::Named) {
    map.refuse("transport", say("it is for messages with an identifier"));
    return;
  }
  const YamlPart* const part = map.get("transport");
  if (part == nullptr || !isMapOfNames(*part, "transport", m_problems))
    return;
  for (const auto& [name, value] : part->entries) {
    SheetTransport t;
    t.name = nameOf(name, m_problems);
    t.line = name.line;
    YamlMap one(value, say("a transport"), m_problems);
    const bool wide = one.yes("wide", false);
    const std::uint32_t mark = wide ? Talk::kWide : 0U;
    const std::int64_t most = wide ? 0x1fffffff : 0x7ff;
    one.need("id", "id: 0x6E0");
    t.id = static_cast<std::uint32_t>(one.whole("id", 0, 0, most)) | mark;
    if (one.has("flow"))
      t.flow = static_cast<std::uint32_t>(one.whole("flow", 0, 0, most)) | mark;
    t.extended = one.choice("addressing", {"normal", "extended"}, "normal") == "extended";
    t.from = one.text("from");
    const auto same = std::find_if(sheet.transports.begin(), sheet.transports.end(),
                                   [&](const SheetTransport& other) { return other.id == t.id; });
    if (same != sheet.transports.end())
      m_problems.add(name, say("'{}' has the identifier of '{}'", t.name, same->name), say("each has one of its own"));
    sheet.transports.push_back(std::move(t));
  }
}

/// Under which identifier it comes, or over which transport.
void MessageReader::readIdentifier(YamlMap& map, const Sheet& sheet, SheetMessage& m)
{
  if (map.has("over")) {
    const std::string name = map.text("over");
    const auto found = std::find_if(sheet.transports.begin(), sheet.transports.end(),
                                    [&](const SheetTransport& t) { return t.name == name; });
    if (found == sheet.transports.end())
      m_problems.add(*map.part().find("over"), say("there is no transport '{}'", name),
                     say("name one that stands below transport:"));
    else
      m.over = static_cast<std::size_t>(found - sheet.transports.begin());
    for (const char* other : {"id", "wide", "mask"})
      map.refuse(other, say("a message that comes over a transport has that one's identifier"));
    return;
  }
  const bool wide = map.yes("wide", false);
  if (const YamlPart* const id = map.need("id", "id: 0x122")) {
    for (const std::int64_t one : wholesOf(*id, 0, wide ? 0x1fffffff : 0x7ff, "id", m_problems))
      m.ids.push_back(static_cast<std::uint32_t>(one) | (wide ? Talk::kWide : 0U));
  }
  if (map.has("mask"))
    m.idMask = static_cast<std::uint32_t>(map.whole("mask", 0, 0, 0x1fffffff)) | Talk::kWide;
  for (std::uint32_t& id : m.ids) {
    if ((id & ~m.idMask) != 0)
      m_problems.add(*map.part().find("id"), say("the identifier has bits that its mask leaves out"),
                     say("clear them, or set them in the mask"));
    id &= m.idMask;
  }
  const auto taken = std::find_if(sheet.transports.begin(), sheet.transports.end(), [&](const SheetTransport& t) {
    return std::find(m.ids.begin(), m.ids.end(), t.id & m.idMask) != m.ids.end();
  });
  if (taken != sheet.transports.end())
    m_problems.add(*map.part().find("id"), say("the identifier is that of the transport '{}'", taken->name),
                   say("write over: {}", taken->name));
}

void MessageReader::readMessage(const YamlPart& key, const YamlPart& value, Sheet& sheet)
{
  SheetMessage m;
  m.name = nameOf(key, m_problems);
  m.line = key.line;
  YamlMap map(value, say("a message"), m_problems);
  if (m_style == TalkStyle::Named) {
    readIdentifier(map, sheet, m);
    m.every = lengthOf(map, "every");
    m.from = map.text("from", m.over ? sheet.transports[*m.over].from : std::string());
    if (const YamlPart* const check = map.get("checksum"))
      m.checksum = checksumOf(*check);
    for (const char* only : {"line"})
      map.refuse(only, say("it is for rows of characters"));
  } else {
    for (const char* only : {"id", "wide", "mask", "every", "from", "over"})
      map.refuse(only, say("it is for messages with an identifier"));
    m.line_of_text = map.text("line");
  }
  if (const YamlPart* const match = map.get("match"))
    readMatch(*match, m);
  FieldReader reader(BitPlace(), m_big, true, m_problems);
  if (const YamlPart* const fields = map.get("fields"))
    m.fields = m.line_of_text.empty() ? reader.fieldsOf(*fields) : reader.wordsOfLine(*fields);
  if (!m.line_of_text.empty())
    readLine(*value.find("line"), m);
  m.answers = map.text("answers");
  m.within = lengthOf(map, "within");
  if (map.has("within") && m.answers.empty())
    map.refuse("within", say("it says how long an answer may take, and this answers nothing: write answers: as well"));
  m.text = map.text("text");
  checkTemplate(m.text, m.fields, value, m_problems);
  sheet.messages.push_back(std::move(m));
}

/// 0: not said.
Picoseconds MessageReader::lengthOf(YamlMap& map, const char* key)
{
  if (!map.has(key))
    return Picoseconds{0};
  const std::string text = map.text(key);
  const auto length = parseTime(text);
  if (length && *length > Picoseconds{0})
    return *length;
  m_problems.add(*map.part().find(key), say("'{}' is no time", text), say("write it like 20ms"));
  return Picoseconds{0};
}

void MessageReader::readMatch(const YamlPart& part, SheetMessage& m)
{
  const auto one = [&](const YamlPart& each) {
    YamlMap map(each, say("a match"), m_problems);
    map.need("byte", "byte: 3");
    const auto byte = static_cast<std::int32_t>(map.whole("byte", 0, -65536, 65535));
    const auto mask = static_cast<std::uint8_t>(map.whole("mask", 255, 0, 255));
    if (const YamlPart* const value = map.need("value", "value: 0x10")) {
      std::int32_t at = byte;
      for (const std::uint8_t b : bytesOf(*value, "value", m_problems))
        m.match.push_back({at++, static_cast<std::uint8_t>(b & mask), mask});
    }
  };
  if (part.kind == YamlPart::Kind::List) {
    for (const YamlPart& each : part.items)
      one(each);
  } else {
    one(part);
  }
}

/// Every name in braces has a field; those that the sheet does not describe are words or numbers as they come.
void MessageReader::readLine(const YamlPart& part, SheetMessage& m)
{
  const auto names = namesInTemplate(part.text);
  if (!names) {
    m_problems.add(part, say("a brace is not closed"), say("write {name}, and {{ for a brace itself"));
    return;
  }
  std::vector<SheetField> fields;
  for (const std::string& name : *names) {
    const auto described =
        std::find_if(m.fields.begin(), m.fields.end(), [&](const SheetField& f) { return f.name == name; });
    if (described != m.fields.end()) {
      fields.push_back(*described);
      continue;
    }
    SheetField field;
    field.name = name;
    field.line = part.line;
    field.form = FieldForm::Text;
    if (!isFieldName(name))
      m_problems.add(part, say("'{}' is no name of a value", name), say("names are lower case letters, digits and _"));
    fields.push_back(std::move(field));
  }
  for (const SheetField& f : m.fields) {
    if (std::find(names->begin(), names->end(), f.name) == names->end())
      m_problems.add(partAt(f.line), say("'{}' does not occur in the line", f.name),
                     say("put {{{}}} where it stands", f.name));
  }
  m.fields = std::move(fields);
}

}  // namespace bexto
