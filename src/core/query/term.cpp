// Tested by tests/core/query_test.cpp.
#include "core/query/term.h"

#include <fmt/core.h>

#include <algorithm>
#include <bit>
#include <charconv>
#include <optional>

#include "core/base/time_text.h"

namespace bexto {

namespace {

/// How the values of a key are written.
enum class Values : std::uint8_t { Hex, Decimal, Time, Pattern, Text, Name, Error, Kind };

struct KeySpec {
  TermKey key;
  Values values;
  TermHelp help;
  const char* phrase;  ///< in front of the values in an explanation
};

const std::vector<KeySpec>& keySpecs()
{
  static const std::vector<KeySpec> kSpecs{
      {TermKey::Id, Values::Hex, {"id", "id:1A0..1AF", "CAN identifier, in hex"}, "identifier"},
      {TermKey::Address, Values::Hex, {"address", "address:2A,52", "I2C address, in hex"}, "address"},
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
      {TermKey::Mosi,
       Values::Pattern,
       {"mosi", "mosi:\"|9F\"", "bytes that the SPI controller sends, written as for data"},
       "MOSI"},
      {TermKey::Miso,
       Values::Pattern,
       {"miso", "miso:\"00|\"", "bytes that the SPI peripheral sends, written as for data"},
       "MISO"},
      {TermKey::Value, Values::Hex, {"value", "value:0D,0A", "a UART character, in hex"}, "character"},
      {TermKey::Errors, Values::Error, {"error", "error:crc,stuff", "one of these faults"}, "fault"},
      {TermKey::Kind,
       Values::Kind,
       {"kind", "kind:remote", "character, break, transfer, word, data, remote, error or overload"},
       "kind"},
      {TermKey::Bus, Values::Name, {"bus", "bus:sensors", "the bus"}, "bus"},
      {TermKey::Protocol, Values::Name, {"protocol", "protocol:i2c,spi", "uart, i2c, spi or can"}, "protocol"},
      {TermKey::Line, Values::Name, {"line", "line:rx", "the direction of a UART: rx or tx"}, "line"},
      {TermKey::Time, Values::Time, {"time", "time:1s..1.5s", "when it begins"}, "begin"},
      {TermKey::Lasts, Values::Time, {"lasts", "lasts>2ms", "from its begin to its end"}, "duration"},
      {TermKey::Pause,
       Values::Time,
       {"pause", "pause>10ms", "since the end of what the same bus said before"},
       "pause before it"},
      {TermKey::Dlc, Values::Decimal, {"dlc", "dlc:9..15", "the length code of a CAN frame"}, "DLC"},
      {TermKey::Crc, Values::Hex, {"crc", "crc:1A2B", "the CRC that a CAN frame carries, in hex"}, "CRC"},
  };
  return kSpecs;
}

struct WordSpec {
  std::string word;
  Term term;
  std::string phrase;
};

Term isTerm(Trait trait)
{
  Term t;
  t.key = TermKey::Is;
  t.trait = trait;
  return t;
}
Term errorTerm(FrameError error)
{
  Term t;
  t.key = TermKey::Errors;
  t.errors = errorBit(error);
  return t;
}
Term kindTerm(FrameKind kind)
{
  Term t;
  t.key = TermKey::Kind;
  t.kinds = {kind};
  return t;
}
Term namedTerm(TermKey key, const char* name)
{
  Term t;
  t.key = key;
  t.names = {name};
  return t;
}

const std::vector<WordSpec>& wordSpecs()
{
  static const std::vector<WordSpec> kWords{
      {"error", isTerm(Trait::Faulty), "a fault"},
      {"read", isTerm(Trait::Read), "a read"},
      {"write", isTerm(Trait::Write), "a write"},
      {"nack", isTerm(Trait::NotAcknowledged), "no acknowledge"},
      {"ack", isTerm(Trait::Acknowledged), "an acknowledge"},
      {"uart", namedTerm(TermKey::Protocol, "uart"), "protocol UART"},
      {"i2c", namedTerm(TermKey::Protocol, "i2c"), "protocol I2C"},
      {"spi", namedTerm(TermKey::Protocol, "spi"), "protocol SPI"},
      {"can", namedTerm(TermKey::Protocol, "can"), "protocol CAN"},
      {"rx", namedTerm(TermKey::Line, "rx"), "line RX"},
      {"tx", namedTerm(TermKey::Line, "tx"), "line TX"},
      {"break", kindTerm(FrameKind::Break), "a break"},
      {"data", kindTerm(FrameKind::Data), "a data frame"},
      {"remote", kindTerm(FrameKind::Remote), "a remote frame"},
      {"overload", kindTerm(FrameKind::Overload), "an overload frame"},
      {"extended", isTerm(Trait::Extended), "a 29-bit identifier or 10-bit address"},
      {"standard", isTerm(Trait::Standard), "an 11-bit identifier or 7-bit address"},
      {"fd", isTerm(Trait::Fd), "CAN FD format"},
      {"classic", isTerm(Trait::Classic), "classic CAN format"},
      {"brs", isTerm(Trait::RateSwitched), "a switched rate"},
      {"esi", isTerm(Trait::ErrorPassive), "an error-passive sender"},
      {"parity", errorTerm(FrameError::Parity), "a wrong parity"},
      {"framing", errorTerm(FrameError::Framing), "a wrong stop bit"},
      {"incomplete", errorTerm(FrameError::Incomplete), "an unfinished frame"},
      {"unexpected-start", errorTerm(FrameError::UnexpectedStart), "a START or STOP inside a byte"},
      {"stuff", errorTerm(FrameError::Stuff), "a stuff error"},
      {"form", errorTerm(FrameError::Form), "a form error"},
      {"crc", errorTerm(FrameError::Crc), "a wrong CRC"},
      {"stuff-count", errorTerm(FrameError::StuffCount), "a wrong stuff count"},
  };
  return kWords;
}

constexpr std::array<std::pair<const char*, FrameKind>, 8> kKinds{{{"character", FrameKind::Character},
                                                                   {"break", FrameKind::Break},
                                                                   {"transfer", FrameKind::Transfer},
                                                                   {"word", FrameKind::Word},
                                                                   {"data", FrameKind::Data},
                                                                   {"remote", FrameKind::Remote},
                                                                   {"error", FrameKind::Error},
                                                                   {"overload", FrameKind::Overload}}};
constexpr std::uint16_t kAllErrors = 0x3ff;

tl::unexpected<QueryError> wrong(std::string message, std::string mend, TextSpan at)
{
  return tl::unexpected(QueryError{std::move(message), std::move(mend), at});
}

/// A number as its key reads it: `base` unless 0x, 0b or 0d says otherwise.
std::optional<std::int64_t> numberOf(std::string_view text, int base)
{
  if (text.size() > 2 && text[0] == '0') {
    const char mark = text[1];
    const int said = mark == 'x' || mark == 'X'   ? 16
                     : mark == 'b' || mark == 'B' ? 2
                     : mark == 'd' || mark == 'D' ? 10
                                                  : 0;
    // In a key that reads hex, 0b1 and 0d1 could be digits; that they always decide is the rule that can be remembered.
    if (said != 0) {
      base = said;
      text.remove_prefix(2);
    }
  }
  std::int64_t value = 0;
  const auto [end, code] = std::from_chars(text.data(), text.data() + text.size(), value, base);
  if (code != std::errc() || end != text.data() + text.size() || value < 0)
    return std::nullopt;
  return value;
}

/// Reads the numbers of one key.
class Numbers {
 public:
  Numbers(const KeySpec& spec, const SyntaxNode& node) : m_spec(spec), m_node(node) {}

