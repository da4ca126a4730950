// Terms about values. Which items of the bus can answer at all is known before; so most rows are passed over by their
// item, two bytes, and only the rest look into their frame.
// Tested by tests/core/device_query_test.cpp.
#include <algorithm>
#include <cmath>

#include "core/base/wildcard.h"
#include "core/decode/protocol.h"
#include "core/decode/transactions.h"
#include "core/device/field_value.h"
#include "core/device/reading.h"

namespace bexto {

namespace {

class Test final : public MeaningTest {
 public:
  Test(const Reading& reading, Bus bus, MeaningQuestion question)
      : m_reading(reading), m_bus(std::move(bus)), m_question(std::move(question))
  {
    const BusDevices& devices = reading.devices();
    m_of.resize(devices.items().size());
    for (std::size_t i = 0; i < devices.items().size(); ++i)
      prepare(devices, static_cast<std::uint16_t>(i));
    for (const ItemAnswer& answer : m_of)
      m_may.push_back(answer.always || answer.byTold || !answer.fields.empty() ? 1 : 0);
    for (const ItemAnswer& answer : m_of) {
      const bool one = !answer.always && !answer.byTold && answer.isMessage && answer.fields.size() == 1 &&
                       answer.fields.front().plain && m_question.words.empty() && m_question.ranges.size() == 1 &&
                       m_question.of == MeaningQuestion::Of::Value;
      m_only.push_back(one ? &answer.fields.front() : nullptr);
    }
  }

  void keep(const Transactions& transactions, std::uint64_t first, std::span<const std::uint32_t> lines,
            std::vector<std::uint32_t>& out) override
  {
    const UnitTeller teller(m_reading, m_bus, transactions.frames());
    const UnitRows& rows = m_reading.rows();
    // Where every frame is a transaction and a unit, the unit is the line.
    const bool plain = !m_reading.firsts() && transactions.size() == transactions.frames().size();
    if (plain) {
      // Most rows are of items that cannot answer.
      const UnitRow* block = nullptr;
      std::uint64_t begin = 0;
      std::uint64_t end = 0;
      for (const std::uint32_t line : lines) {
        const std::uint64_t unit = first + line;
        if (unit >= end) {
          if (unit >= rows.size())
            return;
          begin = unit / UnitRows::kBlock * UnitRows::kBlock;
          end = begin + rows.blockOf(unit).size();
          block = rows.blockOf(unit).data();
        }
        const UnitRow& row = block[unit - begin];
        if (row.item >= m_may.size() || m_may[row.item] == 0)
          continue;
        // Mostly one whole number is compared with one range.
        const Candidate* const only = m_only[row.item];
        const bool quick = only != nullptr && (row.flags & UnitRow::kHasPec) == 0;
        if (quick ? inRange(plainNumber(*only->field, teller.talkAt(unit), true)) : holds(teller, unit))
          out.push_back(line);
      }
      return;
    }
    for (const std::uint32_t line : lines) {
      const FrameRange range = transactions.framesOf(first + line);
      for (std::uint64_t unit = m_reading.firsts() ? m_reading.unitOf(range.first) : range.first;
           unit < rows.size() && m_reading.framesOf(unit).first < range.end; ++unit) {
        if (holds(teller, unit)) {
          out.push_back(line);
          break;
        }
      }
    }
  }

 private:
  /// What an item has to do with the question.
  struct Candidate {
    const SheetField* field = nullptr;
    const SheetRegister* reg = nullptr;  ///< of an access to the space
    std::vector<ValueName> wanted;       ///< numbers that have one of the words
    bool asText = false;                 ///< no number: its text is compared
    bool plain = false;                  ///< a whole number of fixed place that is always there: see plainNumber()
  };
  struct ItemAnswer {
    bool isMessage = false;
    bool always = false;  ///< every row of the item
    bool byTold = false;  ///< what it says decides
    std::vector<Candidate> fields;
  };

  bool isWord(const std::string& text) const
  {
    return std::any_of(m_question.words.begin(), m_question.words.end(),
                       [&](const std::string& w) { return matchesPattern(w, text, Letters::Alike); });
  }

