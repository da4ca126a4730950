#include "core/protocol/i2c/i2c_words.h"

#include <fmt/core.h>

#include <algorithm>

#include "core/base/number_text.h"
#include "core/base/say.h"
#include "core/protocol/i2c/i2c_frame.h"

namespace bexto {

namespace {

std::string i2cAddress(const I2cTransfer& t, ValueFormat format)
{
  return addressText(t.address, t.tenBit ? 10 : 7, format);
}

}  // namespace

Sentence i2cSentence(const Bus& bus, const Transactions& transactions, FrameRange range, std::size_t most)
{
  constexpr std::uint64_t kMostTransfers = 16;
  SentenceWriter out;
  FaultList faults;
  std::uint32_t address = ~0U;
  for (std::uint64_t i = range.first; i < std::min(range.end, range.first + kMostTransfers); ++i) {
    const Frame frame = transactions.frames().frame(i);
    const I2cTransfer t = i2cTransfer(frame);
    if (!out.empty())
      out.add(Tone::Plain, " · ");
    faults.addAllBut(errorBit(I2cError::Nack), bus, frame);
    if (!t.hasAddress) {
      out.add(Tone::Plain, say("no address"));
      continue;
    }
    const std::uint32_t full = t.address | (t.tenBit ? 0x10000U : 0U);
    if (full != address)
      out.add(Tone::Address, i2cAddress(t, bus.format) + " ");
    address = full;
    out.add(Tone::Plain, t.read ? say("read") : say("write"));
    if (!t.addressAck) {
      out.add(Tone::Plain, ", ");
      out.add(Tone::Fault, say("no answer"));
    }
    if (!t.data.empty()) {
      out.add(Tone::Plain, " ");
      out.add(Tone::Payload, rowOfBytes(t.data, bus.format, most));
    }
  }
  if (range.count() > kMostTransfers)
    out.add(Tone::Plain, " … " + counted(range.count(), {"{} transfer", "{} transfers"}));
  return out.takeWithFaults(faults.text());
}

std::uint64_t i2cDetailCount(const Frame& frame)
{
  return 1 + i2cTransfer(frame).data.size();
}

Detail i2cDetail(const Bus& bus, const Frame& frame, std::uint64_t index)
{
  const I2cTransfer t = i2cTransfer(frame);
  FaultList faults;
  faults.addAllBut(errorBit(I2cError::Nack), bus, frame);
  const auto byte = static_cast<std::size_t>(index);
  const bool last = byte == t.data.size();
  Detail d;
  d.field = byte == 0 ? 0 : byte - 1;
  if (byte == 0) {
    d.role = Role::Address;
    d.name = say("address");
    if (!t.hasAddress) {
      d.value = "–";
      d.meaning = say("cut before it was whole");
      d.wrong = true;
      return d;
    }
    d.value = i2cAddress(t, bus.format);
    d.meaning =
        fmt::format("{}, {}", t.read ? say("read") : say("write"), t.addressAck ? say("acked") : say("no answer"));
    d.wrong = !t.addressAck;
  } else {
    d.name = say("byte {}", byte - 1);
    d.value = valueText(t.data[byte - 1], 8, bus.format);
    // The reader of the last byte says "no more" by not acknowledging it: nothing is wrong.
    d.meaning = t.ackOf(byte - 1) ? say("acked") : t.read && last ? say("last, not acked") : say("not acked");
  }
  if (last && !faults.empty()) {
    d.meaning = andThen(d.meaning, faults.first());
    d.wrong = true;
  }
  return d;
}

std::string i2cFaultText(const Frame& frame)
{
  FaultList faults;
  const bool stops = i2cTransfer(frame).end == I2cEnd::Stop;
  if (hasError(frame.errors, I2cError::UnexpectedStart))
    faults.add(stops ? say("STOP inside a byte") : say("START inside a byte"));
  else if (hasError(frame.errors, I2cError::Incomplete))
    faults.add(stops ? say("STOP right after START") : say("cut by the capture's end"));
  if (hasError(frame.errors, I2cError::Nack))
    faults.add(say("no answer"));
  return faults.text();
}

}  // namespace bexto
