// From YAML to a Sheet. Everything that can be wrong is said where it stands, all of it at once: who writes a sheet
// wants the whole list. A sheet with a mistake is no sheet, so that nothing is read by half of one.
//
// The JSON Schema says the same in another language, for editors; what this takes and the schema does not is a mistake
// of ours, which is said as well (and tests/core/sheet_test.cpp looks for one).
#include <algorithm>
#include <cmath>
#include <span>

#include "core/base/say.h"
#include "core/base/time_text.h"
#include "core/decode/protocol.h"
#include "core/device/field_reader.h"
#include "core/device/sheet.h"
#include "core/device/yaml_map.h"
#include "core/device/yaml_scalar.h"

namespace bexto {

namespace {

constexpr std::int64_t kMostAddress = 0xffffffff;

/// "0x9F", or a list of bytes.
std::vector<std::uint8_t> bytesOf(const YamlPart& part, const std::string& what, Problems& problems)
{
  std::vector<std::uint8_t> bytes;
  if (part.kind == YamlPart::Kind::Scalar && part.quoted)
    return {part.text.begin(), part.text.end()};
  for (const std::int64_t value : wholesOf(part, 0, 255, what, problems))
    bytes.push_back(static_cast<std::uint8_t>(value));
  if (bytes.empty() && part.kind == YamlPart::Kind::List && part.items.empty())
    problems.add(part, say("'{}' is an empty list", what), say("write bytes like [0x0D, 0x0A]"));
  return bytes;
}

class Reader {
 public:
  explicit Reader(Problems& problems) : m_problems(problems) {}

  std::shared_ptr<const Sheet> read(const YamlPart& root)
  {
    auto sheet = std::make_shared<Sheet>();
    YamlMap map(root, say("a sheet"), m_problems);
    if (const YamlPart* const form = map.need("sheet", "sheet: 1"))
      wholeOf(*form, 1, 1, "sheet", m_problems);
    map.need("device", "device: LT-20");
    sheet->device = map.text("device");
    if (sheet->device.empty() && map.has("device"))
      m_problems.add(root, say("the device has no name"), say("write it like device: LT-20"));
    sheet->about = map.text("about");
    const Protocol* const protocol = protocolOf(map);
    if (protocol == nullptr) {
      for (const auto& [key, value] : root.entries)
        map.get(key.text);
      return sheet;
    }
    sheet->protocol = protocol->name();
    m_style = protocol->facts().talkStyle;
    sheet->big = map.choice("order", {"big", "little"}, m_style == TalkStyle::Named ? "little" : "big") == "big";
    m_big = sheet->big;
    readAddressed(map, *sheet);
    readSpace(map, *sheet);
    readCharacters(map, *sheet);
    readMessages(map, *sheet);
    readSentences(map, *sheet);
    if (sheet->registers.empty() && sheet->commands.empty() && sheet->messages.empty() && !sheet->isMemory &&
        m_problems.empty())
      m_problems.add(root, say("the sheet says nothing about the device"),
                     m_style == TalkStyle::Addressed   ? say("add registers:, commands: or memory:")
                     : m_style == TalkStyle::Exchanged ? say("add commands:")
                                                       : say("add messages:"));
    return sheet;
  }

 private:
  const Protocol* protocolOf(YamlMap& map)
  {
    const YamlPart* const part = map.need("bus", "bus: " + describable().front());
    if (part == nullptr)
      return nullptr;
    const auto known = describable();
    const std::string name = map.choice("bus", known, "");
    if (name.empty())
      return nullptr;
    const auto found = protocolNamed(name);
    return found ? *found : nullptr;
  }

  static std::vector<std::string> describable()
  {
    std::vector<std::string> names;
    for (const Protocol* protocol : protocols()) {
      if (protocol->facts().talkStyle != TalkStyle::None)
        names.push_back(protocol->name());
    }
    return names;
  }

  // ---- Where a device is.

