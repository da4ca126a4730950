// Tested by tests/core/uart_record_test.cpp.
#include "core/protocol/uart/uart_record.h"

#include <array>

#include "core/base/say.h"
#include "core/decode/record_walk.h"
#include "core/decode/send_words.h"
#include "core/protocol/uart/uart_frame.h"
#include "core/protocol/uart/uart_timing.h"

namespace bexto {

namespace {

constexpr std::size_t kHeadBytes = 4;

Picoseconds characterTime(std::span<const std::uint8_t> record)
{
  std::uint32_t ns = 0;
  for (std::size_t i = kHeadBytes; i-- > 0;)
    ns = ns << 8U | record[i];
  return std::chrono::nanoseconds{ns};
}

class RecordDecoder final : public Decoder {
 public:
  explicit RecordDecoder(const StreamInput& input) : m_records(input.records) {}

  void extend(const StreamInput& input) override { m_records.extend(input.records); }
  bool run(FrameIndexBuilder& out, std::size_t slice) override
  {
    Record record;
    for (std::size_t i = 0; i < slice; ++i) {
      if (!m_records.next(record))
        return false;
      if (record.bytes.size() > kHeadBytes)
        add(out, record);
    }
    return true;
  }
  Picoseconds reached() const override { return m_reached; }
  double measuredHertz() const override { return 0.0; }

 private:
  void add(FrameIndexBuilder& out, const Record& record)
  {
    const auto characters = record.bytes.subspan(kHeadBytes);
    const auto count = static_cast<std::int64_t>(characters.size());
    const Picoseconds end = std::max(record.time, m_reached);
    // From the record before, or from the capture's begin.
    const Picoseconds room = std::max(Picoseconds{0}, end - m_reached);
    const Picoseconds each = std::min(characterTime(record.bytes), room / count);
    for (std::int64_t i = 0; i < count; ++i) {
      Frame frame;
      frame.time = {end - each * (count - i), end - each * (count - i - 1)};
      frame.kind = kUartCharacter;
      frame.flags = kUartHasValue | kUartRecorded;
      frame.key = characters[static_cast<std::size_t>(i)];
      out.add(frame);
    }
    m_reached = end;
  }

  RecordWalk m_records;
  Picoseconds m_reached{0};
};

/// Bits on the wire.
double bitsOf(const UartSettings& settings)
{
  const bool parity = settings.parity != UartParity::None;
  return 1 + settings.bits + (parity ? 1 : 0) + settings.halfStopBits / 2.0;
}

}  // namespace

std::unique_ptr<Decoder> makeUartRecordDecoder(const StreamInput& input)
{
  return std::make_unique<RecordDecoder>(input);
}

double uartBaudOfRecords(const UartSettings& settings, const RecordLog& records)
{
  if (records.chunks().empty())
    return 0.0;
  const auto block = records.chunks().front()->block();
  if (block->size() == 0 || block->record(0).bytes.size() < kHeadBytes)
    return 0.0;
  const Picoseconds each = characterTime(block->record(0).bytes);
  return each > Picoseconds{0} ? std::round(bitsOf(settings) / toSeconds(each)) : 0.0;
}

Result<Telegram> uartTelegram(const UartSettings& settings, const std::string& line)
{
  constexpr std::size_t kMost = 4096;
  const auto words = sendWords(line);
  if (!words)
    return tl::unexpected(words.error());
  const double ns = settings.baud > 0.0 ? bitsOf(settings) / settings.baud * 1e9 : 0.0;
  const auto each = static_cast<std::uint32_t>(std::min(ns, 4e9));
  Telegram telegram;
  for (const unsigned shift : {0U, 8U, 16U, 24U})
    telegram.record.push_back(static_cast<std::uint8_t>(each >> shift));
  for (const SendWord& word : *words) {
    if (auto appended = appendSendBytes(word, telegram.record); !appended)
      return tl::unexpected(appended.error());
  }
  const std::size_t count = telegram.record.size() - kHeadBytes;
  if (count == 0)
    return fail(ErrorCode::BadArgument, say("there is nothing to send"), {},
                say("write for example: \"level?\" 0D 0A"));
  if (count > kMost)
    return fail(ErrorCode::BadArgument, say("{} characters are too many at once", count), {},
                say("send at most {}", kMost));
  return telegram;
}

}  // namespace bexto
