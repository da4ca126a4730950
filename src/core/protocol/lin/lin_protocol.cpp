// The room's door: what LIN has to offer, by the parts of core/decode/protocol.h.
#include "core/protocol/lin/lin_protocol.h"

#include <fmt/core.h>

#include "core/base/say.h"
#include "core/protocol/lin/lin_decoder.h"
#include "core/protocol/lin/lin_frame.h"
#include "core/protocol/lin/lin_meter.h"
#include "core/protocol/lin/lin_properties.h"
#include "core/protocol/lin/lin_settings.h"
#include "core/protocol/lin/lin_words.h"

namespace bexto {

namespace {

Protocol::Facts facts()
{
  Protocol::Facts f;
  f.name = "lin";
  f.label = "LIN";
  f.example = "lamps=lin,rx=LIN_RX,baud=19200";
  f.talkStyle = TalkStyle::Named;
  f.roles = {{"rx", "RX", true, {"lin", "rx"}, false, 0}};
  f.kinds = {{kLinFrame, "frame", "frame"}, {kLinWakeup, "wakeup", "wake-up", "a wake-up"}};
  f.errors = {{errorBit(LinError::Sync), "sync", "a wrong sync byte"},
              {errorBit(LinError::Parity), "parity", "a wrong parity"},
              {errorBit(LinError::Framing), "framing", "a wrong stop bit"},
              {errorBit(LinError::Checksum), "checksum", "a wrong checksum"},
              {errorBit(LinError::Form), "form", "a form error"},
              {errorBit(LinError::NoResponse), "no-response", "no response"},
              {errorBit(LinError::Incomplete), "incomplete", "an unfinished frame"}};
  f.properties = linProperties();
  f.likeness = "the same identifier";
  f.rateUnit = "Bd";
  // Nodes with clocks of their own synchronise to every frame; before that they may be 14 % off (ISO 17987-4:2016, bit
  // rate tolerance).
  f.rateTolerance = 0.14;
  f.measures = linMeasures();
  return f;
}

class ResponseReader final : public PayloadReader {
 public:
  FramePayloads of(const Frame& frame) const override
  {
    FramePayloads out;
    if (const LinFrame f = linFrame(frame); f.hasData)
      out.add(0, f.data);
    return out;
  }
};

class FrameTalk final : public TalkReader {
 public:
  Talk of(const Frame& frame) const override
  {
    const LinFrame f = linFrame(frame);
    Talk talk;
    talk.heard = frame.kind == kLinFrame && f.hasId;
    talk.name = f.id;
    talk.answered = f.hasData;
    talk.out = f.data;
    talk.whole = talk.certain = frame.errors == 0;
    return talk;
  }
};

class LinProtocol final : public Protocol {
 public:
  LinProtocol() : Protocol(bexto::facts()) {}

  Settings settings() const override { return makeLinSettings(); }
  std::string settingsSummary(const Bus& bus) const override { return linSummary(bus); }
  double setRate(const Bus& bus) const override { return linSettings(bus).baud; }
  Result<void> findAuto(Bus& bus, const std::vector<StreamInput>& inputs) const override
  {
    if (linSettings(bus).baud > 0.0)
      return {};
    const double rate = findLinRate(inputs.front());
    if (!(rate > 0.0))
      return fail(ErrorCode::NotFound, say("the baud cannot be found: no sync byte follows a break"), {},
                  say("give it, like baud=19200"));
    bus.settings.edit<LinSettings>().baud = rate;
    return {};
  }

  std::unique_ptr<Decoder> decoder(const Bus& bus, const StreamInput& input) const override
  {
    return makeLinDecoder(linSettings(bus), input);
  }
  Anatomy anatomy(const Bus& bus, const StreamInput& input, const FrameIndex& frames, std::uint64_t number,
                  TimeRange /*window*/) const override
  {
    return linAnatomy(linSettings(bus), input, frames.frame(number));
  }
  /// A byte with its start and stop bit; of the break, which has none, the identifier: the frame's first line.
  BitRange bitsAround(const Anatomy& anatomy, Picoseconds at) const override
  {
    constexpr std::size_t kBitsAByte = 10;
    if (anatomy.bits.size() >= 2 * kBitsAByte && at < anatomy.bits.front().cell.begin)
      return {kBitsAByte, 2 * kBitsAByte};
    std::size_t bit = 0;
    while (bit + 1 < anatomy.bits.size() && anatomy.bits[bit].cell.end <= at)
      ++bit;
    const std::size_t first = bit / kBitsAByte * kBitsAByte;
    return {first, std::min(first + kBitsAByte, anatomy.bits.size())};
  }

  std::unique_ptr<const TalkReader> talkReader(const Bus& /*bus*/) const override
  {
    return std::make_unique<FrameTalk>();
  }
  std::unique_ptr<const PayloadReader> payloadReader(const Bus& /*bus*/) const override
  {
    return std::make_unique<ResponseReader>();
  }

  Sentence sentence(const Bus& bus, const Transactions& transactions, std::uint64_t number,
                    std::size_t most) const override
  {
    return linSentence(bus, transactions.frames().frame(transactions.framesOf(number).first), most);
  }
  std::uint64_t detailCount(const Bus& /*bus*/, const Frame& frame) const override { return linDetailCount(frame); }
  Detail detail(const Bus& bus, const Frame& frame, std::uint64_t index) const override
  {
    return linDetail(bus, frame, index);
  }
  std::string faultText(const Bus& /*bus*/, const Frame& frame) const override { return linFaultText(frame); }

  std::string detailTerm(const Bus& bus, const Frame& frame, const Detail& detail) const override
  {
    switch (detail.role) {
      case Role::Data:
        return fmt::format("byte{}:{:02X}", detail.field, linFrame(frame).data[detail.field]);
      case Role::Check:
        return termOf("checksum", {bus, frame, {}});
      case Role::Address:
        return termOf("id", {bus, frame, {}});
      default:
        return kindTerm(bus, frame);
    }
  }
  std::unique_ptr<Meter> meter(const Bus& bus) const override { return makeLinMeter(linSettings(bus)); }
  std::string usualBook(const Bus& /*bus*/, const StreamInput& /*input*/, const FrameIndex& /*frames*/) const override
  {
    return "lin";
  }
  FrameErrors cutError() const override { return errorBit(LinError::Incomplete); }

  std::uint64_t nameOf(const Bus& /*bus*/, const Frame& first) const override
  {
    const LinFrame f = linFrame(first);
    return f.hasId ? f.id : ~0U;
  }
};

}  // namespace

const Protocol& linProtocol()
{
  static const LinProtocol kProtocol;
  return kProtocol;
}

}  // namespace bexto