  void readAddressed(YamlMap& map, Sheet& sheet)
  {
    if (m_style != TalkStyle::Addressed) {
      const std::string why = say("it is for devices that are called by an address");
      for (const char* key : {"address", "wide_address", "pointer", "packet_error_code", "unanswered"}) {
        if (!(m_style == TalkStyle::Characters && key == std::string("address")))
          map.refuse(key, why);
      }
      return;
    }
    const bool wide = map.yes("wide_address", false);
    if (const YamlPart* const part = map.need("address", "address: 0x2A")) {
      for (const std::int64_t address : wholesOf(*part, 0, wide ? 0x3ff : 0x7f, "address", m_problems))
        sheet.addresses.push_back(static_cast<std::uint32_t>(address) | (wide ? Talk::kWide : 0U));
      if (sheet.addresses.empty() && part->kind == YamlPart::Kind::List)
        m_problems.add(*part, say("there is no address in the list"), say("write it like address: [0x20, 0x21]"));
    }
    sheet.packetError = map.yes("packet_error_code", false);
    sheet.unanswered = map.text("unanswered");
    if (const YamlPart* const part = map.get("pointer")) {
      YamlMap pointer(*part, say("a pointer"), m_problems);
      sheet.pointerBytes = static_cast<std::uint32_t>(pointer.whole("bytes", 1, 0, 4));
      sheet.pointerBig = pointer.choice("order", {"big", "little"}, "big") == "big";
      sheet.increments = pointer.yes("increment", true);
      sheet.unit = static_cast<std::uint32_t>(pointer.whole("unit", 1, 1, 8));
      sheet.size = static_cast<std::uint32_t>(pointer.whole("wrap", 0, 1, kMostAddress));
    }
  }

  // ---- Registers and memory.

  void readSpace(YamlMap& map, Sheet& sheet)
  {
    const bool has = m_style == TalkStyle::Addressed || m_style == TalkStyle::Exchanged;
    if (!has) {
      for (const char* key : {"registers", "memory", "commands"})
        map.refuse(key, say("on this bus write messages:"));
      return;
    }
    if (const YamlPart* const part = map.get("memory")) {
      YamlMap memory(*part, say("a memory"), m_problems);
      memory.need("size", "size: 4096");
      sheet.size = static_cast<std::uint32_t>(memory.whole("size", 256, 1, kMostAddress));
      sheet.page = static_cast<std::uint32_t>(memory.whole("page", 0, 1, 65536));
      sheet.isMemory = true;
    }
    if (const YamlPart* const part = map.get("registers")) {
      if (isMap(*part, "registers")) {
        for (const auto& [name, value] : part->entries)
          readRegister(name, value, sheet);
      }
    }
    std::stable_sort(sheet.registers.begin(), sheet.registers.end(),
                     [](const SheetRegister& a, const SheetRegister& b) { return a.at < b.at; });
    for (std::size_t i = 1; i < sheet.registers.size(); ++i) {
      const SheetRegister& before = sheet.registers[i - 1];
      const SheetRegister& next = sheet.registers[i];
      const std::uint64_t end = before.at + std::uint64_t{before.bytes + sheet.unit - 1} / sheet.unit;
      // Two at one address are fine where one is read and the other written.
      const bool apart = !(before.readable && next.readable) && !(before.writable && next.writable);
      if (next.at < end && !apart)
        m_problems.add(partAt(next.line),
                       say("register '{}' at 0x{} overlaps '{}' (line {})", next.name, fmt::format("{:X}", next.at),
                           before.name, before.line),
                       say("the next free address is 0x{}", fmt::format("{:X}", end)));
    }
    const std::uint64_t most = sheet.size != 0 ? sheet.size
                               : m_style == TalkStyle::Addressed && sheet.pointerBytes < 4
                                   ? std::uint64_t{1} << (8 * std::max(sheet.pointerBytes, 1U))
                                   : kMostAddress;
    for (const SheetRegister& r : sheet.registers) {
      if (r.at >= most)
        m_problems.add(
            partAt(r.line), say("register '{}' is at 0x{}, which cannot be reached", r.name, fmt::format("{:X}", r.at)),
            say("addresses end at 0x{}; a longer pointer or memory reaches further", fmt::format("{:X}", most - 1)));
    }
    if (const YamlPart* const part = map.get("commands")) {
      if (isMap(*part, "commands")) {
        for (const auto& [name, value] : part->entries)
          readCommand(name, value, sheet);
      }
    }
  }

