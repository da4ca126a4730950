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
#include "core/device/message_reader.h"
#include "core/device/sheet.h"
#include "core/device/sheet_parts.h"
#include "core/device/yaml_map.h"
#include "core/device/yaml_scalar.h"

namespace bexto {

namespace {

constexpr std::int64_t kMostAddress = 0xffffffff;

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
    MessageReader messages(m_style, m_big, m_problems);
    messages.readCharacters(map, *sheet);
    messages.readMessages(map, *sheet);
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
      if (isMapOfNames(*part, "registers", m_problems)) {
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
      if (isMapOfNames(*part, "commands", m_problems)) {
        for (const auto& [name, value] : part->entries)
          readCommand(name, value, sheet);
      }
    }
  }

  void readRegister(const YamlPart& key, const YamlPart& value, Sheet& sheet)
  {
    SheetRegister r;
    r.name = nameOf(key, m_problems);
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
    checkTemplate(r.text, r.fields, value, m_problems);
    sheet.registers.push_back(std::move(r));
  }

  void readCommand(const YamlPart& key, const YamlPart& value, Sheet& sheet)
  {
    SheetCommand c;
    c.name = nameOf(key, m_problems);
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
    checkTemplate(c.text, c.fields, value, m_problems);
    sheet.commands.push_back(std::move(c));
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
      checkTemplate(sentence.text, fields, item, m_problems);
      sheet.sentences.push_back(std::move(sentence));
    }
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
