// Tested by tests/core/query_test.cpp.
#include "core/query/term.h"

#include <fmt/core.h>

#include <algorithm>
#include <cctype>
#include <charconv>
#include <optional>

#include "core/base/say.h"
#include "core/query/term_numbers.h"
#include "core/query/value_term.h"
#include "core/query/vocabulary.h"

namespace bexto {

namespace {

/// How the values of a key are written.
enum class Values : std::uint8_t { Hex, Decimal, Time, Pattern, Text, Name, Glob };

/// A key of the language, its own or a property.
struct KeySpec {
  TermKey key;
  Values values;
  TermHelp help;
  std::string phrase;                             ///< in front of the values in an explanation
  Property::Sort sort = Property::Sort::Decimal;  ///< of a property
  std::vector<std::string> names = {};            ///< that a Name can be; those of buses are known to the caller only
};

/// For tables, which are said where they are shown.
std::string englishList(const std::vector<std::string>& words)
{
  std::string text;
  for (std::size_t i = 0; i < words.size(); ++i)
    text += (i == 0 ? "" : i + 1 == words.size() ? " or " : ", ") + words[i];
  return text;
}

std::string listed(const std::vector<std::string>& words)
{
  std::string text;
  for (std::size_t i = 0; i < words.size(); ++i) {
    if (i > 0 && i + 1 == words.size())
      return say("{} or {}", text, words[i]);
    if (i > 0)
      text += ", ";
    text += words[i];
  }
  return text;
}

std::vector<KeySpec> ownKeys()
{
  return {
      {TermKey::Data,
       Values::Pattern,
       {"data", "data:\"A0 ?? 0?\"",
        "bytes anywhere in the payload: ? is any digit, * any bytes, | the begin or the end"},
       "data"},
      {TermKey::Byte,
       Values::Hex,
       {"byte0", "byte2>=80", "one byte of the payload, in hex; the first is byte0"},
       "byte"},
      {TermKey::LastByte, Values::Hex, {"last", "last:00", "the last byte of the payload, in hex"}, "last byte"},
      {TermKey::Length, Values::Decimal, {"length", "length>4", "bytes of payload"}, "length"},
      {TermKey::Text,
       Values::Text,
       {"text", "text:stalled", "letters in the payload, upper or lower case; \"stalled\" alone means the same"},
       "text"},
      {TermKey::Error,
       Values::Name,
       {"error", "error:" + allErrorWords().front(), "one of these faults"},
       "fault",
       {},
       allErrorWords()},
      {TermKey::Kind,
       Values::Name,
       {"kind", "kind:" + kindWords().back(), englishList(kindWords())},
       "kind",
       {},
       kindWords()},
      {TermKey::Bus, Values::Name, {"bus", "bus:sensors", "the bus"}, "bus"},
      {TermKey::Protocol,
       Values::Name,
       {"protocol", "protocol:" + protocolNames().front(), englishList(protocolNames())},
       "protocol",
       {},
       protocolNames()},
      {TermKey::Line,
       Values::Name,
       {"line", "line:" + lineNames().front(), "the direction, where each has a wire: " + englishList(lineNames())},
       "line",
       {},
       lineNames()},
      {TermKey::Device,
       Values::Glob,
       {"device", "device:LT-20", "who speaks or is spoken to, by the sheets of the devices; * is any characters"},
       "device"},
      {TermKey::Message,
       Values::Glob,
       {"message", "message:level", "the register, command or message, by the sheets of the devices"},
       "message"},
      {TermKey::Time, Values::Time, {"time", "time:1s..1.5s", "when it begins"}, "begin"},
      {TermKey::Lasts, Values::Time, {"lasts", "lasts>2ms", "from its begin to its end"}, "duration"},
      {TermKey::Pause,
       Values::Time,
       {"pause", "pause>10ms", "since the end of what the same bus said before"},
       "pause before it"},
      {TermKey::Answer,
       Values::Time,
       {"answer", "answer>5ms", "from a request's end to its answer's begin, by the sheets of the devices"},
       "time of the answer"},
  };
}

Values valuesOf(Property::Sort sort)
{
  switch (sort) {
    case Property::Sort::Hex:
      return Values::Hex;
    case Property::Sort::Decimal:
      return Values::Decimal;
    case Property::Sort::Flag:
    case Property::Sort::Word:
      return Values::Name;
    case Property::Sort::Text:
      return Values::Glob;
    case Property::Sort::Bytes:
      break;
  }
  return Values::Pattern;
}

/// Those of the rooms after those of the language.
const std::vector<KeySpec>& keySpecs()
{
  static const std::vector<KeySpec> kSpecs = [] {
    std::vector<KeySpec> specs = ownKeys();
    for (const PropertyKey& p : propertyKeys()) {
      specs.push_back({TermKey::Property, valuesOf(p.sort), {p.key, p.example, p.help}, p.phrase, p.sort, p.choices});
      if (p.sort == Property::Sort::Flag)
        specs.back().names = {"yes", "no"};
    }
    return specs;
  }();
  return kSpecs;
}

struct WordSpec {
  std::string word;
  Term term;
  std::string phrase;
};

std::string upper(std::string text)
{
  std::transform(text.begin(), text.end(), text.begin(),
                 [](unsigned char c) { return static_cast<char>(std::toupper(c)); });
  return text;
}

const std::vector<WordSpec>& wordSpecs()
{
  static const std::vector<WordSpec> kWords = [] {
    std::vector<WordSpec> words{{"error", {}, "a fault"},
                                {"sent", {.key = TermKey::Sent}, "something that was sent from here"},
                                {"invalid",
                                 {.key = TermKey::Invalid, .question = {MeaningQuestion::Of::Fault, {}, {}, {}}},
                                 "something that its device sheet says cannot be"},
                                {"unanswered", {.key = TermKey::Unanswered}, "a request that nobody answered"}};
    for (const LoneWord& w : loneWords())
      words.push_back({w.word, {.key = TermKey::Word, .names = {w.word}}, w.phrase});
    for (const std::string& name : protocolNames())
      words.push_back({name, {.key = TermKey::Protocol, .names = {name}}, "protocol " + upper(name)});
    for (const std::string& name : lineNames())
      words.push_back({name, {.key = TermKey::Line, .names = {name}}, "line " + upper(name)});
    return words;
  }();
  return kWords;
}

std::vector<std::string> namesOf(const std::vector<KeySpec>& specs)
{
  std::vector<std::string> names;
  names.reserve(specs.size());
  for (const KeySpec& s : specs)
    names.push_back(s.help.key);
  return names;
}

const KeySpec* specOfKey(const std::string& word, std::size_t& byte)
{
  for (const KeySpec& spec : keySpecs()) {
    if (spec.key != TermKey::Byte && spec.help.key == word)
      return &spec;
  }
  if (!word.starts_with("byte") || word.size() < 5 || word.size() > 10)
    return nullptr;
  const auto [end, code] = std::from_chars(word.data() + 4, word.data() + word.size(), byte);
  if (code != std::errc() || end != word.data() + word.size())
    return nullptr;
  return &*std::find_if(keySpecs().begin(), keySpecs().end(), [](const KeySpec& s) { return s.key == TermKey::Byte; });
}

/// What a lone number may have meant: "write address:2A or data:2A".
std::string numberMend(const std::string& number)
{
  std::vector<std::string> terms;
  for (const PropertyKey& p : propertyKeys()) {
    if (p.isName)
      terms.push_back(p.key + ":" + number);
  }
  terms.push_back("data:" + number);
  return say("write {}", listed(terms));
}

QueryResult<void> readPatterns(const KeySpec& spec, const SyntaxNode& node, Term& term)
{
  const bool text = spec.values == Values::Text;
  for (const SyntaxNode::Value& value : node.values) {
    if (value.isRange && text)
      return wrong(say("letters have no range"), say("for the dots themselves write \"{}..{}\"", value.low, value.high),
                   value.at);
    if (value.isRange)
      return wrong(say("bytes have no range"), say("for one byte write byte0:{}..{}", value.low, value.high), value.at);
    if (value.low.empty())
      return wrong(say("there is nothing to look for"), "", value.at);
    auto pattern = text ? Result<BytePattern>(BytePattern::ofText(value.low)) : BytePattern::parse(value.low);
    if (!pattern) {
      const std::size_t offset = static_cast<std::size_t>(std::stoul(pattern.error().where)) + (value.quoted ? 1 : 0);
      const std::size_t at = std::min(value.at.begin + offset, value.at.end - 1);
      return wrong(pattern.error().message, pattern.error().mend, {at, at + 1});
    }
    std::string said = text ? "“" + value.low + "”" : pattern->text();
    if (pattern->atBegin())
      said = pattern->atEnd() ? say("from begin to end {}", said) : say("beginning with {}", said);
    else if (pattern->atEnd())
      said = say("ending with {}", said);
    addAlternative(term.shown, said);
    term.names.push_back(value.low);
    term.patterns.push_back(std::move(*pattern));
  }
  return {};
}

QueryResult<void> readNames(const KeySpec& spec, const SyntaxNode& node, const std::vector<std::string>& buses,
                            Term& term)
{
  const std::vector<std::string>& known = spec.key == TermKey::Bus ? buses : spec.names;
  for (const SyntaxNode::Value& value : node.values) {
    if (value.isRange)
      return wrong(say("words have no range"), say("name several with a comma between them"), value.at);
    if (std::find(known.begin(), known.end(), value.low) == known.end()) {
      const std::string near = nearest(value.low, known);
      return wrong(spec.key == TermKey::Error ? say("there is no fault '{}'", value.low)
                                              : say("there is no {} '{}'", spec.help.key, value.low),
                   !near.empty()   ? say("did you mean {}", near)
                   : known.empty() ? std::string()
                                   : say("there are {}", listed(known)),
                   value.at);
    }
    term.names.push_back(value.low);
    addAlternative(term.shown, value.low);
  }
  return {};
}

QueryResult<void> readGlobs(const SyntaxNode& node, Term& term)
{
  for (const SyntaxNode::Value& value : node.values) {
    if (value.isRange)
      return wrong(say("this has no range"), say("give one value, with * for any characters"), value.at);
    term.names.push_back(value.low);
    addAlternative(term.shown, value.low);
  }
  return {};
}

QueryResult<Term> keyedTerm(const SyntaxNode& node, const QueryNames& names)
{
  Term term;
  const KeySpec* const spec = specOfKey(node.word, term.byte);
  if (spec == nullptr) {
    const bool prefixed = node.word.starts_with(kValuePrefix);
    if (const ValueWord* const value = names.value(prefixed ? node.word.substr(kValuePrefix.size()) : node.word))
      return valueTerm(node, *value);
    std::vector<std::string> known = namesOf(keySpecs());
    for (const ValueWord& value : names.values)
      known.push_back(value.name);
    const std::string near = nearest(node.word, known);
    return wrong(say("there is no key '{}'", node.word),
                 near.empty()
                     ? say("there are data, byte0, last, length, text, error, time and others: see the list of keys")
                     : say("did you mean {}:", near),
                 node.keyAt);
  }
  term.key = spec->key;
  if (spec->key == TermKey::Device)
    term.question.of = MeaningQuestion::Of::Device;
  if (spec->key == TermKey::Message)
    term.question.of = MeaningQuestion::Of::Subject;
  if (spec->key == TermKey::Property) {
    term.property = spec->help.key;
    term.sort = spec->sort;
  }
  const bool numbers = spec->values == Values::Hex || spec->values == Values::Decimal || spec->values == Values::Time;
  if (!numbers && node.comparison != ":" && node.comparison != "=") {
    const bool differs = node.comparison == "!=";
    return wrong(say("'{}' cannot be compared by '{}'", spec->help.key, node.comparison),
                 differs ? say("write not {}:…", spec->help.key) : say("write {}", spec->help.example), node.at);
  }
  QueryResult<void> read;
  switch (spec->values) {
    case Values::Hex:
    case Values::Decimal:
    case Values::Time:
      read = readNumbers(spec->values == Values::Time  ? NumberForm::Time
                         : spec->values == Values::Hex ? NumberForm::Hex
                                                       : NumberForm::Decimal,
                         node, term);
      break;
    case Values::Pattern:
    case Values::Text:
      read = readPatterns(*spec, node, term);
      break;
    case Values::Name:
      read = readNames(*spec, node, names.buses, term);
      break;
    case Values::Glob:
      read = readGlobs(node, term);
      term.question.words = term.names;
      break;
  }
  if (!read)
    return tl::unexpected(read.error());
  return term;
}

}  // namespace

bool Term::isNamed(std::string_view name) const
{
  return std::find(names.begin(), names.end(), name) != names.end();
}

const std::vector<TermHelp>& queryKeys()
{
  static const std::vector<TermHelp> kHelp = [] {
    std::vector<TermHelp> help;
    help.reserve(keySpecs().size());
    for (const KeySpec& spec : keySpecs())
      help.push_back(spec.help);
    return help;
  }();
  return kHelp;
}

std::vector<std::string> queryPhrases()
{
  std::vector<std::string> phrases;
  phrases.reserve(keySpecs().size());
  for (const KeySpec& spec : keySpecs())
    phrases.push_back(spec.phrase);
  return phrases;
}

const std::vector<TermHelp>& queryWords()
{
  static const std::vector<TermHelp> kHelp = [] {
    std::vector<TermHelp> help;
    help.reserve(wordSpecs().size());
    for (const WordSpec& spec : wordSpecs())
      help.push_back({spec.word, "", spec.phrase});
    return help;
  }();
  return kHelp;
}

QueryResult<Term> termOf(const SyntaxNode& node, const QueryNames& names)
{
  const std::vector<std::string>& buses = names.buses;
  if (node.kind == SyntaxNode::Kind::Keyed)
    return keyedTerm(node, names);
  Term term;
  if (node.kind == SyntaxNode::Kind::Text) {
    if (node.word.empty())
      return wrong(say("there is nothing to look for"), "", node.at);
    term.key = TermKey::Text;
    term.names = {node.word};
    term.patterns = {BytePattern::ofText(node.word)};
    term.shown = "“" + node.word + "”";
    return term;
  }
  const auto lower = [](std::string text) {
    std::transform(text.begin(), text.end(), text.begin(),
                   [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
    return text;
  };
  // Bus names are as their user wrote them. In another case they are found as well, unless that fits several.
  std::vector<std::string> named;
  // A bus that is called after its protocol is that one bus.
  const bool busToo = std::find(buses.begin(), buses.end(), node.typed) != buses.end();
  for (const std::string& bus : buses) {
    if (busToo ? bus == node.typed && named.empty() : lower(bus) == node.word)
      named.push_back(bus);
  }
  for (const WordSpec& spec : wordSpecs()) {
    if (spec.word == node.word && !(busToo && spec.term.key == TermKey::Protocol))
      return spec.term;
  }
  if (named.size() > 1)
    return wrong(say("'{}' may be more than one bus", node.typed), say("write {}", listed(named)), node.at);
  if (!named.empty()) {
    term.key = TermKey::Bus;
    term.names = named;
    term.shown = named.front();
    return term;
  }
  if (numberOf(node.word, 16))
    return wrong(say("'{}' alone could be anything", node.word), numberMend(node.word), node.at);
  std::vector<std::string> known = buses;
  for (const WordSpec& spec : wordSpecs())
    known.push_back(spec.word);
  for (const KeySpec& spec : keySpecs()) {
    if (spec.help.key == node.word)
      return wrong(say("'{}' needs a value", node.word), say("write {}", spec.help.example), node.at);
  }
  if (names.value(node.word) != nullptr)
    return wrong(say("'{}' needs a value", node.word), say("write {}>0", node.word), node.at);
  const std::string near = nearest(node.word, known);
  return wrong(say("'{}' is no word of a filter", node.word),
               near.empty() ? say("for letters in the payload write \"{}\"", node.word) : say("did you mean {}", near),
               node.at);
}

std::string phraseOf(const Term& term)
{
  for (const WordSpec& word : wordSpecs()) {
    if (word.term == term)
      return say(word.phrase);
  }
  if (term.key == TermKey::Value)
    return fmt::format("{} {}", term.property, term.shown);
  for (const KeySpec& spec : keySpecs()) {
    if (spec.key != term.key || (term.key == TermKey::Property && spec.help.key != term.property))
      continue;
    const std::string number = term.key == TermKey::Byte ? fmt::format(" {}", term.byte) : "";
    return fmt::format("{}{} {}", say(spec.phrase), number, term.shown);
  }
  return "";
}

}  // namespace bexto
