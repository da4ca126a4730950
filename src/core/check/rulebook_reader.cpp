// From YAML to a Rulebook. All mistakes are said where they stand, all at once, as of a device sheet; the JSON Schema
// is the second look.
//
// Tested by tests/core/rulebook_test.cpp.
#include <algorithm>
#include <cmath>

#include "core/base/number_text.h"
#include "core/base/say.h"
#include "core/base/time_text.h"
#include "core/check/rulebook.h"
#include "core/check/rulebook_file.h"
#include "core/decode/protocol.h"
#include "core/device/schema_check.h"
#include "core/device/yaml_map.h"

namespace bexto {

namespace {

class BookReader {
 public:
  explicit BookReader(Problems& problems) : m_problems(problems) {}

  std::shared_ptr<const Rulebook> read(const YamlPart& root)
  {
    auto book = std::make_shared<Rulebook>();
    YamlMap map(root, say("a rulebook"), m_problems);
    map.need("rulebook", "rulebook: our-i2c");
    book->name = map.text("rulebook");
    if (book->name.empty() && map.has("rulebook"))
      m_problems.add(root, say("the rulebook has no name"), say("write it like rulebook: our-i2c"));
    book->title = map.text("title");
    book->source = map.text("source");
    book->base = map.text("base");
    std::shared_ptr<const Rulebook> original;
    if (!book->base.empty())
      original = originalOf(*map.get("base"));
    m_protocol = protocolOf(map, original.get());
    const YamlPart* const limits = map.get("limits");
    const YamlPart* const errors = map.get("errors");
    const YamlPart* const talk = map.get("talk");
    if (m_protocol == nullptr)
      return book;
    book->protocol = m_protocol->name();
    if (original)
      takeOver(*original, *book);
    if (limits != nullptr)
      readLimits(*limits, *book);
    if (errors != nullptr)
      readErrors(*errors, *book);
    if (talk != nullptr)
      readTalk(*talk, *book);
    sortLimits(*book);
    return book;
  }

 private:
  std::shared_ptr<const Rulebook> originalOf(const YamlPart& base)
  {
    const std::string* const text = shippedBook(base.text);
    if (text == nullptr) {
      const std::string near = nearest(base.text, shippedBooks());
      m_problems.add(
          base, say("there is no rulebook '{}' to make this one from", base.text),
          near.empty() ? say("it is one of those that come with the program") : say("did you mean {}", near));
      return nullptr;
    }
    return readRulebook(*text).book;
  }

  const Protocol* protocolOf(YamlMap& map, const Rulebook* original)
  {
    if (original != nullptr && !map.has("protocol"))
      return *protocolNamed(original->protocol);
    const YamlPart* const part = map.need("protocol", "protocol: i2c");
    if (part == nullptr)
      return nullptr;
    const auto protocol = protocolNamed(part->text);
    if (!protocol) {
      m_problems.add(*part, protocol.error().message, protocol.error().mend);
      return nullptr;
    }
    if (original != nullptr && original->protocol != (*protocol)->name())
      m_problems.add(*part, say("'{}' is for {}", original->name, original->protocol));
    return *protocol;
  }

  static void takeOver(const Rulebook& original, Rulebook& book)
  {
    book.limits = original.limits;
    for (LimitRule& limit : book.limits) {
      limit.line = 0;
      limit.original = limit.limits;
      limit.originalInBits = limit.inBits;
    }
  }

  /// The rule of that name, made where there was none.
  static LimitRule& ruleIn(Rulebook& book, const std::string& name)
  {
    const auto found =
        std::find_if(book.limits.begin(), book.limits.end(), [&](const LimitRule& l) { return l.name == name; });
    if (found != book.limits.end())
      return *found;
    book.limits.emplace_back().name = name;
    if (!book.base.empty())
      book.limits.back().original = Limits{};
    return book.limits.back();
  }

  void readLimits(const YamlPart& part, Rulebook& book)
  {
    if (part.kind != YamlPart::Kind::Map) {
      m_problems.add(part, say("limits are a map"), say("write them like tLOW: {{min: 1.3 us}}"));
      return;
    }
    const auto& measures = m_protocol->facts().measures;
    for (const YamlEntry& entry : part.entries) {
      const YamlPart& key = entry.key;
      const YamlPart& value = entry.value;
      const auto spec =
          std::find_if(measures.begin(), measures.end(), [&](const MeasureSpec& m) { return m.symbol == key.text; });
      if (spec == measures.end()) {
        std::vector<std::string> known;
        known.reserve(measures.size());
        for (const MeasureSpec& m : measures)
          known.push_back(m.symbol);
        const std::string near = nearest(key.text, known);
        std::string all;
        for (const std::string& name : known)
          all += (all.empty() ? "" : ", ") + name;
        m_problems.add(key, say("'{}' is not measured on {}", key.text, m_protocol->label()),
                       near.empty() ? say("it is one of {}", all) : say("did you mean {}", near));
        continue;
      }
      readLimit(key, value, spec->unit, book);
    }
  }

