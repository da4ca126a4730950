// Tested by tests/core/ledger_test.cpp.
#include "core/view/ledger_cells.h"

#include <fmt/core.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>

#include "core/decode/protocol.h"
#include "core/decode/sentence.h"
#include "core/query/complete.h"
#include "core/query/term.h"
#include "core/view/line_payload.h"

namespace bexto {

namespace {

/// The whole of what was said would make terms and cells that nobody reads.
constexpr std::size_t kMostBytesOfATerm = 64;

std::string hexRow(std::span<const std::uint8_t> bytes)
{
  return fmt::format("{:02X}", fmt::join(bytes, " "));
}

const Transactions& transactionsOf(const LedgerCellContext& c)
{
  return c.source->transactions;
}

void addOnce(std::vector<std::string>& list, std::string text)
{
  if (!text.empty() && std::find(list.begin(), list.end(), text) == list.end())
    list.push_back(std::move(text));
}

/// Of each frame what `say` says, each once, in order.
template <typename Say>
std::vector<std::string> eachOnce(const LedgerCellContext& c, const Say& say)
{
  constexpr std::uint64_t kMost = 64;
  std::vector<std::string> said;
  const FrameRange range = transactionsOf(c).framesOf(c.number);
  for (std::uint64_t i = range.first; i < std::min(range.end, range.first + kMost); ++i)
    addOnce(said, say(transactionsOf(c).frames().frame(i)));
  return said;
}

FrameContext contextOf(const LedgerCellContext& c, const Frame& frame)
{
  return {c.source->bus, frame, c.source->line};
}

/// The property that says whom or what frames of a protocol are about; nullptr when there is none.
const Property* nameOf(const Protocol& protocol)
{
  for (const Property& p : protocol.facts().properties) {
    if (p.isName)
      return &p;
  }
  return nullptr;
}

/// What a property is in a transaction: of each frame, each once.
std::vector<std::string> valuesOf(const LedgerCellContext& c, const Property* property)
{
  if (property == nullptr)
    return {};
  return eachOnce(c, [&](const Frame& f) { return listText(*property, contextOf(c, f)); });
}

const Property* propertyOf(LedgerColumn column, const Protocol& protocol)
{
  return isProperty(column) ? protocol.property(specOf(column).key) : nullptr;
}

LedgerCell ofTime(Picoseconds t)
{
  return {exactSeconds(t), toSeconds(t), t};
}

LedgerCell ofProperty(const LedgerCellContext& c, const Property* property)
{
  const std::vector<std::string> values = valuesOf(c, property);
  LedgerCell cell{fmt::format("{}", fmt::join(values, " · ")), {}, {}};
  if (property != nullptr && property->sort == Property::Sort::Decimal && values.size() == 1)
    cell.number = std::stod(cell.text);
  return cell;
}

/// "address:2A,52": what a property is in a transaction, as a term.
std::string termOfProperty(const LedgerCellContext& c, const Property* property)
{
  if (property == nullptr)
    return {};
  const auto said = eachOnce(c, [&](const Frame& f) { return termText(*property, contextOf(c, f)); });
  return said.empty() ? "" : fmt::format("{}:{}", property->key, fmt::join(said, ","));
}

std::optional<Meaning::Partner> partnerIn(const LedgerCellContext& c)
{
  const Transactions& t = transactionsOf(c);
  return t.meaning() ? t.meaning()->partnerOf(t.framesOf(c.number)) : std::nullopt;
}

/// "level:98.108", "state:stale".
std::string termOfValue(const ToldValue& value)
{
  const auto& keys = queryKeys();
  const bool isTaken =
      std::any_of(keys.begin(), keys.end(), [&](const TermHelp& help) { return help.key == value.name; });
  std::string text = value.text;
  // Texts stand in quotation marks that are for people.
  constexpr std::string_view kOpening = "“";
  if (text.starts_with(kOpening) && text.size() >= 2 * kOpening.size())
    text = text.substr(kOpening.size(), text.size() - 2 * kOpening.size());
  return (isTaken ? "value." : "") + value.name + ":" + quotedForQuery(text);
}

std::string payloadText(const LedgerCellContext& c, std::size_t most, bool asText)
{
  const LinePayloads payloads(c.source->bus, transactionsOf(c), c.number);
  std::string text;
  std::size_t left = most;
  for (const LinePayloads::Run& run : payloads.runs()) {
    const auto part = run.bytes.first(std::min(left, run.bytes.size()));
    left -= part.size();
    if (!text.empty() && !part.empty())
      text += " · ";
    text += asText ? plainText(part) : hexRow(part);
    if (part.size() < run.bytes.size()) {
      text += " …";
      break;
    }
  }
  return text;
}

}  // namespace

const std::vector<LedgerColumnSpec>& ledgerColumns()
{
  static const std::vector<LedgerColumnSpec> kColumns = [] {
    std::vector<LedgerColumnSpec> columns{
        {LedgerColumn::Number, "number", "number", "Its place in the list, from 1", false},
        {LedgerColumn::Time, "time", "time", "When it begins", true},
        {LedgerColumn::SincePrevious, "since_previous", "since previous", "From the begin of the line before", true},
        {LedgerColumn::Bus, "bus", "bus", "Whose it is", true},
        {LedgerColumn::Transaction, "transaction", "transaction", "What was said", true},
        {LedgerColumn::Address, "address", "address", "Address or identifier", false},
        {LedgerColumn::Kind, "kind", "kind", "Read, write, data, remote …", false},
        {LedgerColumn::Payload, "payload", "payload", "The bytes alone, in hex", false},
        {LedgerColumn::Text, "text", "text", "The bytes as letters", false},
        {LedgerColumn::Size, "bytes", "bytes", "How many bytes it carries", false},
        {LedgerColumn::Faults, "faults", "faults", "What is wrong with it", false},
        {LedgerColumn::Duration, "length", "length", "From its begin to its end", true},
        {LedgerColumn::Answer, "answer", "answer",
         "From a request's end to its answer's begin, where a device sheet says what answers what", false},
    };
    for (const Protocol* protocol : protocols()) {
      for (const Property& p : protocol->facts().properties) {
        const bool known =
            std::any_of(columns.begin(), columns.end(), [&](const LedgerColumnSpec& c) { return c.key == p.key; });
        if (p.hasColumn && !known)
          columns.push_back({static_cast<LedgerColumn>(columns.size()), p.key, p.label, p.help, false});
      }
    }
    return columns;
  }();
  return kColumns;
}

const LedgerColumnSpec& specOf(LedgerColumn column)
{
  return ledgerColumns().at(static_cast<std::size_t>(column));
}

bool appliesTo(LedgerColumn column, const Protocol& protocol)
{
  if (column == LedgerColumn::Address)
    return nameOf(protocol) != nullptr;
  const TalkStyle style = protocol.facts().talkStyle;
  if (column == LedgerColumn::Answer)
    return style == TalkStyle::Named || style == TalkStyle::Characters;
  return !isProperty(column) || propertyOf(column, protocol) != nullptr;
}

LedgerCell cellOf(LedgerColumn column, const LedgerCellContext& c, std::size_t mostValues)
{
  const Bus& bus = c.source->bus;
  const Transactions& transactions = transactionsOf(c);
  switch (column) {
    case LedgerColumn::Number:
      return {fmt::format("{}", c.row + 1), static_cast<double>(c.row + 1), {}};
    case LedgerColumn::Time:
      return ofTime(c.source->beginOf(c.number) - c.zero);
    case LedgerColumn::SincePrevious:
      return c.before ? ofTime(c.source->beginOf(c.number) - *c.before) : LedgerCell{};
    case LedgerColumn::Bus:
      return {c.source->name(), {}, {}};
    case LedgerColumn::Transaction:
      return {sentenceOf(bus, transactions, c.number, mostValues).text(), {}, {}};
    case LedgerColumn::Address:
      return {ofProperty(c, nameOf(bus.protocol())).text, {}, {}};
    case LedgerColumn::Kind:
      return {fmt::format(
                  "{}", fmt::join(eachOnce(c, [&](const Frame& f) { return bus.protocol().kindText(bus, f); }), " · ")),
              {},
              {}};
    case LedgerColumn::Payload:
      return {payloadText(c, mostValues, false), {}, {}};
    case LedgerColumn::Text:
      return {payloadText(c, mostValues, true), {}, {}};
    case LedgerColumn::Size: {
      const std::uint64_t bytes = LinePayloads(bus, transactions, c.number).byteCount();
      return {fmt::format("{}", bytes), static_cast<double>(bytes), {}};
    }
    case LedgerColumn::Faults: {
      const auto errors = bus.protocol().errorWords(transactions.errorsOf(c.number));
      std::vector<std::string> words(errors.begin(), errors.end());
      const FrameRange range = transactions.framesOf(c.number);
      if (transactions.meaning() && transactions.meaning()->isFaulty(range)) {
        for (const Told& told : transactions.meaning()->told(bus, transactions.frames(), range))
          words.insert(words.end(), told.faults.begin(), told.faults.end());
      }
      return {fmt::format("{}", fmt::join(words, " · ")), {}, {}};
    }
    case LedgerColumn::Answer: {
      const auto partner = partnerIn(c);
      if (!partner)
        return {};
      return partner->stream < 0 ? LedgerCell{say("none"), {}, {}} : ofTime(partner->wait);
    }
    case LedgerColumn::Duration:
      return ofTime(transactions.timeOf(c.number).length());
  }
  return ofProperty(c, propertyOf(column, bus.protocol()));
}

std::string termOf(LedgerColumn column, const LedgerCellContext& c)
{
  const Bus& bus = c.source->bus;
  const Transactions& transactions = transactionsOf(c);
  const Protocol& protocol = bus.protocol();
  switch (column) {
    case LedgerColumn::Bus:
      return "bus:" + quotedForQuery(bus.name) + (c.source->severalLines ? " line:" + c.source->line : "");
    case LedgerColumn::Address:
      return termOfProperty(c, nameOf(protocol));
    case LedgerColumn::Transaction: {
      // Whom it is for, else what was said, else what kind of frame it is.
      std::string term = termOfProperty(c, nameOf(protocol));
      if (term.empty())
        term = termOf(LedgerColumn::Payload, c);
      return term.empty() ? termOf(LedgerColumn::Kind, c) : term;
    }
    case LedgerColumn::Kind:
      return fmt::format("{}", fmt::join(eachOnce(c, [&](const Frame& f) { return protocol.kindTerm(bus, f); }), " "));
    case LedgerColumn::Payload:
    case LedgerColumn::Text: {
      const LinePayloads payloads(bus, transactions, c.number);
      std::string term;
      for (const LinePayloads::Run& run : payloads.runs()) {
        if (run.bytes.empty())
          continue;
        const bool whole = run.bytes.size() <= kMostBytesOfATerm;
        const std::string& key = protocol.facts().ways.at(run.way).key;
        term += fmt::format("{}{}:\"|{}{}\"", term.empty() ? "" : " ", key.empty() ? "data" : key,
                            hexRow(run.bytes.first(std::min(kMostBytesOfATerm, run.bytes.size()))), whole ? "|" : "");
      }
      return term;
    }
    case LedgerColumn::Size: {
      const LinePayloads payloads(bus, transactions, c.number);
      return payloads.runs().empty() ? "" : fmt::format("length:{}", payloads.runs().front().bytes.size());
    }
    case LedgerColumn::Faults: {
      const auto words = bus.protocol().errorWords(transactions.errorsOf(c.number));
      if (!words.empty())
        return fmt::format("error:{}", fmt::join(words, ","));
      const auto& meaning = transactions.meaning();
      return meaning && meaning->isFaulty(transactions.framesOf(c.number)) ? "invalid" : "";
    }
    case LedgerColumn::Answer: {
      const auto partner = partnerIn(c);
      if (!partner)
        return "";
      return partner->stream < 0 ? "unanswered" : fmt::format("answer>={}ps", partner->wait.count());
    }
    case LedgerColumn::Time:
    case LedgerColumn::Number:
      return "";  // only this one line would answer
    case LedgerColumn::Duration:
      return fmt::format("lasts>={}ps", transactions.timeOf(c.number).length().count());
    case LedgerColumn::SincePrevious: {
      // A pause is that of the line's own stream, as the language means it; the first has none.
      if (!c.before || c.number == 0)
        return "";
      const Picoseconds pause = transactions.beginOf(c.number) - transactions.timeOf(c.number - 1).end;
      // Frames may overlap.
      return pause < Picoseconds{0} ? "" : fmt::format("pause>={}ps", pause.count());
    }
  }
  return termOfProperty(c, propertyOf(column, protocol));
}

std::string termOfDetail(const LedgerCellContext& c, std::uint64_t detail)
{
  const Bus& bus = c.source->bus;
  // What sheets find comes first.
  if (const auto& meaning = transactionsOf(c).meaning()) {
    std::uint64_t before = 0;
    for (const Told& told : meaning->told(bus, transactionsOf(c).frames(), transactionsOf(c).framesOf(c.number))) {
      if (detail < before + told.values.size())
        return termOfValue(told.values[static_cast<std::size_t>(detail - before)]);
      before += told.values.size();
    }
  }
  const Detail d = detailAt(bus, transactionsOf(c), c.number, detail);
  return bus.protocol().detailTerm(bus, transactionsOf(c).frames().frame(d.frame), d);
}

std::string exactSeconds(Picoseconds t)
{
  const std::int64_t n = t.count();
  return fmt::format("{}{}.{:012}", n < 0 ? "-" : "", std::abs(n / 1000000000000), std::abs(n % 1000000000000));
}

}  // namespace bexto
