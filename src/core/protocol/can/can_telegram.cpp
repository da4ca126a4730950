// Tested by tests/core/telegram_test.cpp.
#include "core/protocol/can/can_telegram.h"

#include <linux/can.h>

#include "core/base/say.h"
#include "core/decode/send_words.h"
#include "core/protocol/can/can_frame.h"

namespace bexto {

Result<Telegram> canTelegram(const std::string& line)
{
  constexpr std::size_t kShortDigits = 3;
  const auto words = sendWords(line);
  if (!words)
    return tl::unexpected(words.error());
  if (words->empty())
    return fail(ErrorCode::BadArgument, say("there is nothing to send"), {}, say("write for example: 122 0B 01"));
  const auto id = sendHex(words->front(), say("identifier"), CAN_EFF_MASK);
  if (!id)
    return tl::unexpected(id.error());
  const std::size_t digits = words->front().text.size() - (words->front().text.find_first_of("xX") == 1 ? 2 : 0);
  bool extended = *id > CAN_SFF_MASK || digits > kShortDigits;
  bool fd = false;
  bool brs = false;
  bool remote = false;
  std::size_t asked = 0;
  std::vector<std::uint8_t> data;
  for (std::size_t at = 1; at < words->size(); ++at) {
    const SendWord& word = (*words)[at];
    const std::string text = word.isQuoted ? std::string() : word.text;
    if (text == "ext") {
      extended = true;
    } else if (text == "fd" && data.empty()) {
      fd = true;
    } else if (text == "brs") {
      fd = brs = true;
    } else if (text == "remote") {
      remote = true;
      if (at + 1 < words->size()) {
        const auto count = sendCount((*words)[++at], CAN_MAX_DLEN);
        if (!count)
          return tl::unexpected(count.error());
        asked = *count;
      }
    } else if (auto appended = appendSendBytes(word, data); !appended) {
      return tl::unexpected(appended.error());
    }
  }
  if (remote && (fd || !data.empty()))
    return fail(ErrorCode::BadArgument, say("a remote frame has no data, and there is none in FD"), {},
                say("leave the data out"));
  if (data.size() > CAN_MAX_DLEN && !fd)
    return fail(ErrorCode::BadArgument, say("{} bytes do not fit in a classic frame", data.size()), {},
                say("send at most 8, or add fd"));
  std::size_t room = remote ? asked : data.size();
  if (fd) {
    unsigned dlc = 0;
    while (dlc < CANFD_MAX_DLC && canDataLength(dlc, true) < data.size())
      ++dlc;
    room = canDataLength(dlc, true);
    if (room < data.size())
      return fail(ErrorCode::BadArgument, say("{} bytes do not fit in a frame", data.size()), {},
                  say("send at most {}", CANFD_MAX_DLEN));
    if (room > data.size())
      return fail(ErrorCode::BadArgument, say("an FD frame cannot have {} bytes", data.size()), {},
                  say("make it {}", room));
  }
  Telegram telegram;
  const auto head = static_cast<std::uint32_t>(*id) | (extended ? CAN_EFF_FLAG : 0U) | (remote ? CAN_RTR_FLAG : 0U);
  for (const unsigned shift : {24U, 16U, 8U, 0U})
    telegram.record.push_back(static_cast<std::uint8_t>(head >> shift));
  telegram.record.push_back(static_cast<std::uint8_t>(room));
  telegram.record.push_back(static_cast<std::uint8_t>((fd ? CANFD_FDF : 0) | (brs ? CANFD_BRS : 0)));
  telegram.record.resize(8, 0);
  telegram.record.insert(telegram.record.end(), data.begin(), data.end());
  return telegram;
}

}  // namespace bexto
