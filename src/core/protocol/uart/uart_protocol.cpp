// The room's door: what a UART has to offer, by the parts of core/decode/protocol.h.
#include "core/protocol/uart/uart_protocol.h"

#include <fmt/core.h>

#include "core/base/say.h"
#include "core/protocol/uart/uart_decoder.h"
#include "core/protocol/uart/uart_frame.h"
#include "core/protocol/uart/uart_meter.h"
#include "core/protocol/uart/uart_properties.h"
#include "core/protocol/uart/uart_rate.h"
#include "core/protocol/uart/uart_record.h"
#include "core/protocol/uart/uart_settings.h"
#include "core/protocol/uart/uart_timing.h"
#include "core/protocol/uart/uart_words.h"

namespace bexto {

namespace {

Protocol::Facts facts()
{
  Protocol::Facts f;
  f.name = "uart";
  f.label = "UART";
  f.example = "log=uart,tx=TX,baud=115200";
  f.talkStyle = TalkStyle::Characters;
  f.roles = {{"rx", "RX", false, {"rx"}, true, 0, true}, {"tx", "TX", false, {"tx"}, true, 0, true}};
  f.kinds = {{kUartCharacter, "character", "characters", {}, true}, {kUartBreak, "break", "break", "a break"}};
  f.errors = {{errorBit(UartError::Parity), "parity", "a wrong parity"},
              {errorBit(UartError::Framing), "framing", "a wrong stop bit"},
              {errorBit(UartError::Incomplete), "incomplete", "an unfinished frame"}};
  f.noun = {"{} character", "{} characters"};
  f.framesAreValues = true;
  f.payloadMayBeText = true;
  f.properties = uartProperties();
  f.alwaysInTables = true;
  f.answersOnOtherLine = true;
  f.likeness = "the same line";
  f.linkType = kUartLinkType;
  f.sendExample = R"("level?" 0D 0A)";
  f.rateUnit = "Bd";
  // Sender and receiver share what half a bit over a character allows; beyond 2 % little is left.
  f.rateTolerance = 0.02;
  f.measures = uartMeasures();
  return f;
}

/// A character is a byte by itself: its value's low eight bits, where the frame keeps it.
class CharacterReader final : public PayloadReader {
 public:
  FramePayloads of(const Frame& frame) const override
  {
    static_assert(std::endian::native == std::endian::little);
    FramePayloads out;
    if (uartHasValue(frame))
      out.add(0, {reinterpret_cast<const std::uint8_t*>(&frame.key), 1});
    return out;
  }
  bool joinsFrames() const override { return true; }
  void collect(const FrameChunk& chunk, std::size_t first, std::size_t end,
               std::vector<std::uint8_t>& out) const override
  {
    for (std::size_t i = first; i < end; ++i) {
      if ((chunk.flags[i] & kUartHasValue) != 0)
        out.push_back(static_cast<std::uint8_t>(chunk.key[i]));
    }
  }
};

class CharacterTalk final : public TalkReader {
 public:
  Talk of(const Frame& frame) const override
  {
    static_assert(std::endian::native == std::endian::little);
    Talk talk;
    talk.heard = frame.kind == kUartCharacter && uartHasValue(frame);
    talk.out = {reinterpret_cast<const std::uint8_t*>(&frame.key), talk.heard ? 1U : 0U};
    talk.whole = talk.certain = frame.errors == 0;
    return talk;
  }
};

class UartProtocol final : public Protocol {
 public:
  UartProtocol() : Protocol(bexto::facts()) {}

  Settings settings() const override { return makeUartSettings(); }
  Result<void> check(const Bus& bus) const override
  {
    if (bus.has("rx") || bus.has("tx"))
      return {};
    return fail(ErrorCode::BadArgument, say("no channel is given"), {}, say("add rx=CHANNEL, tx=CHANNEL or both"));
  }
  std::string settingsSummary(const Bus& bus) const override { return uartSummary(bus); }
  double setRate(const Bus& bus) const override { return uartSettings(bus).baud; }
  Result<void> findAuto(Bus& bus, const std::vector<StreamInput>& inputs) const override
  {
    if (uartSettings(bus).baud > 0.0)
      return {};
    const auto isRecords = [](const StreamInput& input) { return input.records != nullptr; };
    for (const StreamInput& input : inputs) {
      const double baud =
          input.records ? uartBaudOfRecords(uartSettings(bus), *input.records) : findUartBaud(uartSettings(bus), input);
      if (baud > 0.0) {
        bus.settings.edit<UartSettings>().baud = baud;
        return {};
      }
    }
    // What a port hands over needs none.
    if (std::all_of(inputs.begin(), inputs.end(), isRecords))
      return {};
    return fail(ErrorCode::NotFound, say("the baud cannot be found: no rate explains what the line does"), {},
                say("give it, like baud=115200"));
  }

