#include "core/protocol/spi/spi_words.h"

#include <fmt/core.h>

#include <algorithm>

#include "core/base/number_text.h"
#include "core/base/say.h"
#include "core/protocol/spi/spi_frame.h"
#include "core/protocol/spi/spi_settings.h"

namespace bexto {

namespace {

std::string rowOfWords(const Bus& bus, const SpiTransfer& t, int line, std::size_t most)
{
  const int bits = spiSettings(bus).bits;
  std::string row;
  for (std::size_t i = 0; i < std::min(t.words, most); ++i)
    row += (i == 0 ? "" : valueSeparator(bus.format)) + valueText(t.word(i, line), bits, bus.format);
  return t.words > most ? row + " …" : row;
}

}  // namespace

Sentence spiSentence(const Bus& bus, const Frame& frame, std::size_t most)
{
  const SpiTransfer t = spiTransfer(bus, frame);
  SentenceWriter out;
  if (t.words == 0) {
    out.add(Tone::Plain, say("no words"));
    return out.takeWithFaults(faultText(bus, frame));
  }
  // Both directions share the room.
  const std::size_t share = t.hasMosi && t.hasMiso ? std::max<std::size_t>(1, most / 2) : most;
  if (t.hasMosi) {
    out.add(Tone::Plain, "MOSI ");
    out.add(Tone::Payload, rowOfWords(bus, t, 0, share));
  }
  if (t.hasMiso) {
    out.add(Tone::Plain, t.hasMosi ? "  MISO " : "MISO ");
    out.add(Tone::Payload, rowOfWords(bus, t, 1, share));
  }
  if (t.words > share)
    out.add(Tone::Plain, "  " + counted(t.words, kSpiWords));
  return out.takeWithFaults(faultText(bus, frame));
}

std::uint64_t spiDetailCount(const Bus& bus, const Frame& frame)
{
  return std::max<std::uint64_t>(1, spiTransfer(bus, frame).words);
}

Detail spiDetail(const Bus& bus, const Frame& frame, std::uint64_t index)
{
  const SpiTransfer t = spiTransfer(bus, frame);
  const int bits = spiSettings(bus).bits;
  const auto i = static_cast<std::size_t>(index);
  Detail d;
  d.field = i;
  d.wrong = frame.errors != 0 && i + 1 >= t.words;
  if (t.words == 0) {
    d.name = say("no words");
    d.value = "–";
    d.meaning = faultText(bus, frame);
    return d;
  }
  d.name = say("word {}", index);
  const auto value = [&](int line) { return loneValueText(t.word(i, line), bits, bus.format); };
  d.value = t.hasMosi && t.hasMiso ? value(0) + " / " + value(1) : value(t.hasMosi ? 0 : 1);
  if (t.hasMosi && t.hasMiso && i == 0)
    d.meaning = "MOSI / MISO";
  if (d.wrong)
    d.meaning = andThen("", faultText(bus, frame));
  return d;
}

}  // namespace bexto
