#include "core/view/sentence.h"

#include <fmt/core.h>

#include <algorithm>

#include "core/base/number_text.h"
#include "core/decode/i2c.h"
#include "core/view/value_text.h"
#include "core/view/words.h"

namespace bexto {

namespace {

std::uint64_t frameDetails(const Bus& bus, const Frame& frame)
{
  switch (bus.protocol()) {
    case Protocol::Uart:
      return 1;
    case Protocol::I2c:
      return words::i2cDetailCount(frame);
    case Protocol::Spi:
      return words::spiDetailCount(bus, frame);
    case Protocol::Can:
      return words::canDetailCount(frame);
  }
  return 0;
}

Detail frameDetail(const Bus& bus, const Frame& frame, std::uint64_t index)
{
  switch (bus.protocol()) {
    case Protocol::Uart:
      return words::uartDetail(bus, frame);
    case Protocol::I2c:
      return words::i2cDetail(bus, frame, index);
    case Protocol::Spi:
      return words::spiDetail(bus, frame, index);
    case Protocol::Can:
      return words::canDetail(bus, frame, index);
  }
  return {};
}

/// Of SPI a frame can be incomplete in three ways, which the wires tell apart and the frame does not.
const char* cutText(const Bus& bus)
{
  return bus.protocol() == Protocol::Spi ? "cut inside a word or by the capture" : "cut by the capture's end";
}

}  // namespace

namespace words {

std::string rowOfBytes(std::span<const std::uint8_t> bytes, ValueFormat format, std::size_t most)
{
  std::string row;
  for (std::size_t i = 0; i < std::min(bytes.size(), most); ++i)
    row += (i == 0 ? "" : valueSeparator(format)) + valueText(bytes[i], 8, format);
  if (bytes.size() > most)
    row += fmt::format(" … {} bytes", countText(bytes.size()));
  return row;
}

void addFault(const Bus& bus, Frame frame, FrameError saidElsewhere, std::vector<std::string>& faults)
{
  frame.errors = static_cast<std::uint16_t>(frame.errors & ~errorBit(saidElsewhere));
  const std::string text = faultText(bus, frame);
  if (!text.empty() && std::find(faults.begin(), faults.end(), text) == faults.end())
    faults.push_back(text);
}

std::string joined(const std::vector<std::string>& faults)
{
  std::string all;
  for (const std::string& fault : faults)
    all += (all.empty() ? "" : ", ") + fault;
  return all;
}

}  // namespace words

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
  switch (bus.protocol()) {
    case Protocol::Uart:
      return words::uartSentence(bus, transactions, number, mostValues);
    case Protocol::I2c:
      return words::i2cSentence(bus, transactions, range, mostValues);
    case Protocol::Spi:
      return words::spiSentence(bus, transactions.frames().frame(range.first), mostValues);
    case Protocol::Can:
      return words::canSentence(bus, transactions.frames().frame(range.first), mostValues);
  }
  return {};
}

std::uint64_t detailCount(const Bus& bus, const Transactions& transactions, std::uint64_t number)
{
  const FrameRange range = transactions.framesOf(number);
  // A character is one line each; no need to look at them.
  if (bus.protocol() == Protocol::Uart)
    return range.count();
  std::uint64_t count = 0;
  for (std::uint64_t i = range.first; i < range.end; ++i)
    count += frameDetails(bus, transactions.frames().frame(i));
  return count;
}

Detail detailAt(const Bus& bus, const Transactions& transactions, std::uint64_t number, std::uint64_t index)
{
  const FrameRange range = transactions.framesOf(number);
  std::uint64_t i = range.first;
  if (bus.protocol() == Protocol::Uart) {
    i += index;
    index = 0;
  } else {
    for (; i + 1 < range.end; ++i) {
      const std::uint64_t count = frameDetails(bus, transactions.frames().frame(i));
      if (index < count)
        break;
      index -= count;
    }
  }
  Detail detail = frameDetail(bus, transactions.frames().frame(i), index);
  detail.frame = i;
  return detail;
}

const Field* fieldOf(const Anatomy& anatomy, const Detail& detail)
{
  for (const Field& field : anatomy.fields) {
    if (field.role == detail.role && field.ordinal == detail.field)
      return &field;
  }
  return nullptr;
}

std::string faultText(const Bus& bus, const Frame& frame)
{
  std::string text;
  const auto add = [&text](const char* words) { text += (text.empty() ? "" : ", ") + std::string(words); };
  if (hasError(frame.errors, FrameError::Parity))
    add("parity is wrong");
  if (hasError(frame.errors, FrameError::Framing))
    add("stop bit is low");
  const bool i2c = bus.protocol() == Protocol::I2c;
  const bool stops = i2c && i2cTransfer(frame).end == I2cEnd::Stop;
  if (hasError(frame.errors, FrameError::Stuff))
    add("six equal bits");
  if (hasError(frame.errors, FrameError::Form))
    add("a fixed bit is wrong");
  if (hasError(frame.errors, FrameError::Crc))
    add("CRC is wrong");
  if (hasError(frame.errors, FrameError::StuffCount))
    add("stuff count is wrong");
  if (hasError(frame.errors, FrameError::Ack))
    add("not acknowledged");
  if (hasError(frame.errors, FrameError::UnexpectedStart))
    add(stops ? "STOP inside a byte" : "START inside a byte");
  else if (hasError(frame.errors, FrameError::Incomplete))
    add(stops ? "STOP right after START" : cutText(bus));
  if (hasError(frame.errors, FrameError::Nack))
    add("no answer");
  return text;
}

std::string faultText(const Bus& bus, const Transactions& transactions, std::uint64_t number)
{
  const FrameRange range = transactions.framesOf(number);
  std::vector<std::string> seen;
  std::string text;
  for (std::uint64_t i = range.first; i < range.end; ++i) {
    const std::string one = faultText(bus, transactions.frames().frame(i));
    if (one.empty() || std::find(seen.begin(), seen.end(), one) != seen.end())
      continue;
    text += (text.empty() ? "" : ", ") + one;
    seen.push_back(one);
  }
  return text;
}

}  // namespace bexto