  void readRegister(const YamlPart& key, const YamlPart& value, Sheet& sheet)
  {
    SheetRegister r;
    r.name = nameOf(key);
    r.line = key.line;
    YamlMap map(value, say("a register"), m_problems);
    map.need("at", "at: 0x10");
    r.at = static_cast<std::uint32_t>(map.whole("at", 0, 0, kMostAddress));
    r.bytes = static_cast<std::uint32_t>(map.whole("bytes", 1, 1, 64));
    const std::string access = map.choice("access", {"read", "write", "both"}, "both");
    r.readable = access != "write";
    r.writable = access != "read";
    r.big = map.choice("order", {"big", "little"}, m_big ? "big" : "little") == "big";
    r.text = map.text("text");
    if (const YamlPart* const reset = map.get("reset")) {
      if (const auto number = wholeOf(*reset, 0, std::int64_t{1} << 62U, "reset", m_problems))
        r.reset = static_cast<std::uint64_t>(*number);
    }
    const bool unusedZero = map.choice("unused", {"zero", "any"}, "zero") == "zero";
    BitPlace whole;
    whole.bytes = r.bytes;
    whole.bits = std::min(64U, r.bytes * 8);
    whole.big = r.big;
    FieldReader fields(whole, m_big, false, m_problems);
    if (map.has("fields")) {
      if (const YamlPart* const part = map.get("fields"))
        r.fields = fields.fieldsOf(*part);
      if (r.fields.empty())
        m_problems.add(key, say("'{}' has no value in it", r.name),
                       say("add one below fields:, or leave fields: away"));
      if (r.bytes > 8)
        m_problems.add(key, say("'{}' has values and more than 8 bytes", r.name),
                       say("make several registers of it, or leave fields: away"));
      for (const char* one : FieldReader::kKeys)
        map.refuse(one, say("it goes to the field that it is of, below fields:"));
      std::uint64_t used = 0;
      for (const SheetField& f : r.fields)
        used |= (f.place.bits >= 64 ? ~std::uint64_t{0} : (std::uint64_t{1} << f.place.bits) - 1) << f.place.shift;
      const std::uint64_t all = whole.bits >= 64 ? ~std::uint64_t{0} : (std::uint64_t{1} << whole.bits) - 1;
      r.undefined = unusedZero && r.bytes <= 8 ? all & ~used : 0;
    } else {
      r.fields = {fields.fieldOf(key, map)};
    }
    if (r.reset && r.bytes < 8 && *r.reset >> (8U * r.bytes) != 0)
      m_problems.add(*map.part().find("reset"), say("the reset value does not fit into {}", counted(r.bytes, kBytes)));
    checkTemplate(r.text, r.fields, value);
    sheet.registers.push_back(std::move(r));
  }