  QueryResult<void> into(Term& term) const
  {
    for (const SyntaxNode::Value& value : m_node.values) {
      auto ranges = rangesOf(value);
      if (!ranges)
        return tl::unexpected(ranges.error());
      term.ranges.insert(term.ranges.end(), ranges->begin(), ranges->end());
      term.shown += (term.shown.empty() ? "" : " or ") + shownOf(value);
    }
    const std::string& op = m_node.comparison;
    if (op == ":" || op == "=")
      return {};
    if (op == "!=") {
      term.ranges = complement(std::move(term.ranges));
      term.shown = "not " + term.shown;
      return {};
    }
    const SyntaxNode::Value& only = m_node.values.front();
    if (m_node.values.size() != 1 || only.isRange)
      return wrong(fmt::format("'{}' compares with one value", op), "for several or a range write ':'", m_node.at);
    const NumberRange r = term.ranges.front();
    constexpr NumberRange kAll;
    static const std::vector<std::pair<std::string, const char*>> kSaid{
        {"<", "below "}, {"<=", "at most "}, {">", "above "}, {">=", "at least "}};
    if (op == "<")
      term.ranges = {{kAll.low, r.low - 1}};
    else if (op == "<=")
      term.ranges = {{kAll.low, r.high}};
    else if (op == ">")
      term.ranges = {{r.high + 1, kAll.high}};
    else
      term.ranges = {{r.low, kAll.high}};
    for (const auto& [sign, words] : kSaid) {
      if (sign == op)
        term.shown = words + term.shown;
    }
    return {};
  }

