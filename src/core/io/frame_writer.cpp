#include "core/io/frame_writer.h"

#include <fmt/core.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <array>
#include <nlohmann/json.hpp>

#include "core/base/time_text.h"
#include "core/decode/can.h"
#include "core/decode/i2c.h"
#include "core/decode/settings.h"
#include "core/decode/spi.h"
#include "core/decode/uart.h"
#include "core/io/csv.h"

namespace bexto {

namespace {

const char* kindName(FrameKind kind)
{
  switch (kind) {
    case FrameKind::Character:
      return "character";
    case FrameKind::Break:
      return "break";
    case FrameKind::Transfer:
      return "transfer";
    case FrameKind::Word:
      return "word";
    case FrameKind::Data:
      return "data";
    case FrameKind::Remote:
      return "remote";
    case FrameKind::Error:
      return "error";
    case FrameKind::Overload:
      return "overload";
  }
  return "";
}

std::string hexOf(std::span<const std::uint8_t> bytes)
{
  static constexpr char kDigits[] = "0123456789abcdef";
  std::string hex;
  hex.reserve(bytes.size() * 2);
  for (const std::uint8_t b : bytes) {
    hex += kDigits[b >> 4U];
    hex += kDigits[b & 15U];
  }
  return hex;
}

std::string acksOf(const I2cTransfer& transfer)
{
  std::string acks;
  for (std::size_t i = 0; i < transfer.data.size(); ++i)
    acks += transfer.ackOf(i) ? '1' : '0';
  return acks;
}

const char* endName(I2cEnd end)
{
  switch (end) {
    case I2cEnd::Stop:
      return "stop";
    case I2cEnd::Restart:
      return "restart";
    case I2cEnd::None:
      return "none";
  }
  return "";
}

template <typename Visitor>
void describeUart(const UartSettings& uart, const Frame& frame, const FrameOrigin& origin, Visitor& to)
{
  to.text("line", origin.line);
  if ((frame.flags & kUartHasValue) != 0)
    to.integer("value", frame.key);
  if (frame.kind == FrameKind::Character)
    to.integer("bits", uart.bits);
}

template <typename Visitor>
void describeI2c(const Frame& frame, Visitor& to)
{
  const I2cTransfer transfer = i2cTransfer(frame);
  if (transfer.hasAddress) {
    to.integer("address", transfer.address);
    to.integer("address_bits", transfer.tenBit ? 10 : 7);
    to.text("direction", transfer.read ? "read" : "write");
    to.flag("address_ack", transfer.addressAck);
    to.text("data", hexOf(transfer.data));
    to.text("acks", acksOf(transfer));
  }
  to.text("end", endName(transfer.end));
}

template <typename Visitor>
void describeSpi(const Bus& bus, const Frame& frame, Visitor& to)
{
  const SpiTransfer transfer = spiTransfer(bus, frame);
  if (transfer.hasMosi)
    to.text("mosi", hexOf(transfer.mosi));
  if (transfer.hasMiso)
    to.text("miso", hexOf(transfer.miso));
  to.integer("word_bits", std::get<SpiSettings>(bus.settings).bits);
  to.integer("words", static_cast<std::int64_t>(transfer.words));
}

template <typename Visitor>
void describeCan(const Frame& frame, Visitor& to)
{
  if (frame.kind != FrameKind::Data && frame.kind != FrameKind::Remote)
    return;
  const CanFrame can = canFrame(frame);
  if (can.hasId)
    to.integer("id", can.id);
  if (can.hasExtended)
    to.flag("extended", can.extended);
  if (can.hasFormat)
    to.text("format", can.fd ? "fd" : "classic");
  if (can.hasDlc)
    to.integer("dlc", can.dlc);
  if (can.hasBrs)
    to.flag("brs", can.brs);
  if (can.hasEsi)
    to.flag("esi", can.esi);
  if (can.hasDlc && frame.kind == FrameKind::Data)
    to.text("data", hexOf(can.data));
  if (can.hasCrc)
    to.integer("crc", can.crc);
  if (can.hasAck)
    to.flag("ack", can.ack);
}

/// Names every key of a frame, in order, to a visitor: the formats differ only in what they do with it.
template <typename Visitor>
void describe(const Frame& frame, const FrameOrigin& origin, Visitor& to)
{
  to.text("bus", origin.bus->name);
  to.text("protocol", specOf(origin.bus->protocol()).name);
  to.text("kind", kindName(frame.kind));
  to.integer("start_ps", frame.time.begin.count());
  to.integer("end_ps", frame.time.end.count());
  to.words("errors", errorWords(frame.errors));
  switch (origin.bus->protocol()) {
    case Protocol::Uart:
      describeUart(std::get<UartSettings>(origin.bus->settings), frame, origin, to);
      break;
    case Protocol::I2c:
      describeI2c(frame, to);
      break;
    case Protocol::Spi:
      describeSpi(*origin.bus, frame, to);
      break;
    case Protocol::Can:
      describeCan(frame, to);
      break;
  }
}

/// Bus names come from the user and may hold anything; all other texts are our own words.
class JsonVisitor {
 public:
  void text(const char* key, const std::string& value)
  {
    const bool plain = std::all_of(value.begin(), value.end(), [](char c) {
      return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9') || c == '-' || c == '_';
    });
    using nlohmann::json;
    put(key, plain ? '"' + value + '"' : json(value).dump(-1, ' ', false, json::error_handler_t::replace));
  }
  void integer(const char* key, std::int64_t value) { put(key, fmt::format_int(value).str()); }
  void flag(const char* key, bool value) { put(key, value ? "true" : "false"); }
  void words(const char* key, const std::vector<std::string_view>& words)
  {
    put(key, words.empty() ? "[]" : fmt::format("[\"{}\"]", fmt::join(words, "\",\"")));
  }
  std::string record() && { return std::move(m_record) + "}\n"; }