  void readCommand(const YamlPart& key, const YamlPart& value, Sheet& sheet)
  {
    SheetCommand c;
    c.name = nameOf(key);
    c.line = key.line;
    YamlMap map(value, say("a command"), m_problems);
    // A converter without commands has none: every transfer is meant.
    const YamlPart* const opcode = map.get("opcode");
    if (opcode == nullptr)
      map.refuse("mask", say("it is that of the opcode"));
    else {
      const std::vector<std::uint8_t> bytes = bytesOf(*opcode, "opcode", m_problems);
      std::vector<std::uint8_t> masks(bytes.size(), 0xff);
      if (const YamlPart* const mask = map.get("mask")) {
        masks = bytesOf(*mask, "mask", m_problems);
        if (masks.size() != bytes.size()) {
          m_problems.add(*mask, say("the mask has another length than the opcode"),
                         say("give it {}", counted(bytes.size(), kBytes)));
          masks.assign(bytes.size(), 0xff);
        }
      }
      for (std::size_t i = 0; i < bytes.size(); ++i) {
        if ((bytes[i] & ~unsigned{masks[i]}) != 0)
          m_problems.add(*opcode, say("the opcode has bits that its mask leaves out"),
                         say("clear them, or set them in the mask"));
        c.opcode.push_back({static_cast<std::int32_t>(i), bytes[i], masks[i]});
      }
    }
    FieldReader sent(BitPlace(), m_big, true, m_problems);
    if (const YamlPart* const part = map.get("address")) {
      YamlMap address(*part, say("an address"), m_problems);
      c.address = sent.placeOf(address);
    }
    const auto from = [&](const char* way) -> std::optional<std::uint32_t> {
      if (!map.has(way))
        return std::nullopt;
      return static_cast<std::uint32_t>(map.whole(way, 1, 0, 65535));
    };
    c.reads = from("reads");
    c.writes = from("writes");
    if ((c.reads || c.writes) && !c.address)
      m_problems.add(key, say("'{}' moves bytes of the space and does not say where", c.name),
                     say("add address: {byte: 1, bytes: 3}"));
    if (const YamlPart* const part = map.get("sent"))
      c.fields = sent.fieldsOf(*part);
    if (const YamlPart* const part = map.get("answered")) {
      BitPlace inward;
      inward.inward = true;
      FieldReader answered(inward, m_big, true, m_problems);
      for (SheetField& f : answered.fieldsOf(*part)) {
        if (f.onlyWith)
          *f.onlyWith += c.fields.size();
        c.fields.push_back(std::move(f));
      }
    }
    c.text = map.text("text");
    checkTemplate(c.text, c.fields, value);
    sheet.commands.push_back(std::move(c));
  }

  // ---- Rows of characters.

  void readCharacters(YamlMap& map, Sheet& sheet)
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

  SheetFraming framingOf(const YamlPart& part)
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

  SheetChecksum checksumOf(const YamlPart& part)
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
    const std::int64_t most = c.width >= 32 ? kMostAddress : (std::int64_t{1} << c.width) - 1;
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

  // ---- Messages.

  void readMessages(YamlMap& map, Sheet& sheet)
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
    if (part == nullptr || !isMap(*part, "messages"))
      return;
    for (const auto& [name, value] : part->entries)
      readMessage(name, value, sheet);
    for (SheetMessage& m : sheet.messages) {
      const bool known = m.answers.empty() ||
                         std::any_of(sheet.messages.begin(), sheet.messages.end(), [&](const SheetMessage& other) {
                           return other.name == m.answers && &other != &m;
                         });
      if (!known)
        m_problems.add(partAt(m.line), say("'{}' answers '{}', and there is no such message", m.name, m.answers),
                       say("name one of the other messages"));
    }
  }

  void readTransports(YamlMap& map, Sheet& sheet)
  {
    if (m_style != TalkStyle::Named) {
      map.refuse("transport", say("it is for messages with an identifier"));
      return;
    }
    const YamlPart* const part = map.get("transport");
    if (part == nullptr || !isMap(*part, "transport"))
      return;
    for (const auto& [name, value] : part->entries) {
      SheetTransport t;
      t.name = nameOf(name);
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
        m_problems.add(name, say("'{}' has the identifier of '{}'", t.name, same->name),
                       say("each has one of its own"));
      sheet.transports.push_back(std::move(t));
    }
  }

  /// Under which identifier it comes, or over which transport.
  void readIdentifier(YamlMap& map, const Sheet& sheet, SheetMessage& m)
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

  void readMessage(const YamlPart& key, const YamlPart& value, Sheet& sheet)
  {
    SheetMessage m;
    m.name = nameOf(key);
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
      map.refuse("within",
                 say("it says how long an answer may take, and this answers nothing: write answers: as well"));
    m.text = map.text("text");
    checkTemplate(m.text, m.fields, value);
    sheet.messages.push_back(std::move(m));
  }

  /// 0: not said.
  Picoseconds lengthOf(YamlMap& map, const char* key)
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