 private:
  static std::vector<NumberRange> complement(std::vector<NumberRange> ranges)
  {
    std::sort(ranges.begin(), ranges.end(), [](const NumberRange& a, const NumberRange& b) { return a.low < b.low; });
    std::vector<NumberRange> out;
    constexpr NumberRange kAll;
    std::int64_t from = kAll.low;
    for (const NumberRange& r : ranges) {
      if (r.low > from)
        out.push_back({from, r.low - 1});
      if (r.high == kAll.high)
        return out;
      from = std::max(from, r.high + 1);
    }
    out.push_back({from, kAll.high});
    return out;
  }

  std::string shownOf(const SyntaxNode::Value& value) const
  {
    if (!value.isRange)
      return value.low;
    return value.low.empty()    ? "up to " + value.high
           : value.high.empty() ? value.low + " on"
                                : value.low + " to " + value.high;
  }

  QueryResult<std::int64_t> one(const std::string& text, TextSpan at) const
  {
    if (m_spec.values == Values::Time) {
      const auto time = parseTime(text);
      if (!time)
        return wrong(fmt::format("'{}' is no time", text), "write a time like 12.5ms; without a unit it is seconds",
                     at);
      return time->count();
    }
    const bool hex = m_spec.values == Values::Hex;
    const auto number = numberOf(text, hex ? 16 : 10);
    if (!number)
      return wrong(fmt::format("'{}' is no {} number", text, hex ? "hex" : "decimal"),
                   hex ? "hex digits, or 0d and decimal ones" : "decimal digits, or 0x and hex ones", at);
    return *number;
  }

  QueryResult<std::vector<NumberRange>> rangesOf(const SyntaxNode::Value& value) const
  {
    NumberRange range;
    // "8?" of a byte: every byte whose known digit is that one.
    if (!value.isRange && m_spec.values == Values::Hex && value.low.size() == 2 &&
        value.low.find('?') != std::string::npos)
      return wildcardRanges(value);
    if (!value.low.empty()) {
      const auto low = one(value.low, value.at);
      if (!low)
        return tl::unexpected(low.error());
      range.low = *low;
      range.high = value.isRange ? range.high : *low;
    }
    if (!value.high.empty()) {
      const auto high = one(value.high, value.at);
      if (!high)
        return tl::unexpected(high.error());
      range.high = *high;
    }
    if (range.low > range.high)
      return wrong("the range ends before it begins", fmt::format("{}..{}", value.high, value.low), value.at);
    return std::vector<NumberRange>{range};
  }

  QueryResult<std::vector<NumberRange>> wildcardRanges(const SyntaxNode::Value& value) const
  {
    const auto pattern = BytePattern::parse(value.low);
    if (!pattern)
      return wrong(fmt::format("'{}' is no byte", value.low), "write it like 8? or ?0", value.at);
    std::vector<NumberRange> ranges;
    for (int byte = 0; byte < 256; ++byte) {
      const auto b = static_cast<std::uint8_t>(byte);
      if (pattern->matches({&b, 1}))
        ranges.push_back({byte, byte});
    }
    return ranges;
  }

