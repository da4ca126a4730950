// The room's door: what I2C has to offer, by the parts of core/decode/protocol.h.
#include "core/protocol/i2c/i2c_protocol.h"

#include <fmt/core.h>

#include "core/base/say.h"
#include "core/base/time_text.h"
#include "core/protocol/i2c/i2c_decoder.h"
#include "core/protocol/i2c/i2c_frame.h"
#include "core/protocol/i2c/i2c_meter.h"
#include "core/protocol/i2c/i2c_properties.h"
#include "core/protocol/i2c/i2c_settings.h"
#include "core/protocol/i2c/i2c_telegram.h"
#include "core/protocol/i2c/i2c_words.h"

namespace bexto {

namespace {

constexpr PayloadWay kWritten = 0;
constexpr PayloadWay kRead = 1;

Protocol::Facts facts()
{
  Protocol::Facts f;
  f.name = "i2c";
  f.label = "I2C";
  f.example = "sensors=i2c,scl=SCL,sda=SDA";
  f.sendExample = "2A write 10 read 3";
  f.talkStyle = TalkStyle::Addressed;
  f.measures = i2cMeasures();
  f.roles = {{"scl", "SCL", true, {"scl"}, false, -1}, {"sda", "SDA", true, {"sda"}, false, 0}};
  f.kinds = {{kI2cTransfer, "transfer", "transfer"}};
  f.errors = {{errorBit(I2cError::Incomplete), "incomplete", "an unfinished frame"},
              {errorBit(I2cError::Nack), "nack"},
              {errorBit(I2cError::UnexpectedStart), "unexpected-start", "a START or STOP inside a byte"}};
  f.noun = kTransactions;
  f.countsTransactions = true;
  f.properties = i2cProperties();
  f.words = i2cPropertyWords();
  f.alwaysInTables = true;
  f.ways = {{"written"}, {"read"}};
  f.likeness = "the same address";
  f.wiresFirst = true;
  return f;
}

class TransferReader final : public PayloadReader {
 public:
  FramePayloads of(const Frame& frame) const override
  {
    FramePayloads out;
    if (const I2cTransfer t = i2cTransfer(frame); t.hasAddress)
      out.add(t.read ? kRead : kWritten, t.data);
    return out;
  }
};

class TransferTalk final : public TalkReader {
 public:
  Talk of(const Frame& frame) const override
  {
    const I2cTransfer t = i2cTransfer(frame);
    Talk talk;
    talk.heard = t.hasAddress;
    talk.name = t.address | (t.tenBit ? Talk::kWide : 0U);
    talk.answered = t.addressAck;
    talk.inward = t.read;
    talk.whole = frame.errors == 0;
    (t.read ? talk.in : talk.out) = t.data;
    return talk;
  }
};

/// Whether an exchange writes, reads, or both, as two bits.
unsigned waysIn(const Transactions& t, std::uint64_t number)
{
  unsigned ways = 0;
  const FrameRange range = t.framesOf(number);
  for (std::uint64_t i = range.first; i < range.end; ++i) {
    const I2cTransfer transfer = i2cTransfer(t.frames().frame(i));
    if (transfer.hasAddress)
      ways |= transfer.read ? 2U : 1U;
  }
  return ways;
}

class I2cProtocol final : public Protocol {
 public:
  I2cProtocol() : Protocol(bexto::facts()) {}

  Settings settings() const override { return makeI2cSettings(); }
  std::string settingsSummary(const Bus& bus) const override
  {
    const Picoseconds spike = i2cSettings(bus).spike;
    return spike == Picoseconds{0} ? "" : say("ignores < {}", lengthText(spike, 2));
  }

  std::unique_ptr<Decoder> decoder(const Bus& bus, const StreamInput& input) const override
  {
    return makeI2cDecoder(i2cSettings(bus), input);
  }
  Anatomy anatomy(const Bus& bus, const StreamInput& input, const FrameIndex& frames, std::uint64_t number,
                  TimeRange /*window*/) const override
  {
    return i2cAnatomy(i2cSettings(bus), input, frames.frame(number));
  }
  /// A byte with its acknowledge.
  BitRange bitsAround(const Anatomy& anatomy, Picoseconds at) const override
  {
    std::size_t bit = 0;
    while (bit + 1 < anatomy.bits.size() && anatomy.bits[bit].cell.end <= at)
      ++bit;
    const std::size_t first = bit / 9 * 9;
    return {first, std::min(first + 9, anatomy.bits.size())};
  }

