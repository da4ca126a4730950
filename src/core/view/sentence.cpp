#include "core/view/sentence.h"

#include <fmt/core.h>

#include <algorithm>

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
  /// What is wrong leads the sentence: the end of a long one is cut off where room is short.
  Sentence takeWithFaults(const std::string& faults)
  {
    if (!faults.empty() && !m_sentence.parts.empty()) {
      const std::array<SentencePart, 2> lead{{{Tone::Fault, faults}, {Tone::Plain, " · "}}};
      m_sentence.parts.insert(m_sentence.parts.begin(), lead.begin(), lead.end());
    }
    return std::move(m_sentence);
  }

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

/// What is wrong besides a missing answer, which the sentence says at its place.
void addOtherFault(Frame frame, std::vector<std::string>& faults)
{
  frame.errors = static_cast<std::uint16_t>(frame.errors & ~errorBit(FrameError::Nack));
  const std::string text = faultText(frame);
  if (!text.empty() && std::find(faults.begin(), faults.end(), text) == faults.end())
    faults.push_back(text);
}

Sentence i2cSentence(const Bus& bus, const Transactions& transactions, FrameRange range, std::size_t most)
{
  constexpr std::uint64_t kMostTransfers = 16;
  Writer out;
  std::vector<std::string> faults;
  std::uint32_t address = ~0U;
  for (std::uint64_t i = range.first; i < std::min(range.end, range.first + kMostTransfers); ++i) {
    const Frame frame = transactions.frames().frame(i);
    const I2cTransfer t = i2cTransfer(frame);
    if (!out.empty())
      out.add(Tone::Plain, " · ");
    addOtherFault(frame, faults);
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
  std::string all;
  for (const std::string& fault : faults)
    all += (all.empty() ? "" : ", ") + fault;
  return out.takeWithFaults(all);
}

Sentence uartSentence(const Bus& bus, const Transactions& transactions, std::uint64_t number, std::size_t most)
{
  const FrameRange range = transactions.framesOf(number);
  const int bits = std::get<UartSettings>(bus.settings).bits;
  Writer out;
  const std::size_t limit = bus.format == ValueFormat::Text ? most * 3 : most;
  for (std::uint64_t i = range.first; i < range.end; ++i) {
    const Frame frame = transactions.frames().frame(i);
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
  return out.takeWithFaults(faultText(transactions, number));
}

std::uint64_t i2cDetails(const Frame& frame)
{
  return 1 + i2cTransfer(frame).data.size();
}

Detail i2cDetail(const Bus& bus, const Frame& frame, std::uint64_t number, std::size_t byte)
{
  const I2cTransfer t = i2cTransfer(frame);
  std::vector<std::string> faults;
  addOtherFault(frame, faults);
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
    d.meaning = fmt::format("{}, {}", t.read ? "read" : "write", t.addressAck ? "acked" : "no answer");
    d.wrong = !t.addressAck;
  } else {
    d.name = fmt::format("data {}", byte);
    d.value = valueText(t.data[byte - 1], 8, bus.format);
    // The reader of the last byte says "no more" by not acknowledging it: nothing is wrong.
    d.meaning = t.ackOf(byte - 1) ? "acked" : t.read && last ? "last, not acked" : "not acked";
  }
  if (last && !faults.empty()) {
    d.meaning += "; then " + faults.front();
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
    d.value = (frame.flags & kUartHasValue) != 0 ? loneValueText(frame.key, bits, bus.format) : "–";
  if (d.wrong)
    d.meaning = faultText(frame);
  else if (frame.kind == FrameKind::Character)
    d.meaning = loneValueText(frame.key, bits, bus.format == ValueFormat::Text ? ValueFormat::Hex : ValueFormat::Text);
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
                                         : uartSentence(bus, transactions, number, mostValues);
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

std::string faultText(const Frame& frame)
{
  std::string text;
  const auto add = [&text](const char* words) { text += (text.empty() ? "" : ", ") + std::string(words); };
  if (hasError(frame.errors, FrameError::Parity))
    add("parity is wrong");
  if (hasError(frame.errors, FrameError::Framing))
    add("stop bit is low");
  const bool stops = frame.kind == FrameKind::Transfer && i2cTransfer(frame).end == I2cEnd::Stop;
  if (hasError(frame.errors, FrameError::UnexpectedStart))
    add(stops ? "STOP inside a byte" : "START inside a byte");
  else if (hasError(frame.errors, FrameError::Incomplete))
    add(stops ? "STOP right after START" : "cut by the capture's end");
  if (hasError(frame.errors, FrameError::Nack))
    add("no answer");
  return text;
}

std::string faultText(const Transactions& transactions, std::uint64_t number)
{
  const FrameRange range = transactions.framesOf(number);
  std::vector<std::string> seen;
  std::string text;
  for (std::uint64_t i = range.first; i < range.end; ++i) {
    const std::string one = faultText(transactions.frames().frame(i));
    if (one.empty() || std::find(seen.begin(), seen.end(), one) != seen.end())
      continue;
    text += (text.empty() ? "" : ", ") + one;
    seen.push_back(one);
  }
  return text;
}

}  // namespace bexto
