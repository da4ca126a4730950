#include "core/view/sentence.h"

#include <fmt/core.h>

#include <array>

#include "core/base/number_text.h"
#include "core/base/time_text.h"
#include "core/decode/i2c.h"
#include "core/decode/uart.h"
#include "core/view/value_text.h"

namespace bexto {

namespace {

class Writer {
 public:
  void add(Tone tone, std::string text)
  {
    if (!m_sentence.parts.empty() && m_sentence.parts.back().tone == tone)
      m_sentence.parts.back().text += text;
    else
      m_sentence.parts.push_back({tone, std::move(text)});
  }
  bool empty() const { return m_sentence.parts.empty(); }
  Sentence take() { return std::move(m_sentence); }

 private:
  Sentence m_sentence;
};

std::string rowOfValues(std::span<const std::uint8_t> bytes, ValueFormat format, std::size_t most)
{
  std::string row;
  for (std::size_t i = 0; i < std::min(bytes.size(), most); ++i)
    row += (i == 0 ? "" : valueSeparator(format)) + valueText(bytes[i], 8, format);
  if (bytes.size() > most)
    row += fmt::format(" … {} bytes", countText(bytes.size()));
  return row;
}

std::string i2cAddress(const I2cTransfer& t, ValueFormat format)
{
  return addressText(t.address, t.tenBit ? 10 : 7, format);
}

Sentence i2cSentence(const Bus& bus, const Transactions& transactions, FrameRange range, std::size_t most)
{
  constexpr std::uint64_t kMostTransfers = 16;
  Writer out;
  std::uint16_t errors = 0;
  std::uint32_t address = ~0U;
  for (std::uint64_t i = range.first; i < std::min(range.end, range.first + kMostTransfers); ++i) {
    const Frame frame = transactions.frames().frame(i);
    const I2cTransfer t = i2cTransfer(frame);
    errors |= frame.errors;
    if (!out.empty())
      out.add(Tone::Plain, " · ");
    if (!t.hasAddress) {
      out.add(Tone::Plain, "no address");
      continue;
    }
    const std::uint32_t full = t.address | (t.tenBit ? 0x10000U : 0U);
    if (full != address)
      out.add(Tone::Address, i2cAddress(t, bus.format) + " ");
    address = full;
    out.add(Tone::Plain, t.read ? "read" : "write");
    if (!t.addressAck) {
      out.add(Tone::Plain, ", ");
      out.add(Tone::Fault, "no answer");
    }
    if (!t.data.empty()) {
      out.add(Tone::Plain, " ");
      out.add(Tone::Payload, rowOfValues(t.data, bus.format, most));
    }
  }
  if (range.count() > kMostTransfers)
    out.add(Tone::Plain, fmt::format(" … {} transfers", countText(range.count())));
  errors = static_cast<std::uint16_t>(errors & ~errorBit(FrameError::Nack));
  if (errors != 0) {
    out.add(Tone::Plain, " · ");
    out.add(Tone::Fault, faultText(errors));
  }
  return out.take();
}

Sentence uartSentence(const Bus& bus, const Transactions& transactions, FrameRange range, std::size_t most)
{
  const int bits = std::get<UartSettings>(bus.settings).bits;
  Writer out;
  std::uint16_t errors = 0;
  const std::size_t limit = bus.format == ValueFormat::Text ? most * 3 : most;
  for (std::uint64_t i = range.first; i < range.end; ++i) {
    const Frame frame = transactions.frames().frame(i);
    errors |= frame.errors;
    if (i - range.first >= limit) {
      out.add(Tone::Plain, fmt::format(" … {} characters", countText(range.count())));
      break;
    }
    if (frame.kind == FrameKind::Break) {
      out.add(Tone::Plain, fmt::format("break, {} low", lengthText(frame.time.length())));
    } else if ((frame.flags & kUartHasValue) == 0) {
      out.add(Tone::Fault, "…");
    } else {
      if (!out.empty())
        out.add(Tone::Payload, valueSeparator(bus.format));
      const bool wrong = frame.errors != 0;
      out.add(wrong ? Tone::Fault : Tone::Payload, valueText(frame.key, bits, bus.format));
    }
  }
  if (errors != 0) {
    out.add(Tone::Plain, " · ");
    out.add(Tone::Fault, faultText(errors));
  }
  return out.take();
}

std::uint64_t i2cDetails(const Frame& frame)
{
  return 1 + i2cTransfer(frame).data.size();
}

Detail i2cDetail(const Bus& bus, const Frame& frame, std::uint64_t number, std::size_t byte)
{
  const I2cTransfer t = i2cTransfer(frame);
  const std::uint16_t shape = frame.errors & ~errorBit(FrameError::Nack);
  const bool last = byte == t.data.size();
  Detail d;
  d.frame = number;
  d.field = byte;
  if (byte == 0) {
    d.role = Role::Address;
    d.name = "address";
    if (!t.hasAddress) {
      d.value = "–";
      d.meaning = "cut before it was whole";
      d.wrong = true;
      return d;
    }
    d.value = i2cAddress(t, bus.format);
    d.meaning = fmt::format("{}, {}", t.read ? "read" : "write", t.addressAck ? "acknowledged" : "no answer");
    d.wrong = !t.addressAck;
  } else {
    d.name = fmt::format("data {}", byte);
    d.value = valueText(t.data[byte - 1], 8, bus.format);
    // The reader of the last byte says "no more" by not acknowledging it: nothing is wrong.
    d.meaning = t.ackOf(byte - 1) ? "acknowledged" : t.read && last ? "last, not acknowledged" : "not acknowledged";
  }
  if (last && shape != 0) {
    d.meaning += "; then " + faultText(shape);
    d.wrong = true;
  }
  return d;
}

Detail uartDetail(const Bus& bus, const Frame& frame, std::uint64_t number)
{
  const int bits = std::get<UartSettings>(bus.settings).bits;
  Detail d;
  d.frame = number;
  d.wrong = frame.errors != 0;
  d.name = frame.kind == FrameKind::Break ? "break" : "character";
  if (frame.kind == FrameKind::Break)
    d.value = lengthText(frame.time.length());
  else
    d.value = (frame.flags & kUartHasValue) != 0 ? valueText(frame.key, bits, bus.format) : "–";
  if (d.wrong)
    d.meaning = faultText(frame.errors);
  else if (frame.kind == FrameKind::Character)
    d.meaning = valueText(frame.key, bits, bus.format == ValueFormat::Text ? ValueFormat::Hex : ValueFormat::Text);
  return d;
}

}  // namespace

std::string Sentence::text() const
{
  std::string all;
  for (const SentencePart& part : parts)
    all += part.text;
  return all;
}

Sentence sentenceOf(const Bus& bus, const Transactions& transactions, std::uint64_t number, std::size_t mostValues)
{
  const FrameRange range = transactions.framesOf(number);
  return bus.protocol() == Protocol::I2c ? i2cSentence(bus, transactions, range, mostValues)
                                         : uartSentence(bus, transactions, range, mostValues);
}

std::uint64_t detailCount(const Bus& bus, const Transactions& transactions, std::uint64_t number)
{
  const FrameRange range = transactions.framesOf(number);
  if (bus.protocol() == Protocol::Uart)
    return range.count();
  std::uint64_t count = 0;
  for (std::uint64_t i = range.first; i < range.end; ++i)
    count += i2cDetails(transactions.frames().frame(i));
  return count;
}

Detail detailAt(const Bus& bus, const Transactions& transactions, std::uint64_t number, std::uint64_t index)
{
  const FrameRange range = transactions.framesOf(number);
  if (bus.protocol() == Protocol::Uart)
    return uartDetail(bus, transactions.frames().frame(range.first + index), range.first + index);
  std::uint64_t i = range.first;
  while (i + 1 < range.end && index >= i2cDetails(transactions.frames().frame(i)))
    index -= i2cDetails(transactions.frames().frame(i++));
  return i2cDetail(bus, transactions.frames().frame(i), i, static_cast<std::size_t>(index));
}

std::string faultText(std::uint16_t errors)
{
  static constexpr std::array<const char*, 5> kTexts{"parity is wrong", "stop bit is low", "cut short", "no answer",
                                                     "START or STOP inside a byte"};
  std::string text;
  for (std::size_t i = 0; i < kTexts.size(); ++i) {
    if ((errors >> i & 1U) != 0)
      text += (text.empty() ? "" : ", ") + std::string(kTexts.at(i));
  }
  return text;
}

}  // namespace bexto
