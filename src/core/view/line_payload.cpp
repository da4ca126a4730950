// Tested by tests/core/ledger_test.cpp.
#include "core/view/line_payload.h"

#include <algorithm>

#include "core/decode/i2c.h"
#include "core/decode/payload.h"
#include "core/decode/uart.h"
#include "core/view/value_text.h"

namespace bexto {

namespace {

std::uint64_t linesFor(std::uint64_t bytes, std::size_t wrap)
{
  return std::max<std::uint64_t>(1, (bytes + wrap - 1) / wrap);
}

std::string labelOf(const Bus& bus, const Frame& frame, PayloadWay way)
{
  if (bus.protocol() != Protocol::I2c)
    return wayName(way);
  const I2cTransfer t = i2cTransfer(frame);
  return addressText(t.address, t.tenBit ? 10 : 7, bus.format) + (t.read ? " read" : " write");
}

}  // namespace

LinePayloads::LinePayloads(const Bus& bus, const Transactions& transactions, std::uint64_t number)
{
  const FrameRange range = transactions.framesOf(number);
  if (bus.protocol() == Protocol::Uart) {
    for (std::uint64_t i = range.first; i < range.end; ++i) {
      const Frame frame = transactions.frames().frame(i);
      if ((frame.flags & kUartHasValue) != 0)
        m_characters.push_back(static_cast<std::uint8_t>(frame.key));
    }
    m_runs.push_back({"", m_characters, range.first});
    return;
  }
  const PayloadReader reader(bus);
  for (std::uint64_t i = range.first; i < range.end; ++i) {
    const Frame frame = transactions.frames().frame(i);
    for (const FramePayload& payload : reader.of(frame)) {
      if (!payload.bytes.empty() || range.count() == 1)
        m_runs.push_back({labelOf(bus, frame, payload.way), payload.bytes, i});
    }
  }
}

std::uint64_t LinePayloads::byteCount() const
{
  std::uint64_t count = 0;
  for (const Run& run : m_runs)
    count += run.bytes.size();
  return count;
}

std::uint64_t byteLineCount(const Bus& bus, const Transactions& transactions, std::uint64_t number, std::size_t wrap)
{
  const LinePayloads payloads(bus, transactions, number);
  std::uint64_t lines = 0;
  for (const LinePayloads::Run& run : payloads.runs())
    lines += linesFor(run.bytes.size(), wrap);
  return std::max<std::uint64_t>(1, lines);
}

ByteLine byteLineAt(const Bus& bus, const Transactions& transactions, std::uint64_t number, std::size_t wrap,
                    std::uint64_t index)
{
  const LinePayloads payloads(bus, transactions, number);
  ByteLine line;
  line.frame = transactions.framesOf(number).first;
  for (const LinePayloads::Run& run : payloads.runs()) {
    const std::uint64_t lines = linesFor(run.bytes.size(), wrap);
    if (index >= lines) {
      index -= lines;
      continue;
    }
    line.offset = index * wrap;
    line.frame = run.frame;
    // Of a UART run each character is a frame: the line's is that of its first byte, when all have values.
    if (bus.protocol() == Protocol::Uart)
      line.frame = std::min(run.frame + line.offset, transactions.framesOf(number).end - 1);
    const auto from = static_cast<std::size_t>(line.offset);
    const auto part = run.bytes.subspan(from, std::min(wrap, run.bytes.size() - from));
    line.bytes.assign(part.begin(), part.end());
    if (index == 0)
      line.label = run.label;
    break;
  }
  return line;
}

std::string plainText(std::span<const std::uint8_t> bytes)
{
  std::string text;
  for (const std::uint8_t b : bytes)
    text += b >= 0x20 && b < 0x7f ? static_cast<char>(b) : '.';
  return text;
}

}  // namespace bexto
