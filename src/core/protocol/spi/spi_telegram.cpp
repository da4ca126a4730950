// Tested by tests/core/telegram_test.cpp.
#include "core/protocol/spi/spi_telegram.h"

#include "core/base/say.h"
#include "core/decode/send_words.h"
#include "core/protocol/spi/spi_settings.h"

namespace bexto {

namespace {

constexpr Picoseconds kHalf = std::chrono::nanoseconds{500};
constexpr Picoseconds kLead = std::chrono::microseconds{1};  // from the select to the clock, and back

/// What is to be clocked out.
Result<std::vector<std::uint64_t>> wordsOf(const std::string& line, int bits)
{
  constexpr std::size_t kMostWords = 4096;
  const auto words = sendWords(line);
  if (!words)
    return tl::unexpected(words.error());
  std::vector<std::uint64_t> out;
  for (std::size_t at = 0; at < words->size(); ++at) {
    const SendWord& word = (*words)[at];
    if (!word.isQuoted && word.text == "write")
      continue;
    if (!word.isQuoted && word.text == "read") {
      if (at + 1 == words->size())
        return fail(ErrorCode::BadArgument, say("it is not said how many words to read"), {}, say("write read 3"));
      const auto count = sendCount((*words)[++at], kMostWords);
      if (!count)
        return tl::unexpected(count.error());
      out.insert(out.end(), *count, 0);
    } else if (bits == 8) {
      std::vector<std::uint8_t> bytes;
      if (auto appended = appendSendBytes(word, bytes); !appended)
        return tl::unexpected(appended.error());
      out.insert(out.end(), bytes.begin(), bytes.end());
    } else {
      const auto value = sendHex(word, say("word of {} bits", bits), (std::uint64_t{1} << bits) - 1);
      if (!value)
        return tl::unexpected(value.error());
      out.push_back(*value);
    }
  }
  if (out.empty())
    return fail(ErrorCode::BadArgument, say("there is nothing to send"), {}, say("write for example: 9F read 3"));
  if (out.size() > kMostWords)
    return fail(ErrorCode::BadArgument, say("{} words are too many for one transfer", out.size()), {},
                say("send at most {}", kMostWords));
  return out;
}

}  // namespace

Result<Telegram> spiTelegram(const Bus& bus, const std::string& line)
{
  constexpr unsigned kClock = 0;
  constexpr unsigned kData = 1;
  constexpr unsigned kSelect = 2;
  const SpiSettings& spi = spiSettings(bus);
  const auto words = wordsOf(line, spi.bits);
  if (!words)
    return tl::unexpected(words.error());
  const bool rest = spi.mode >= 2;        // CPOL
  const bool second = spi.mode % 2 == 1;  // CPHA: sampled at the second edge of a clock period
  TelegramWriter out((rest ? 1U : 0U) << kClock | (spi.selectHigh ? 0U : 1U) << kSelect);
  out.wait(kLead);
  out.set(kSelect, spi.selectHigh);
  out.wait(kLead);
  for (const std::uint64_t word : *words) {
    for (int i = 0; i < spi.bits; ++i) {
      const int bit = spi.order == BitOrder::Msb ? spi.bits - 1 - i : i;
      const bool level = (word >> static_cast<unsigned>(bit) & 1U) != 0;
      if (second)
        out.set(kClock, !rest);
      out.set(kData, level);
      out.wait(kHalf);
      out.set(kClock, second ? rest : !rest);
      out.wait(kHalf);
      if (!second)
        out.set(kClock, rest);
    }
  }
  out.wait(kLead);
  out.set(kSelect, !spi.selectHigh);
  out.wait(kLead);
  Telegram telegram;
  telegram.roles = {"clk", "mosi", "cs"};
  telegram.length = out.now();
  telegram.steps = out.take();
  return telegram;
}

}  // namespace bexto