  /// From START to STOP.
  bool firsts(const Bus& /*bus*/, const FrameIndex& frames, std::uint64_t from,
              std::vector<std::uint32_t>& firsts) const override
  {
    groupFrames(
        frames, from,
        [](const Frame& before, const Frame& /*next*/, std::uint64_t /*length*/) {
          return i2cTransfer(before).end == I2cEnd::Restart;
        },
        firsts);
    return true;
  }
  std::unique_ptr<const TalkReader> talkReader(const Bus& /*bus*/) const override
  {
    return std::make_unique<TransferTalk>();
  }
  std::unique_ptr<const PayloadReader> payloadReader(const Bus& /*bus*/) const override
  {
    return std::make_unique<TransferReader>();
  }
  std::string payloadLabel(const Bus& bus, const Frame& frame, PayloadWay /*way*/) const override
  {
    const I2cTransfer t = i2cTransfer(frame);
    return addressText(t.address, t.tenBit ? 10 : 7, bus.format) + " " + (t.read ? say("read") : say("write"));
  }

  Sentence sentence(const Bus& bus, const Transactions& transactions, std::uint64_t number,
                    std::size_t most) const override
  {
    return i2cSentence(bus, transactions, transactions.framesOf(number), most);
  }
  std::uint64_t detailCount(const Bus& /*bus*/, const Frame& frame) const override { return i2cDetailCount(frame); }
  Detail detail(const Bus& bus, const Frame& frame, std::uint64_t index) const override
  {
    return i2cDetail(bus, frame, index);
  }
  std::string faultText(const Bus& /*bus*/, const Frame& frame) const override { return i2cFaultText(frame); }
  Result<Telegram> telegram(const Bus& /*bus*/, const std::string& line) const override { return i2cTelegram(line); }
  std::string kindText(const Bus& /*bus*/, const Frame& frame) const override
  {
    const I2cTransfer t = i2cTransfer(frame);
    return !t.hasAddress ? say("no address") : t.read ? say("read") : say("write");
  }

  std::string kindTerm(const Bus& /*bus*/, const Frame& frame) const override
  {
    const I2cTransfer t = i2cTransfer(frame);
    return !t.hasAddress ? "" : t.read ? "read" : "write";
  }
  std::string detailTerm(const Bus& bus, const Frame& frame, const Detail& detail) const override
  {
    const I2cTransfer t = i2cTransfer(frame);
    if (detail.role == Role::Address)
      return t.hasAddress ? termOf("address", {bus, frame, {}}) + (t.read ? " read" : " write") : "incomplete";
    return fmt::format("byte{}:{:02X}", detail.field, t.data[detail.field]);
  }
  std::unique_ptr<Meter> meter(const Bus& bus) const override { return makeI2cMeter(i2cSettings(bus)); }
  std::string usualBook(const Bus& bus, const StreamInput& input, const FrameIndex& frames) const override
  {
    return i2cClass(i2cSettings(bus), input, frames);
  }
  FrameErrors harmless() const override { return errorBit(I2cError::Nack); }
  FrameErrors cutError() const override { return errorBit(I2cError::Incomplete); }
  std::optional<Cause> causeOf(const Bus& bus, const StreamInput& input, const FrameIndex& frames,
                               std::uint64_t number) const override
  {
    return i2cStretchCause(i2cSettings(bus), input, frames.frame(number));
  }

  std::uint64_t nameOf(const Bus& /*bus*/, const Frame& first) const override
  {
    const I2cTransfer t = i2cTransfer(first);
    return t.hasAddress ? t.address | (t.tenBit ? 0x10000U : 0U) : ~0U;
  }
  std::uint64_t kindOf(const Transactions& transactions, std::uint64_t number) const override
  {
    return waysIn(transactions, number);
  }
  /// What only writes asks; what only reads answers.
  Side sideOf(const Transactions& transactions, std::uint64_t number) const override
  {
    const unsigned ways = waysIn(transactions, number);
    return ways == 1 ? Side::Request : ways == 2 ? Side::Answer : Side::None;
  }
};

}  // namespace

const Protocol& i2cProtocol()
{
  static const I2cProtocol kProtocol;
  return kProtocol;
}

}  // namespace bexto
