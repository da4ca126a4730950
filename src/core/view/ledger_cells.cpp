// Tested by tests/core/ledger_test.cpp.
#include "core/view/ledger_cells.h"

#include <fmt/core.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>

#include "core/decode/can.h"
#include "core/decode/i2c.h"
#include "core/decode/uart.h"
#include "core/query/complete.h"
#include "core/view/line_payload.h"
#include "core/view/sentence.h"
#include "core/view/value_text.h"

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

Frame firstFrame(const LedgerCellContext& c)
{
  return transactionsOf(c).frames().frame(transactionsOf(c).framesOf(c.number).first);
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

std::string addressOf(const Bus& bus, const Frame& frame, ValueFormat format)
{
  if (bus.protocol() == Protocol::I2c) {
    const I2cTransfer t = i2cTransfer(frame);
    return t.hasAddress ? addressText(t.address, t.tenBit ? 10 : 7, format) : "";
  }
  if (bus.protocol() != Protocol::Can)
    return "";
  const CanHead head = canHead(frame);
  return head.hasId ? addressText(head.id, head.extended ? 29 : 11, format) : "";
}

std::string kindOf(const Bus& bus, const Frame& frame)
{
  switch (frame.kind) {
    case FrameKind::Character:
      return "characters";
    case FrameKind::Break:
      return "break";
    case FrameKind::Word:
      return "word";
    case FrameKind::Remote:
      return "remote";
    case FrameKind::Error:
      return "error frame";
    case FrameKind::Overload:
      return "overload frame";
    case FrameKind::Data: {
      const CanFrame can = canFrame(frame);
      return can.hasFormat && can.fd ? "FD data" : "data";
    }
    case FrameKind::Transfer:
      break;
  }
  if (bus.protocol() != Protocol::I2c)
    return "transfer";
  const I2cTransfer t = i2cTransfer(frame);
  return !t.hasAddress ? "no address" : t.read ? "read" : "write";
}

LedgerCell ofTime(Picoseconds t)
{
  return {exactSeconds(t), toSeconds(t), t};
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

const std::array<LedgerColumnSpec, kLedgerColumns>& ledgerColumns()
{
  static const std::array<LedgerColumnSpec, kLedgerColumns> kColumns{{
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
  }};
  return kColumns;
}

const LedgerColumnSpec& specOf(LedgerColumn column)
{
  return ledgerColumns().at(static_cast<std::size_t>(column));
}

bool appliesTo(LedgerColumn column, Protocol protocol)
{
  return column != LedgerColumn::Address || protocol == Protocol::I2c || protocol == Protocol::Can;
}

LedgerCell cellOf(LedgerColumn column, const LedgerCellContext& c, std::size_t mostValues)
{
  const Bus& bus = c.source->bus;
  const Transactions& transactions = transactionsOf(c);
  switch (column) {
    case LedgerColumn::Number:
      return {fmt::format("{}", c.row + 1), static_cast<double>(c.row + 1), {}};
    case LedgerColumn::Time:
      return ofTime(transactions.beginOf(c.number) - c.zero);
    case LedgerColumn::SincePrevious:
      return c.before ? ofTime(transactions.beginOf(c.number) - *c.before) : LedgerCell{};
    case LedgerColumn::Bus:
      return {c.source->name(), {}, {}};
    case LedgerColumn::Transaction:
      return {sentenceOf(bus, transactions, c.number, mostValues).text(), {}, {}};
    case LedgerColumn::Address:
      return {fmt::format("{}",
                          fmt::join(eachOnce(c, [&](const Frame& f) { return addressOf(bus, f, bus.format); }), " · ")),
              {},
              {}};
    case LedgerColumn::Kind:
      return {fmt::format("{}", fmt::join(eachOnce(c, [&](const Frame& f) { return kindOf(bus, f); }), " · ")), {}, {}};
    case LedgerColumn::Payload:
      return {payloadText(c, mostValues, false), {}, {}};
    case LedgerColumn::Text:
      return {payloadText(c, mostValues, true), {}, {}};
    case LedgerColumn::Size: {
      const std::uint64_t bytes = LinePayloads(bus, transactions, c.number).byteCount();
      return {fmt::format("{}", bytes), static_cast<double>(bytes), {}};
    }
    case LedgerColumn::Faults:
      return {fmt::format("{}", fmt::join(errorWords(transactions.errorsOf(c.number)), " ")), {}, {}};
    case LedgerColumn::Duration:
      return ofTime(transactions.timeOf(c.number).length());
  }
  return {};
}

std::string termOf(LedgerColumn column, const LedgerCellContext& c)
{
  const Bus& bus = c.source->bus;
  const Transactions& transactions = transactionsOf(c);
  const bool i2c = bus.protocol() == Protocol::I2c;
  switch (column) {
    case LedgerColumn::Bus:
      return "bus:" + quotedForQuery(bus.name) + (c.source->severalLines ? " line:" + c.source->line : "");
    case LedgerColumn::Address:
    case LedgerColumn::Transaction: {
      const auto said = eachOnce(c, [&](const Frame& f) { return addressOf(bus, f, ValueFormat::Hex); });
      if (!said.empty())
        return fmt::format("{}:{}", i2c ? "address" : "id", fmt::join(said, ","));
      if (column == LedgerColumn::Address)
        return "";
      return termOf(firstFrame(c).kind == FrameKind::Error || firstFrame(c).kind == FrameKind::Overload ||
                            firstFrame(c).kind == FrameKind::Break
                        ? LedgerColumn::Kind
                        : LedgerColumn::Payload,
                    c);
    }
    case LedgerColumn::Kind: {
      const Frame frame = firstFrame(c);
      static constexpr std::array<const char*, 8> kKinds{"character", "break",  "transfer", "word",
                                                         "data",      "remote", "error",    "overload"};
      if (i2c)
        return fmt::format(
            "{}",
            fmt::join(eachOnce(c, [&](const Frame& f) { return i2cTransfer(f).hasAddress ? kindOf(bus, f) : ""; }),
                      " "));
      return fmt::format("kind:{}", kKinds.at(static_cast<std::size_t>(frame.kind)));
    }
    case LedgerColumn::Payload:
    case LedgerColumn::Text: {
      const LinePayloads payloads(bus, transactions, c.number);
      std::string term;
      for (const LinePayloads::Run& run : payloads.runs()) {
        if (run.bytes.empty())
          continue;
        const bool whole = run.bytes.size() <= kMostBytesOfATerm;
        const char* const key = run.label == "MOSI" ? "mosi" : run.label == "MISO" ? "miso" : "data";
        term += fmt::format("{}{}:\"|{}{}\"", term.empty() ? "" : " ", key,
                            hexRow(run.bytes.first(std::min(kMostBytesOfATerm, run.bytes.size()))), whole ? "|" : "");
      }
      return term;
    }
    case LedgerColumn::Size: {
      const LinePayloads payloads(bus, transactions, c.number);
      return payloads.runs().empty() ? "" : fmt::format("length:{}", payloads.runs().front().bytes.size());
    }
    case LedgerColumn::Faults: {
      const auto words = errorWords(transactions.errorsOf(c.number));
      return words.empty() ? "" : fmt::format("error:{}", fmt::join(words, ","));
    }
    case LedgerColumn::Time:
    case LedgerColumn::Number:
      break;  // only this one line would answer
    case LedgerColumn::Duration:
      return fmt::format("lasts>={}ps", transactions.timeOf(c.number).length().count());
    case LedgerColumn::SincePrevious:
      return c.before
                 ? fmt::format(
                       "pause>={}ps",
                       std::max<std::int64_t>(
                           0, c.number == 0
                                  ? 0
                                  : (transactions.beginOf(c.number) - transactions.timeOf(c.number - 1).end).count()))
                 : "";
  }
  return "";
}

std::string termOfDetail(const LedgerCellContext& c, std::uint64_t detail)
{
  const Bus& bus = c.source->bus;
  const Detail d = detailAt(bus, transactionsOf(c), c.number, detail);
  const Frame frame = transactionsOf(c).frames().frame(d.frame);
  switch (bus.protocol()) {
    case Protocol::Uart:
      return (frame.flags & kUartHasValue) != 0 ? fmt::format("value:{:02X}", frame.key) : "break";
    case Protocol::I2c: {
      const I2cTransfer t = i2cTransfer(frame);
      if (d.role == Role::Address)
        return t.hasAddress ? fmt::format("address:{} {}", addressText(t.address, t.tenBit ? 10 : 7, ValueFormat::Hex),
                                          t.read ? "read" : "write")
                            : "incomplete";
      return fmt::format("byte{}:{:02X}", d.field, t.data[d.field]);
    }
    case Protocol::Can: {
      if (d.role == Role::Data)
        return fmt::format("byte{}:{:02X}", d.field, canFrame(frame).data[d.field]);
      if (frame.kind == FrameKind::Error || frame.kind == FrameKind::Overload)
        return termOf(LedgerColumn::Kind, c);
      const CanFrame can = canFrame(frame);
      if (d.role == Role::Length)
        return fmt::format("dlc:{}", can.dlc);
      if (d.role == Role::Check)
        return fmt::format("crc:{:X}", can.crc);
      if (d.role == Role::Acknowledge)
        return can.ack ? "ack" : "nack";
      if (d.role == Role::Control)
        return can.fd ? "fd" : "classic";
      return termOf(LedgerColumn::Address, c);
    }
    case Protocol::Spi: {
      const LinePayloads payloads(bus, transactionsOf(c), c.number);
      const auto& runs = payloads.runs();
      return !runs.empty() && d.field < runs.front().bytes.size() && std::get<SpiSettings>(bus.settings).bits <= 8
                 ? fmt::format("byte{}:{:02X}", d.field, runs.front().bytes[d.field])
                 : "";
    }
  }
  return "";
}

std::string exactSeconds(Picoseconds t)
{
  const std::int64_t n = t.count();
  return fmt::format("{}{}.{:012}", n < 0 ? "-" : "", std::abs(n / 1000000000000), std::abs(n % 1000000000000));
}

}  // namespace bexto