  void addFields(ItemAnswer& answer, const std::vector<SheetField>& fields, const SheetRegister* reg)
  {
    for (const SheetField& field : fields) {
      if (field.name != m_question.name)
        continue;
      Candidate candidate{&field, reg, {}, false, false};
      candidate.plain =
          reg == nullptr && !field.onlyWith && field.place.byte >= 0 && field.place.bytes >= 1 &&
          field.place.bytes <= 8 && m_reading.devices().style() != TalkStyle::Characters &&
          (field.form == FieldForm::Unsigned || field.form == FieldForm::Signed || field.form == FieldForm::Flag);
      candidate.asText = !m_question.words.empty() && (field.form == FieldForm::Text || field.form == FieldForm::Bytes);
      for (const ValueName& word : field.words) {
        if (isWord(word.name))
          candidate.wanted.push_back(word);
      }
      if (field.form == FieldForm::Flag && isWord("yes"))
        candidate.wanted.push_back({1, 1});
      if (field.form == FieldForm::Flag && isWord("no"))
        candidate.wanted.push_back({0, 0});
      if (m_question.words.empty() ? !m_question.ranges.empty() : candidate.asText || !candidate.wanted.empty())
        answer.fields.push_back(std::move(candidate));
    }
  }

  void prepare(const BusDevices& devices, std::uint16_t number)
  {
    const BusDevices::Item& item = devices.item(number);
    const Sheet& sheet = devices.sheet(item.sheet);
    ItemAnswer& answer = m_of[number];
    const bool isMessage = item.kind == BusDevices::Item::Kind::Message;
    answer.isMessage = isMessage;
    const bool isCommand = item.kind == BusDevices::Item::Kind::Command;
    const bool isPart = item.kind == BusDevices::Item::Kind::Part;
    switch (m_question.of) {
      case MeaningQuestion::Of::Fault:
        answer.always = true;  // of those that are faulty: see holds()
        break;
      case MeaningQuestion::Of::Device: {
        const std::string& from =
            isMessage && !sheet.messages[item.number].from.empty() ? sheet.messages[item.number].from : sheet.device;
        answer.always = isWord(from) || isWord(sheet.device);
        answer.byTold = !answer.always && (sheet.station.has_value() || isPart);
        break;
      }
      case MeaningQuestion::Of::Subject:
        if (isMessage)
          answer.always = isWord(sheet.messages[item.number].name);
        if (isCommand)
          answer.always = isWord(sheet.commands[item.number].name);
        if (isPart)
          answer.always = isWord(sheet.transports[item.number].name);
        if (!isMessage && !isPart && !answer.always)
          answer.byTold = std::any_of(sheet.registers.begin(), sheet.registers.end(),
                                      [&](const SheetRegister& r) { return isWord(r.name); });
        break;
      case MeaningQuestion::Of::Value:
        if (isMessage)
          addFields(answer, sheet.messages[item.number].fields, nullptr);
        if (isCommand)
          addFields(answer, sheet.commands[item.number].fields, nullptr);
        if (item.kind == BusDevices::Item::Kind::Space ||
            (isCommand && (sheet.commands[item.number].reads || sheet.commands[item.number].writes))) {
          for (const SheetRegister& r : sheet.registers)
            addFields(answer, r.fields, &r);
        }
        break;
    }
  }

  /// What UnitTeller::number() says of it, for the many.
  static std::optional<double> plainNumber(const SheetField& field, const Talk& talk, bool isMessage)
  {
    const BitPlace& place = field.place;
    const std::span<const std::uint8_t> bytes = place.inward && !isMessage ? talk.in : talk.out;
    const auto first = static_cast<std::size_t>(place.byte);
    if (first + place.bytes > bytes.size())
      return std::nullopt;
    std::uint64_t bits = 0;
    if (place.big) {
      for (std::size_t i = 0; i < place.bytes; ++i)
        bits = bits << 8U | bytes[first + i];
    } else {
      for (std::size_t i = place.bytes; i-- > 0;)
        bits = bits << 8U | bytes[first + i];
    }
    bits >>= place.shift;
    if (place.bits < 64)
      bits &= (std::uint64_t{1} << place.bits) - 1;
    if (field.form == FieldForm::Signed) {
      const unsigned unused = 64 - place.bits;
      return static_cast<double>(static_cast<std::int64_t>(bits << unused) >> unused) * field.scale + field.offset;
    }
    return static_cast<double>(bits) * field.scale + field.offset;
  }