  void readErrors(const YamlPart& part, Rulebook& book)
  {
    if (part.kind != YamlPart::Kind::Map) {
      m_problems.add(part, say("errors are a map"), say("write them like crc: {{max: 0}}"));
      return;
    }
    const FrameErrors harmless = m_protocol->harmless();
    for (const YamlEntry& entry : part.entries) {
      const YamlPart& key = entry.key;
      const YamlPart& value = entry.value;
      const auto& errors = m_protocol->facts().errors;
      const auto spec = std::find_if(errors.begin(), errors.end(),
                                     [&](const ErrorSpec& e) { return e.word == key.text && (e.bit & harmless) == 0; });
      if (spec == errors.end()) {
        std::string all;
        for (const ErrorSpec& e : errors)
          all += (e.bit & harmless) != 0 ? "" : (all.empty() ? "" : ", ") + e.word;
        m_problems.add(key, say("'{}' is no error of {}", key.text, m_protocol->label()), say("it is one of {}", all));
        continue;
      }
      readLimit(key, value, MeasureUnit::Count, book);
      ruleIn(book, key.text).isError = true;
    }
  }

  void readLimit(const YamlPart& key, const YamlPart& value, MeasureUnit unit, Rulebook& book)
  {
    LimitRule& rule = ruleIn(book, key.text);
    rule.line = key.line;
    YamlMap map(value, say("a limit"), m_problems);
    rule.limits = {};
    rule.inBits = false;
    rule.limits.min = limitIn(map, "min", unit, rule.inBits);
    rule.limits.max = limitIn(map, "max", unit, rule.inBits);
    const std::string clause = map.text("clause");
    if (!clause.empty() || !rule.original || rule.differs())
      rule.clause = sourceOf(book, clause);
    if (rule.limits.min && rule.limits.max && *rule.limits.min > *rule.limits.max)
      m_problems.add(value, say("the least is more than the most"), say("swap min and max"));
  }

  /// Document and place. A limit that differs from the original's is not what the original's document says.
  static std::string sourceOf(const Rulebook& book, const std::string& clause)
  {
    if (clause.empty() && book.source.empty())
      return book.base.empty() ? std::string() : book.title.empty() ? book.name : book.title;
    // A clause that names the document itself stands alone.
    if (clause.empty() || book.source.empty() || clause.find(book.source) != std::string::npos)
      return clause.empty() ? book.source : clause;
    return book.source + ", " + clause;
  }

  std::optional<double> limitIn(YamlMap& map, const std::string& key, MeasureUnit unit, bool& inBits)
  {
    const YamlPart* const part = map.get(key);
    if (part == nullptr)
      return std::nullopt;
    const auto quantity = parseQuantity(part->text, unit);
    if (!quantity) {
      m_problems.add(*part, quantity.error().message, quantity.error().mend);
      return std::nullopt;
    }
    inBits = inBits || quantity->inBits;
    return quantity->value;
  }

  void readTalk(const YamlPart& part, Rulebook& book)
  {
    if (part.kind != YamlPart::Kind::List) {
      m_problems.add(part, say("what is expected of the talk is a list"), say("write it like - rule: never stale"));
      return;
    }
    for (const YamlPart& item : part.items) {
      TalkRule rule;
      rule.line = item.line;
      YamlMap map(item, say("an expectation"), m_problems);
      map.need("rule", "rule: level is fresh");
      rule.name = map.text("rule");
      rule.clause = map.text("clause");
      const bool twice =
          std::any_of(book.talk.begin(), book.talk.end(), [&](const TalkRule& t) { return t.name == rule.name; });
      if (twice || book.limitOf(rule.name) != nullptr)
        m_problems.add(item, say("there is a rule '{}' already", rule.name), say("give it another name"));
      readExpectation(item, map, rule);
      book.talk.push_back(std::move(rule));
    }
  }

  void readExpectation(const YamlPart& item, YamlMap& map, TalkRule& rule)
  {
    using Kind = TalkRule::Kind;
    const std::vector<std::pair<const char*, Kind>> kinds{{"never", Kind::Never},
                                                          {"every", Kind::Every},
                                                          {"answer", Kind::Answer},
                                                          {"after", Kind::Order},
                                                          {"value", Kind::Value}};
    const auto kind = std::find_if(kinds.begin(), kinds.end(), [&](const auto& k) { return map.has(k.first); });
    if (kind == kinds.end()) {
      for (const auto& [key, value] : item.entries)
        map.get(key.text);
      m_problems.add(item, say("nothing is expected here"), say("add one of never, every, answer, after, value"));
      return;
    }
    rule.kind = kind->second;
    switch (rule.kind) {
      case Kind::Never:
        rule.of = map.text("never");
        rule.limits.max = 0.0;
        break;
      case Kind::Every:
        readEvery(item, map, rule);
        break;
      case Kind::Answer:
        rule.to = map.text("answer");
        map.need("to", "to: message:ask_level");
        rule.of = map.text("to");
        rule.limits.max = time(map, "within", true);
        break;
      case Kind::Order:
        rule.of = map.text("after");
        map.need("expect", "expect: message:stop");
        rule.to = map.text("expect");
        map.need("before", "before: message:start");
        rule.before = map.text("before");
        rule.limits.max = 0.0;
        break;
      case Kind::Value:
      case Kind::Step:
        readValue(item, map, rule);
        break;
    }
  }

