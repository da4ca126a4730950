// Tested by tests/core/telegram_test.cpp.
#include "core/protocol/i2c/i2c_telegram.h"

#include "core/base/say.h"
#include "core/decode/send_words.h"

namespace bexto {

namespace {

/// A controller of the two wires, as it would drive them if nobody else did.
class I2cWriter {
 public:
  I2cWriter() : m_out(kBoth) {}

  /// Also the repeated one.
  void start()
  {
    m_out.set(kSda, true);
    m_out.wait(kData);
    m_out.set(kScl, true);
    m_out.wait(kHigh);
    m_out.set(kSda, false);
    m_out.wait(kHigh);
    m_out.set(kScl, false);
    m_out.wait(kHold);
  }
  void byte(std::uint8_t value, bool acknowledges)
  {
    for (unsigned bit = 8; bit-- > 0;)
      this->bit((value >> bit & 1U) != 0);
    bit(!acknowledges);
  }
  void stop()
  {
    m_out.set(kSda, false);
    m_out.wait(kData);
    m_out.set(kScl, true);
    m_out.wait(kHigh);
    m_out.set(kSda, true);
    m_out.wait(kHigh);
  }
  Telegram take()
  {
    Telegram telegram;
    telegram.length = m_out.now();
    telegram.roles = {"scl", "sda"};
    telegram.open = kBoth;
    telegram.steps = m_out.take();
    return telegram;
  }

 private:
  static constexpr unsigned kScl = 0;
  static constexpr unsigned kSda = 1;
  static constexpr std::uint32_t kBoth = 3;
  static constexpr Picoseconds kHold = std::chrono::microseconds{1};  // SDA moves so long after SCL fell
  static constexpr Picoseconds kData = std::chrono::microseconds{4};  // and so long before it rises
  static constexpr Picoseconds kHigh = std::chrono::microseconds{5};

  void bit(bool level)
  {
    m_out.set(kSda, level);
    m_out.wait(kData);
    m_out.set(kScl, true);
    m_out.wait(kHigh);
    m_out.set(kScl, false);
    m_out.wait(kHold);
  }

  TelegramWriter m_out;
};

}  // namespace

Result<Telegram> i2cTelegram(const std::string& line)
{
  constexpr std::uint64_t kLastAddress = 0x7f;
  constexpr std::size_t kMostBytes = 1024;
  const auto words = sendWords(line);
  if (!words)
    return tl::unexpected(words.error());
  const auto incomplete = [] {
    return fail(ErrorCode::BadArgument, say("it is not said what to do at the address"), {},
                say("write for example: 2A write 10 read 3"));
  };
  if (words->empty())
    return incomplete();
  const auto address = sendHex(words->front(), say("address"), kLastAddress);
  if (!address)
    return tl::unexpected(address.error());
  if (words->size() == 1)
    return incomplete();
  I2cWriter out;
  std::size_t sent = 0;
  for (std::size_t at = 1; at < words->size();) {
    const std::string verb = (*words)[at].isQuoted ? std::string() : (*words)[at].text;
    ++at;
    if (verb == "write") {
      std::vector<std::uint8_t> bytes;
      for (; at < words->size() &&
             ((*words)[at].isQuoted || ((*words)[at].text != "read" && (*words)[at].text != "write"));
           ++at) {
        if (auto appended = appendSendBytes((*words)[at], bytes); !appended)
          return tl::unexpected(appended.error());
      }
      sent += bytes.size();
      out.start();
      out.byte(static_cast<std::uint8_t>(*address << 1U), false);
      for (const std::uint8_t byte : bytes)
        out.byte(byte, false);
    } else if (verb == "read") {
      if (at == words->size())
        return fail(ErrorCode::BadArgument, say("it is not said how many bytes to read"), {}, say("write read 3"));
      const auto count = sendCount((*words)[at++], kMostBytes);
      if (!count)
        return tl::unexpected(count.error());
      sent += *count;
      out.start();
      out.byte(static_cast<std::uint8_t>(*address << 1U | 1U), false);
      for (std::size_t i = 0; i < *count; ++i)
        out.byte(0xff, i + 1 < *count);
    } else {
      return fail(ErrorCode::BadArgument, say("'{}' is neither write nor read", (*words)[at - 1].text), {},
                  say("write for example: 2A write 10 read 3"));
    }
  }
  if (sent > kMostBytes)
    return fail(ErrorCode::BadArgument, say("{} bytes are too many for one transfer", sent), {},
                say("send at most {}", kMostBytes));
  out.stop();
  return out.take();
}

}  // namespace bexto
