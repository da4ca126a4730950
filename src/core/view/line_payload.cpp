// Tested by tests/core/ledger_test.cpp.
#include "core/view/line_payload.h"

#include <algorithm>

#include "core/decode/payload.h"
#include "core/decode/protocol.h"

namespace bexto {

namespace {

std::uint64_t linesFor(std::uint64_t bytes, std::size_t wrap)
{
  return std::max<std::uint64_t>(1, (bytes + wrap - 1) / wrap);
}

}  // namespace

LinePayloads::LinePayloads(const Bus& bus, const Transactions& transactions, std::uint64_t number)
{
  const FrameRange range = transactions.framesOf(number);
  const auto reader = bus.protocol().payloadReader(bus);
  m_joined = reader->joinsFrames();
  for (std::uint64_t i = range.first; i < range.end; ++i) {
    const Frame frame = transactions.frames().frame(i);
    for (const FramePayload& payload : reader->of(frame)) {
      if (m_joined)
        m_row.insert(m_row.end(), payload.bytes.begin(), payload.bytes.end());
      else if (!payload.bytes.empty() || range.count() == 1)
        m_runs.push_back({bus.protocol().payloadLabel(bus, frame, payload.way), payload.way, payload.bytes, i});
    }
  }
  if (m_joined)
    m_runs.push_back({"", 0, m_row, range.first});
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
    // Where frames join, each is a byte: the line's is that of its first one, when all have one.
    if (payloads.isJoined())
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
