#include "core/protocol/uart/uart_words.h"

#include <fmt/core.h>

#include <algorithm>

#include "core/base/number_text.h"
#include "core/base/say.h"
#include "core/base/time_text.h"
#include "core/protocol/uart/uart_frame.h"
#include "core/protocol/uart/uart_settings.h"

namespace bexto {

Sentence uartSentence(const Bus& bus, const Transactions& transactions, std::uint64_t number, std::size_t most)
{
  const FrameRange range = transactions.framesOf(number);
  const int bits = uartSettings(bus).bits;
  SentenceWriter out;
  const std::size_t limit = bus.format == ValueFormat::Text ? most * 3 : most;
  for (std::uint64_t i = range.first; i < range.end; ++i) {
    const Frame frame = transactions.frames().frame(i);
    if (i - range.first >= limit) {
      out.add(Tone::Plain, " … " + counted(range.count(), {"{} character", "{} characters"}));
      break;
    }
    if (frame.kind == kUartBreak) {
      out.add(Tone::Plain, say("break, {} low", lengthText(frame.time.length())));
    } else if (!uartHasValue(frame)) {
      out.add(Tone::Fault, "…");
    } else {
      if (!out.empty())
        out.add(Tone::Payload, valueSeparator(bus.format));
      const bool wrong = frame.errors != 0;
      out.add(wrong ? Tone::Fault : Tone::Payload, valueText(frame.key, bits, bus.format));
    }
  }
  return out.takeWithFaults(faultText(bus, transactions, number));
}

Detail uartDetail(const Bus& bus, const Frame& frame)
{
  const int bits = uartSettings(bus).bits;
  Detail d;
  d.wrong = frame.errors != 0;
  d.name = frame.kind == kUartBreak ? say("break") : say("character");
  if (frame.kind == kUartBreak)
    d.value = lengthText(frame.time.length());
  else
    d.value = uartHasValue(frame) ? loneValueText(frame.key, bits, bus.format) : "–";
  if (d.wrong)
    d.meaning = faultText(bus, frame);
  else if (frame.kind == kUartCharacter)
    d.meaning = loneValueText(frame.key, bits, bus.format == ValueFormat::Text ? ValueFormat::Hex : ValueFormat::Text);
  return d;
}

std::string uartFaultText(const Frame& frame)
{
  FaultList faults;
  if (hasError(frame.errors, UartError::Parity))
    faults.add(say("parity is wrong"));
  if (hasError(frame.errors, UartError::Framing))
    faults.add(say("stop bit is low"));
  if (hasError(frame.errors, UartError::Incomplete))
    faults.add(say("cut by the capture's end"));
  return faults.text();
}

}  // namespace bexto