  const KeySpec& m_spec;
  const SyntaxNode& m_node;
};

std::vector<std::string> namesOf(const std::vector<KeySpec>& specs)
{
  std::vector<std::string> names;
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

QueryResult<void> readPatterns(const KeySpec& spec, const SyntaxNode& node, Term& term)
{
  for (const SyntaxNode::Value& value : node.values) {
    if (value.isRange)
      return wrong("bytes have no range", fmt::format("for one byte write byte0:{}..{}", value.low, value.high),
                   value.at);
    const bool text = spec.values == Values::Text;
    if (value.low.empty())
      return wrong("there is nothing to look for", "", value.at);
    auto pattern = text ? Result<BytePattern>(BytePattern::ofText(value.low)) : BytePattern::parse(value.low);
    if (!pattern) {
      const std::size_t offset = static_cast<std::size_t>(std::stoul(pattern.error().where)) + (value.quoted ? 1 : 0);
      const std::size_t at = std::min(value.at.begin + offset, value.at.end - 1);
      return wrong(pattern.error().message, pattern.error().mend, {at, at + 1});
    }
    std::string said = text ? "“" + value.low + "”" : pattern->text();
    if (pattern->atBegin())
      said = (pattern->atEnd() ? "from begin to end " : "beginning with ") + said;
    else if (pattern->atEnd())
      said = "ending with " + said;
    term.shown += (term.shown.empty() ? "" : " or ") + said;
    term.names.push_back(value.low);
    term.patterns.push_back(std::move(*pattern));
  }
  return {};
}

QueryResult<void> readErrors(const SyntaxNode& node, Term& term)
{
  std::vector<std::string> known;
  for (const std::string_view word : errorWords(kAllErrors))
    known.emplace_back(word);
  for (const SyntaxNode::Value& value : node.values) {
    const auto found = std::find(known.begin(), known.end(), value.low);
    if (found == known.end() || value.isRange) {
      const std::string near = nearest(value.low, known);
      return wrong(
          fmt::format("there is no fault '{}'", value.low),
          near.empty() ? "there are parity, framing, incomplete, nack, crc and others" : "did you mean " + near,
          value.at);
    }
    term.errors = static_cast<std::uint16_t>(term.errors | 1U << static_cast<unsigned>(found - known.begin()));
    term.shown += (term.shown.empty() ? "" : " or ") + value.low;
  }
  return {};
}

QueryResult<void> readKinds(const SyntaxNode& node, Term& term)
{
  for (const SyntaxNode::Value& value : node.values) {
    const auto* found = std::find_if(kKinds.begin(), kKinds.end(), [&](const auto& k) { return value.low == k.first; });
    if (found == kKinds.end() || value.isRange)
      return wrong(fmt::format("there is no kind '{}'", value.low),
                   "there are character, break, transfer, word, data, remote, error and overload", value.at);
    term.kinds.push_back(found->second);
    term.shown += (term.shown.empty() ? "" : " or ") + value.low;
  }
  return {};
}

QueryResult<void> readNames(const KeySpec& spec, const SyntaxNode& node, const std::vector<std::string>& buses,
                            Term& term)
{
  std::vector<std::string> known{"rx", "tx"};
  if (spec.key == TermKey::Bus)
    known = buses;
  else if (spec.key == TermKey::Protocol)
    known = {"uart", "i2c", "spi", "can"};
  for (const SyntaxNode::Value& value : node.values) {
    if (std::find(known.begin(), known.end(), value.low) == known.end() || value.isRange) {
      const std::string near = nearest(value.low, known);
      return wrong(fmt::format("there is no {} '{}'", spec.help.key, value.low),
                   near.empty() ? "" : fmt::format("did you mean {}", near), value.at);
    }
    term.names.push_back(value.low);
    term.shown += (term.shown.empty() ? "" : " or ") + value.low;
  }
  return {};
}

QueryResult<Term> keyedTerm(const SyntaxNode& node, const std::vector<std::string>& buses)
{
  Term term;
  const KeySpec* const spec = specOfKey(node.word, term.byte);
  if (spec == nullptr) {
    const std::string near = nearest(node.word, namesOf(keySpecs()));
    return wrong(fmt::format("there is no key '{}'", node.word),
                 near.empty() ? "there are id, address, data, byte0, last, length, text, error, time and others"
                              : fmt::format("did you mean {}:", near),
                 node.keyAt);
  }
  term.key = spec->key;
  const bool numbers = spec->values == Values::Hex || spec->values == Values::Decimal || spec->values == Values::Time;
  if (!numbers && node.comparison != ":" && node.comparison != "=") {
    const bool differs = node.comparison == "!=";
    return wrong(fmt::format("'{}' cannot be compared by '{}'", spec->help.key, node.comparison),
                 differs ? fmt::format("write not {}:…", spec->help.key) : fmt::format("write {}", spec->help.example),
                 node.at);
  }
  QueryResult<void> read;
  switch (spec->values) {
    case Values::Hex:
    case Values::Decimal:
    case Values::Time:
      read = Numbers(*spec, node).into(term);
      break;
    case Values::Pattern:
    case Values::Text:
      read = readPatterns(*spec, node, term);
      break;
    case Values::Error:
      read = readErrors(node, term);
      break;
    case Values::Kind:
      read = readKinds(node, term);
      break;
    case Values::Name:
      read = readNames(*spec, node, buses, term);
      break;
  }
  if (!read)
    return tl::unexpected(read.error());
  return term;
}

}  // namespace

const std::vector<TermHelp>& queryKeys()
{
  static const std::vector<TermHelp> kHelp = [] {
    std::vector<TermHelp> help;
    for (const KeySpec& spec : keySpecs())
      help.push_back(spec.help);
    return help;
  }();
  return kHelp;
}

const std::vector<TermHelp>& queryWords()
{
  static const std::vector<TermHelp> kHelp = [] {
    std::vector<TermHelp> help;
    for (const WordSpec& spec : wordSpecs())
      help.push_back({spec.word, "", spec.phrase});
    return help;
  }();
  return kHelp;
}

QueryResult<Term> termOf(const SyntaxNode& node, const std::vector<std::string>& buses)
{
  if (node.kind == SyntaxNode::Kind::Keyed)
    return keyedTerm(node, buses);
  Term term;
  if (node.kind == SyntaxNode::Kind::Text) {
    if (node.word.empty())
      return wrong("there is nothing to look for", "", node.at);
    term.key = TermKey::Text;
    term.names = {node.word};
    term.patterns = {BytePattern::ofText(node.word)};
    term.shown = "“" + node.word + "”";
    return term;
  }
  // A bus that is called after its protocol is that one bus.
  const bool busToo = std::find(buses.begin(), buses.end(), node.word) != buses.end();
  for (const WordSpec& spec : wordSpecs()) {
    if (spec.word == node.word && !(busToo && spec.term.key == TermKey::Protocol))
      return spec.term;
  }
  // Bus names are as their user wrote them; words are compared in lower case.
  for (const std::string& bus : buses) {
    std::string lower = bus;
    std::transform(lower.begin(), lower.end(), lower.begin(),
                   [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
    if (lower == node.word) {
      term.key = TermKey::Bus;
      term.names = {bus};
      term.shown = bus;
      return term;
    }
  }
  if (numberOf(node.word, 16))
    return wrong(fmt::format("'{}' alone could be anything", node.word),
                 fmt::format("write id:{0}, address:{0} or data:{0}", node.word), node.at);
  std::vector<std::string> known = buses;
  for (const WordSpec& spec : wordSpecs())
    known.push_back(spec.word);
  for (const KeySpec& spec : keySpecs()) {
    if (spec.help.key == node.word)
      return wrong(fmt::format("'{}' needs a value", node.word), "write " + spec.help.example, node.at);
  }
  const std::string near = nearest(node.word, known);
  return wrong(fmt::format("'{}' is no word of a filter", node.word),
               near.empty() ? fmt::format("for letters in the payload write \"{}\"", node.word)
                            : fmt::format("did you mean {}", near),
               node.at);
}

std::string phraseOf(const Term& term)
{
  for (const WordSpec& word : wordSpecs()) {
    if (word.term == term)
      return word.phrase;
  }
  for (const KeySpec& spec : keySpecs()) {
    if (spec.key != term.key)
      continue;
    const std::string number = term.key == TermKey::Byte ? fmt::format(" {}", term.byte) : "";
    return fmt::format("{}{} {}", spec.phrase, number, term.shown);
  }
  return "";
}

}  // namespace bexto