  void readEvery(const YamlPart& item, YamlMap& map, TalkRule& rule)
  {
    const std::optional<double> period = time(map, "every", true);
    const std::optional<double> by = time(map, "tolerance", true);
    map.need("of", "of: id:121");
    rule.of = map.text("of");
    if (!period || !by)
      return;
    if (*by >= *period)
      m_problems.add(item, say("the tolerance is as long as the period"), say("make it shorter"));
    rule.limits = {*period - *by, *period + *by};
  }

  void readValue(const YamlPart& item, YamlMap& map, TalkRule& rule)
  {
    readSum(*map.get("value"), rule);
    rule.of = map.text("of");
    const YamlPart* const step = map.get("step");
    if (step != nullptr) {
      rule.kind = TalkRule::Kind::Step;
      YamlMap limits(*step, say("a step"), m_problems);
      rule.limits = {limits.number("min"), limits.number("max")};
      map.refuse("min", say("the limits of a step stand behind it: step: {{min: 0}}"));
      map.refuse("max", say("the limits of a step stand behind it: step: {{min: 0}}"));
    } else {
      rule.limits = {map.number("min"), map.number("max")};
    }
    if (!rule.limits.any())
      m_problems.add(item, say("the value has no limits"), say("add min:, max: or step:"));
  }

  /// "minutes * 60 + seconds".
  void readSum(const YamlPart& part, TalkRule& rule)
  {
    std::string text = part.text;
    std::erase(text, ' ');
    std::size_t at = 0;
    while (at <= text.size()) {
      const std::size_t end = std::min(text.find('+', at), text.size());
      std::string piece = text.substr(at, end - at);
      TalkRule::Part one;
      if (const std::size_t star = piece.find('*'); star != std::string::npos) {
        const auto factor = parseNumber(piece.substr(star + 1));
        if (!factor) {
          m_problems.add(part, say("'{}' is no factor", piece.substr(star + 1)), say("write it like minutes * 60"));
          return;
        }
        one.factor = *factor;
        piece.resize(star);
      }
      const bool isName = !piece.empty() && std::all_of(piece.begin(), piece.end(), [](char c) {
        return (c >= 'a' && c <= 'z') || (c >= '0' && c <= '9') || c == '_';
      });
      if (!isName) {
        m_problems.add(part, say("'{}' is no name of a value", piece),
                       say("write it like level, or minutes * 60 + seconds"));
        return;
      }
      one.value = piece;
      rule.sum.push_back(std::move(one));
      at = end + 1;
    }
  }

  std::optional<double> time(YamlMap& map, const std::string& key, bool needed)
  {
    const YamlPart* const part = needed ? map.need(key, key + ": 20 ms") : map.get(key);
    if (part == nullptr)
      return std::nullopt;
    const auto quantity = parseQuantity(part->text, MeasureUnit::Time);
    if (!quantity || quantity->inBits || quantity->value < 0.0) {
      m_problems.add(*part, say("'{}' is no length of time", part->text), say("write it with its unit, like 20 ms"));
      return std::nullopt;
    }
    return quantity->value;
  }

  /// As the protocol has them.
  void sortLimits(Rulebook& book) const
  {
    const auto placeOf = [&](const LimitRule& limit) {
      const auto& measures = m_protocol->facts().measures;
      const auto& errors = m_protocol->facts().errors;
      std::size_t place = 0;
      for (; place < measures.size(); ++place) {
        if (!limit.isError && measures[place].symbol == limit.name)
          return place;
      }
      for (std::size_t i = 0; i < errors.size(); ++i) {
        if (errors[i].word == limit.name)
          return place + i;
      }
      return place + errors.size();
    };
    std::stable_sort(book.limits.begin(), book.limits.end(),
                     [&](const LimitRule& a, const LimitRule& b) { return placeOf(a) < placeOf(b); });
  }

  Problems& m_problems;
  const Protocol* m_protocol = nullptr;
};

}  // namespace

RulebookRead readRulebook(const std::string& text)
{
  const auto root = parseYaml(text);
  if (!root)
    return {nullptr, {root.error()}};
  Problems problems;
  RulebookRead read;
  read.book = BookReader(problems).read(*root);
  read.problems = problems.takeByLine();
  if (read.problems.empty())
    read.problems = problemsBySchema(*root, rulebookSchema(), say("this does not fit the schema of rulebooks"));
  if (!read.problems.empty())
    read.book = nullptr;
  return read;
}

}  // namespace bexto