  void readMatch(const YamlPart& part, SheetMessage& m)
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
  void readLine(const YamlPart& part, SheetMessage& m)
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
        m_problems.add(part, say("'{}' is no name of a value", name),
                       say("names are lower case letters, digits and _"));
      fields.push_back(std::move(field));
    }
    for (const SheetField& f : m.fields) {
      if (std::find(names->begin(), names->end(), f.name) == names->end())
        m_problems.add(partAt(f.line), say("'{}' does not occur in the line", f.name),
                       say("put {{{}}} where it stands", f.name));
    }
    m.fields = std::move(fields);
  }

  // ---- Sentences.

  void readSentences(YamlMap& map, Sheet& sheet)
  {
    const YamlPart* const part = map.get("sentences");
    if (part == nullptr)
      return;
    if (part->kind != YamlPart::Kind::List) {
      m_problems.add(*part, say("'sentences' has to be a list"),
                     say("begin each with a dash: - {of: [a, b], text: …}"));
      return;
    }
    for (const YamlPart& item : part->items) {
      YamlMap one(item, say("a sentence"), m_problems);
      SheetSentence sentence;
      const YamlPart* const of = one.need("of", "of: [status, level]");
      std::vector<SheetField> fields;
      for (const YamlPart& name : of == nullptr ? std::vector<YamlPart>() : of->items) {
        const auto found = std::find_if(sheet.registers.begin(), sheet.registers.end(),
                                        [&](const SheetRegister& r) { return r.name == name.text; });
        if (found == sheet.registers.end()) {
          m_problems.add(name, say("there is no register '{}'", name.text), say("name those of registers:"));
          continue;
        }
        sentence.of.push_back(static_cast<std::size_t>(found - sheet.registers.begin()));
        fields.insert(fields.end(), found->fields.begin(), found->fields.end());
      }
      std::sort(sentence.of.begin(), sentence.of.end());
      one.need("text", "text: \"level = {level} ({status})\"");
      sentence.text = one.text("text");
      checkTemplate(sentence.text, fields, item);
      sheet.sentences.push_back(std::move(sentence));
    }
  }

  // ---- Shared.

  bool isMap(const YamlPart& part, const std::string& key)
  {
    if (part.kind == YamlPart::Kind::Map)
      return true;
    m_problems.add(part, say("'{}' has to be a map of names", key), say("write each as name: {…}"));
    return false;
  }

  std::string nameOf(const YamlPart& key)
  {
    if (!isFieldName(key.text))
      m_problems.add(key, say("'{}' is no name", key.text),
                     say("names are lower case letters, digits and _, and begin with a letter"));
    return key.text;
  }

  void checkTemplate(const std::string& text, const std::vector<SheetField>& fields, const YamlPart& at)
  {
    const YamlPart* const part = at.find("text");
    if (part == nullptr || text.empty())
      return;
    const auto names = namesInTemplate(text);
    if (!names) {
      m_problems.add(*part, say("a brace is not closed"), say("write {name}, and {{ for a brace itself"));
      return;
    }
    std::vector<std::string> known;
    known.reserve(fields.size());
    for (const SheetField& f : fields)
      known.push_back(f.name);
    for (const std::string& name : *names) {
      if (std::find(known.begin(), known.end(), name) != known.end())
        continue;
      const std::string near = nearest(name, known);
      m_problems.add(*part, say("there is no value '{}' to put into the text", name),
                     near.empty() ? std::string() : say("did you mean {}", near));
    }
  }

  static YamlPart partAt(int line)
  {
    YamlPart part;
    part.line = line;
    part.column = 1;
    return part;
  }

  Problems& m_problems;
  TalkStyle m_style = TalkStyle::None;
  bool m_big = true;
};

}  // namespace

SheetRead readSheet(const std::string& text)
{
  SheetRead read;
  const auto root = parseYaml(text);
  if (!root) {
    read.problems = {root.error()};
    return read;
  }
  Problems problems;
  if (root->kind == YamlPart::Kind::Nothing) {
    read.problems = {{1, 1, say("the sheet is empty"), say("begin it with sheet: 1")}};
    return read;
  }
  auto sheet = Reader(problems).read(*root);
  read.problems = problems.takeByLine();
  if (read.problems.empty())
    read.problems = checkBySchema(*root);
  if (read.problems.empty())
    read.sheet = std::move(sheet);
  return read;
}

}  // namespace bexto