 private:
  void put(const char* key, const std::string& value)
  {
    m_record += m_record.empty() ? "{\"" : ",\"";
    m_record += key;
    m_record += "\":";
    m_record += value;
  }
  std::string m_record;
};

constexpr std::array<const char*, 28> kCsvColumns{
    "bus",          "protocol",  "kind",        "start_ps", "end_ps", "errors", "line", "value", "bits",      "address",
    "address_bits", "direction", "address_ack", "data",     "acks",   "end",    "mosi", "miso",  "word_bits", "words",
    "id",           "extended",  "format",      "dlc",      "brs",    "esi",    "crc",  "ack"};

class CsvVisitor {
 public:
  void text(const std::string& key, const std::string& value)
  {
    const auto* column = std::find(kCsvColumns.begin(), kCsvColumns.end(), key);
    m_fields.at(static_cast<std::size_t>(column - kCsvColumns.begin())) = value;
  }
  void integer(const char* key, std::int64_t value) { text(key, std::to_string(value)); }
  void flag(const char* key, bool value) { text(key, value ? "true" : "false"); }
  void words(const char* key, const std::vector<std::string_view>& words)
  {
    text(key, fmt::format("{}", fmt::join(words, " ")));
  }
  std::string record() const { return csvRecord(m_fields); }

 private:
  std::vector<std::string> m_fields = std::vector<std::string>(kCsvColumns.size());
};

/// For people: time, bus, and the rest as words.
class TextVisitor {
 public:
  void text(const std::string& key, const std::string& value)
  {
    if (key == "bus")
      m_bus = value;
    else if (key == "mosi" || key == "miso")
      word(key + " " + (value.empty() ? "–" : value));
    else if (key != "protocol" && key != "acks" && value != "classic")
      word(value.empty() ? "–" : value);
  }
  void integer(const std::string& key, std::int64_t value)
  {
    if (key == "start_ps")
      m_begin = Picoseconds{value};
    else if (key == "end_ps")
      m_length = Picoseconds{value} - m_begin;
    else if (key == "value")
      word(fmt::format("{:#04x}{}", value, value >= 0x20 && value < 0x7f ? fmt::format(" '{:c}'", value) : ""));
    else if (key == "address")
      word(fmt::format("{:#04x}", value));
    else if (key == "id")
      m_id = value;
    else if (key == "dlc")
      word(fmt::format("[{}]", value));
  }
  void flag(const std::string& key, bool value)
  {
    if (key == "extended")
      word(m_id < 0 ? (value ? "extended" : "") : fmt::format("{:0{}X}", m_id, value ? 8 : 3));
    else if (key == "brs" || key == "esi")
      word(value ? key : "");
    else
      word(value ? "ack" : "no-ack");
  }
  void words(const char* /*key*/, const std::vector<std::string_view>& words)
  {
    if (!words.empty())
      m_errors = fmt::format("  ! {}", fmt::join(words, ", "));
  }
  std::string record() const
  {
    return fmt::format("{:>22} s  {:>10}  {:<10}  {}{}\n", momentText(m_begin, 12), lengthText(m_length), m_bus, m_rest,
                       m_errors);
  }

 private:
  void word(const std::string& what)
  {
    if (!what.empty())
      m_rest += (m_rest.empty() ? "" : "  ") + what;
  }

  Picoseconds m_begin{0};
  Picoseconds m_length{0};
  std::int64_t m_id = -1;
  std::string m_bus;
  std::string m_rest;
  std::string m_errors;
};

}  // namespace

std::string frameHeader(FrameFormat format)
{
  return format == FrameFormat::Csv ? csvRecord({kCsvColumns.begin(), kCsvColumns.end()}) : std::string();
}

std::string frameRecord(const Frame& frame, const FrameOrigin& origin, FrameFormat format)
{
  if (format == FrameFormat::Jsonl) {
    JsonVisitor json;
    describe(frame, origin, json);
    return std::move(json).record();
  }
  if (format == FrameFormat::Csv) {
    CsvVisitor csv;
    describe(frame, origin, csv);
    return csv.record();
  }
  TextVisitor text;
  describe(frame, origin, text);
  return text.record();
}

}  // namespace bexto