  bool inRange(const std::optional<double>& number) const
  {
    const RealRange& range = m_question.ranges.front();
    return number && *number >= range.low && *number <= range.high;
  }

  bool holds(const UnitTeller& teller, std::uint64_t unit)
  {
    const UnitRow& row = m_reading.rows().at(unit);
    if (row.item == UnitRow::kNone)
      return false;
    const ItemAnswer& answer = m_of[row.item];
    if (m_question.of == MeaningQuestion::Of::Fault)
      return row.isFaulty() || m_reading.isUnanswered(m_reading.framesOf(unit));
    if (answer.always)
      return true;
    if (answer.byTold)
      return toldHolds(teller, unit);
    const bool isMessage = answer.isMessage;
    for (const Candidate& c : answer.fields) {
      if (c.asText) {
        if (textHolds(teller, unit, c))
          return true;
        continue;
      }
      const auto number = c.plain && (row.flags & UnitRow::kHasPec) == 0
                              ? plainNumber(*c.field, teller.talkAt(unit), isMessage)
                              : teller.number(unit, *c.field, c.reg, m_buffer);
      if (!number) {
        // Words in a line of text have no number.
        if (c.field->form == FieldForm::Text && textHolds(teller, unit, c))
          return true;
        continue;
      }
      if (m_question.words.empty()) {
        for (const RealRange& r : m_question.ranges) {
          if (*number >= r.low && *number <= r.high)
            return true;
        }
        continue;
      }
      const auto raw = static_cast<std::int64_t>(std::llround((*number - c.field->offset) / c.field->scale));
      if (std::any_of(c.wanted.begin(), c.wanted.end(),
                      [&](const ValueName& w) { return raw >= w.low && raw <= w.high; }))
        return true;
    }
    return false;
  }

  bool toldHolds(const UnitTeller& teller, std::uint64_t unit) const
  {
    const auto told = teller.told(unit);
    if (!told)
      return false;
    if (m_question.of == MeaningQuestion::Of::Device)
      return isWord(told->device);
    if (isWord(told->subject))
      return true;
    // An access to several registers is about each of them.
    const Sheet& sheet = m_reading.devices().sheet(m_reading.devices().item(m_reading.rows().at(unit).item).sheet);
    return std::any_of(sheet.registers.begin(), sheet.registers.end(), [&](const SheetRegister& r) {
      return isWord(r.name) && std::any_of(told->values.begin(), told->values.end(), [&](const ToldValue& v) {
               return std::any_of(r.fields.begin(), r.fields.end(),
                                  [&](const SheetField& f) { return f.name == v.name; });
             });
    });
  }

  bool textHolds(const UnitTeller& teller, std::uint64_t unit, const Candidate& candidate) const
  {
    const auto told = teller.told(unit);
    if (!told)
      return false;
    return std::any_of(told->values.begin(), told->values.end(), [&](const ToldValue& v) {
      const std::string bare =
          v.text.size() > 6 && v.text.starts_with("“") ? v.text.substr(3, v.text.size() - 6) : v.text;
      return v.name == candidate.field->name && isWord(bare);
    });
  }

  const Reading& m_reading;
  Bus m_bus;
  MeaningQuestion m_question;
  std::vector<ItemAnswer> m_of;          ///< by item
  std::vector<char> m_may;               ///< the same: whether its rows can answer at all
  std::vector<const Candidate*> m_only;  ///< the same: the only value to compare, where it is a plain number
  std::vector<std::uint8_t> m_buffer;
};

}  // namespace

std::unique_ptr<MeaningTest> Reading::test(const Bus& bus, const MeaningQuestion& question) const
{
  return std::make_unique<Test>(*this, bus, question);
}

}  // namespace bexto
