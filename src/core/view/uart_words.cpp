#include <fmt/core.h>

#include <algorithm>

#include "core/base/number_text.h"
#include "core/base/time_text.h"
#include "core/decode/uart.h"
#include "core/view/value_text.h"
#include "core/view/words.h"

namespace bexto::words {

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
  return out.takeWithFaults(faultText(bus, transactions, number));
}

Detail uartDetail(const Bus& bus, const Frame& frame)
{
  const int bits = std::get<UartSettings>(bus.settings).bits;
  Detail d;
  d.wrong = frame.errors != 0;
  d.name = frame.kind == FrameKind::Break ? "break" : "character";
  if (frame.kind == FrameKind::Break)
    d.value = lengthText(frame.time.length());
  else
    d.value = (frame.flags & kUartHasValue) != 0 ? loneValueText(frame.key, bits, bus.format) : "–";
  if (d.wrong)
    d.meaning = faultText(bus, frame);
  else if (frame.kind == FrameKind::Character)
    d.meaning = loneValueText(frame.key, bits, bus.format == ValueFormat::Text ? ValueFormat::Hex : ValueFormat::Text);
  return d;
}

}  // namespace bexto::words