  std::unique_ptr<Decoder> decoder(const Bus& bus, const StreamInput& input) const override
  {
    return input.records ? makeUartRecordDecoder(input) : makeUartDecoder(uartSettings(bus), input);
  }
  Anatomy anatomy(const Bus& bus, const StreamInput& input, const FrameIndex& frames, std::uint64_t number,
                  TimeRange /*window*/) const override
  {
    return input.records ? Anatomy() : uartAnatomy(uartSettings(bus), input, frames.frame(number));
  }

  /// A run without a pause of two characters (of what a port hands over in bunches, of twenty milliseconds), at most
  /// 256 long; for a bus shown as text, no longer than its line.
  bool firsts(const Bus& bus, const FrameIndex& frames, std::uint64_t from,
              std::vector<std::uint32_t>& firsts) const override
  {
    constexpr std::uint64_t kLongestRun = 256;
    constexpr Picoseconds kBunch = std::chrono::milliseconds{20};
    const UartSettings& uart = uartSettings(bus);
    const Picoseconds pause = uart.baud > 0.0 ? UartTiming(uart).end() * 2 : Picoseconds{0};
    const bool text = bus.format == ValueFormat::Text;
    groupFrames(
        frames, from,
        [pause, text, kBunch](const Frame& before, const Frame& next, std::uint64_t length) {
          const bool lineEnd = text && before.key == '\n' && uartHasValue(before);
          return before.kind == kUartCharacter && next.kind == kUartCharacter && !lineEnd && length < kLongestRun &&
                 next.time.begin - before.time.end <
                     ((next.flags & kUartRecorded) != 0 ? std::max(pause, kBunch) : pause);
        },
        firsts);
    return true;
  }
  std::unique_ptr<const TalkReader> talkReader(const Bus& /*bus*/) const override
  {
    return std::make_unique<CharacterTalk>();
  }
  std::unique_ptr<const PayloadReader> payloadReader(const Bus& /*bus*/) const override
  {
    return std::make_unique<CharacterReader>();
  }

  Sentence sentence(const Bus& bus, const Transactions& transactions, std::uint64_t number,
                    std::size_t most) const override
  {
    return uartSentence(bus, transactions, number, most);
  }
  std::uint64_t detailCount(const Bus& /*bus*/, const Frame& /*frame*/) const override { return 1; }
  Detail detail(const Bus& bus, const Frame& frame, std::uint64_t /*index*/) const override
  {
    return uartDetail(bus, frame);
  }
  std::string faultText(const Bus& /*bus*/, const Frame& frame) const override { return uartFaultText(frame); }
  Result<Telegram> telegram(const Bus& bus, const std::string& line) const override
  {
    return uartTelegram(uartSettings(bus), line);
  }

  std::string detailTerm(const Bus& bus, const Frame& frame, const Detail& /*detail*/) const override
  {
    if (frame.kind == kUartBreak)
      return "break";
    return uartHasValue(frame) ? termOf("value", {bus, frame, {}}) : "incomplete";
  }
  std::unique_ptr<Meter> meter(const Bus& bus) const override
  {
    return uartSettings(bus).baud > 0.0 ? makeUartMeter(uartSettings(bus)) : nullptr;
  }
  std::string usualBook(const Bus& /*bus*/, const StreamInput& /*input*/, const FrameIndex& /*frames*/) const override
  {
    return "uart";
  }
  FrameErrors cutError() const override { return errorBit(UartError::Incomplete); }
  std::optional<Cause> causeOf(const Bus& bus, const StreamInput& input, const FrameIndex& frames,
                               std::uint64_t number) const override
  {
    constexpr FrameErrors kOfRate = errorBit(UartError::Parity) | errorBit(UartError::Framing);
    return (frames.frame(number).errors & kOfRate) != 0 ? uartRateCause(uartSettings(bus), input, frames, number)
                                                        : std::nullopt;
  }

  std::uint64_t nameOf(const Bus& /*bus*/, const Frame& /*first*/) const override { return 0; }
};

}  // namespace

const Protocol& uartProtocol()
{
  static const UartProtocol kProtocol;
  return kProtocol;
}

}  // namespace bexto
