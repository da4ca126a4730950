// The room's door: what CAN has to offer, by the parts of core/decode/protocol.h.
#include "core/protocol/can/can_protocol.h"

#include <algorithm>
#include <array>
#include <cctype>

#include <fmt/core.h>

#include "core/base/say.h"
#include "core/protocol/can/can_decoder.h"
#include "core/protocol/can/can_frame.h"
#include "core/protocol/can/can_meter.h"
#include "core/protocol/can/can_properties.h"
#include "core/protocol/can/can_rate.h"
#include "core/protocol/can/can_record.h"
#include "core/protocol/can/can_settings.h"
#include "core/protocol/can/can_telegram.h"
#include "core/protocol/can/can_words.h"

namespace bexto {

namespace {

Protocol::Facts facts()
{
  Protocol::Facts f;
  f.name = "can";
  f.label = "CAN";
  f.example = "drives=can,rx=CAN_RX,bitrate=500000";
  // The wire is mostly called after its bus; any "rx" may be another one's.
  // One of them; which one says what dominant looks like there.
  f.talkStyle = TalkStyle::Named;
  f.roles = {{"rx", "RX", false, {"can", "rx"}, false, 0, true},
             {"canh", "CANH", false, {}, false, 0},
             {"canl", "CANL", false, {}, false, 0}};
  f.kinds = {{kCanData, "data", "data", "a data frame"},
             {kCanRemote, "remote", "remote", "a remote frame"},
             {kCanError, "error", "error frame"},
             {kCanOverload, "overload", "overload frame", "an overload frame"}};
  f.errors = {{errorBit(CanError::Incomplete), "incomplete", "an unfinished frame"},
              {errorBit(CanError::Stuff), "stuff", "a stuff error"},
              {errorBit(CanError::Form), "form", "a form error"},
              {errorBit(CanError::Crc), "crc", "a wrong CRC"},
              {errorBit(CanError::StuffCount), "stuff-count", "a wrong stuff count"},
              {errorBit(CanError::Ack), "ack"}};
  f.properties = canProperties();
  f.words = canPropertyWords();
  f.alwaysInTables = true;
  f.likeness = "the same identifier";
  f.linkType = kCanLinkType;
  f.sendExample = "122 0B 01";
  f.rateUnit = "bit/s";
  // Resynchronisation lets two nodes be about half a percent off each.
  f.rateTolerance = 0.005;
  f.measures = canMeasures();
  return f;
}

class DataReader final : public PayloadReader {
 public:
  FramePayloads of(const Frame& frame) const override
  {
    FramePayloads out;
    if (canHasHeader(frame))
      out.add(0, canData(frame));
    return out;
  }
};

class FrameTalk final : public TalkReader {
 public:
  Talk of(const Frame& frame) const override
  {
    Talk talk;
    const CanHead head = canHead(frame);
    talk.heard = frame.kind == kCanData && head.hasId;
    if (!talk.heard)
      return talk;
    talk.name = head.id | (head.extended ? Talk::kWide : 0U);
    talk.out = canData(frame);
    talk.whole = talk.certain = frame.errors == 0 || frame.errors == errorBit(CanError::Ack);
    return talk;
  }
};

/// Bits in groups that each fit a strip: the identifier, what follows it up to the DLC, a data byte, the CRC, the end,
/// a flag.
enum class Group { Identifier, Control, Byte, Check, End, Flag };

Group groupOf(Role role)
{
  switch (role) {
    case Role::Start:
    case Role::Address:
      return Group::Identifier;
    case Role::Control:
    case Role::Length:
      return Group::Control;
    case Role::Data:
      return Group::Byte;
    case Role::Check:
      return Group::Check;
    case Role::Flag:
      return Group::Flag;
    default:
      return Group::End;
  }
}

class CanProtocol final : public Protocol {
 public:
  CanProtocol() : Protocol(bexto::facts()) {}

  Settings settings() const override { return makeCanSettings(); }
  Result<void> check(const Bus& bus) const override
  {
    const int wires = (bus.has("rx") ? 1 : 0) + (bus.has("canh") ? 1 : 0) + (bus.has("canl") ? 1 : 0);
    if (wires == 0)
      return fail(ErrorCode::BadArgument, say("no channel is given"), {},
                  say("add rx=CHANNEL, canh=CHANNEL or canl=CHANNEL"));
    if (wires > 1)
      return fail(ErrorCode::BadArgument, say("several channels are given for one wire"), {},
                  say("leave one of rx, canh and canl"));
    return {};
  }
  std::string settingsSummary(const Bus& bus) const override { return canSummary(bus); }
  /// A wire that is called after the one of the pair is that one.
  void completeSuggestion(Bus& bus) const override
  {
    const std::string channel = bus.channelOf("rx");
    std::string lower = channel;
    std::transform(lower.begin(), lower.end(), lower.begin(),
                   [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
    for (const auto& [role, names] :
         {std::pair("canh", std::array{"canh", "can_h"}), std::pair("canl", std::array{"canl", "can_l"})}) {
      if (std::any_of(names.begin(), names.end(), [&](const char* n) { return lower.find(n) != std::string::npos; })) {
        bus.setChannel("rx", {});
        bus.setChannel(role, channel);
        return;
      }
    }
  }
  double setRate(const Bus& bus) const override { return canSettings(bus).bitrate; }
  double fastestRate(const Bus& bus) const override
  {
    return std::max(canSettings(bus).bitrate, canSettings(bus).fdBitrate);
  }
  Result<void> findAuto(Bus& bus, const std::vector<StreamInput>& inputs) const override
  {
    // Records tell no rate, and need none.
    if (inputs.front().records)
      return {};
    CanSettings settings = canWireSettings(bus);
    if (settings.bitrate == 0.0) {
      settings.bitrate = findCanBitRate(settings, inputs.front());
      if (!(settings.bitrate > 0.0))
        return fail(ErrorCode::NotFound, say("the bit rate cannot be found: at none is there a whole frame"), {},
                    say("give it, like bitrate=500000"));
      bus.settings.edit<CanSettings>().bitrate = settings.bitrate;
    }
    // None is found where no frame switches: then there is nothing to read with it.
    if (settings.fdBitrate == 0.0)
      bus.settings.edit<CanSettings>().fdBitrate = findCanFdBitRate(settings, inputs.front());
    return {};
  }

  std::unique_ptr<Decoder> decoder(const Bus& bus, const StreamInput& input) const override
  {
    return input.records ? makeCanRecordDecoder(canSettings(bus), input) : makeCanDecoder(canWireSettings(bus), input);
  }
  Anatomy anatomy(const Bus& bus, const StreamInput& input, const FrameIndex& frames, std::uint64_t number,
                  TimeRange /*window*/) const override
  {
    return input.records ? Anatomy() : canAnatomy(canWireSettings(bus), input, frames, number);
  }
  Result<Telegram> telegram(const Bus& /*bus*/, const std::string& line) const override { return canTelegram(line); }
  bool appendRecord(const Bus& /*bus*/, const Frame& frame, std::vector<std::uint8_t>& bytes) const override
  {
    return appendCanRecord(frame, bytes);
  }
  BitRange bitsAround(const Anatomy& anatomy, Picoseconds at) const override
  {
    const std::vector<Field>& fields = anatomy.fields;
    std::size_t here = 0;
    while (here + 1 < fields.size() && (fields[here].time.end <= at || fields[here].bitCount == 0))
      ++here;
    // What cut the frame has no bits: those before it then.
    while (here > 0 && fields[here].bitCount == 0)
      --here;
    if (fields.empty() || fields[here].bitCount == 0)
      return {0, 0};
    const Group group = groupOf(fields[here].role);
    std::size_t first = here;
    std::size_t last = here;
    const auto joins = [&](std::size_t i) {
      return groupOf(fields[i].role) == group && group != Group::Byte && fields[i].bitCount > 0;
    };
    while (first > 0 && joins(first - 1))
      --first;
    while (last + 1 < fields.size() && joins(last + 1))
      ++last;
    return {fields[first].firstBit, fields[last].firstBit + fields[last].bitCount};
  }

  std::unique_ptr<const TalkReader> talkReader(const Bus& /*bus*/) const override
  {
    return std::make_unique<FrameTalk>();
  }
  std::unique_ptr<const PayloadReader> payloadReader(const Bus& /*bus*/) const override
  {
    return std::make_unique<DataReader>();
  }

  Sentence sentence(const Bus& bus, const Transactions& transactions, std::uint64_t number,
                    std::size_t most) const override
  {
    return canSentence(bus, transactions.frames().frame(transactions.framesOf(number).first), most);
  }
  std::uint64_t detailCount(const Bus& /*bus*/, const Frame& frame) const override { return canDetailCount(frame); }
  Detail detail(const Bus& bus, const Frame& frame, std::uint64_t index) const override
  {
    return canDetail(bus, frame, index);
  }
  std::string faultText(const Bus& /*bus*/, const Frame& frame) const override { return canFaultText(frame); }
  std::string kindText(const Bus& bus, const Frame& frame) const override
  {
    if (frame.kind == kCanData) {
      const CanFrame can = canFrame(frame);
      if (can.hasFormat && can.fd)
        return say("FD data");
    }
    return Protocol::kindText(bus, frame);
  }

  std::string detailTerm(const Bus& bus, const Frame& frame, const Detail& detail) const override
  {
    if (!canHasHeader(frame))
      return kindTerm(bus, frame);
    const CanFrame can = canFrame(frame);
    switch (detail.role) {
      case Role::Data:
        return fmt::format("byte{}:{:02X}", detail.field, can.data[detail.field]);
      case Role::Length:
        return termOf("dlc", {bus, frame, {}});
      case Role::Check:
        return termOf("crc", {bus, frame, {}});
      case Role::Acknowledge:
        return can.ack ? "ack" : "nack";
      case Role::Control:
        return can.fd ? "fd" : "classic";
      default:
        return termOf("id", {bus, frame, {}});
    }
  }
  std::unique_ptr<Meter> meter(const Bus& bus) const override
  {
    return canSettings(bus).bitrate > 0.0 ? makeCanMeter(canSettings(bus)) : nullptr;
  }
  std::string usualBook(const Bus& /*bus*/, const StreamInput& /*input*/, const FrameIndex& /*frames*/) const override
  {
    return "can";
  }
  FrameErrors cutError() const override { return errorBit(CanError::Incomplete); }
  /// Those who saw the error did not acknowledge.
  bool wouldBeRight(const Frame& after) const override
  {
    return canHasHeader(after) && (after.errors & ~errorBit(CanError::Ack)) == 0;
  }

  std::uint64_t nameOf(const Bus& /*bus*/, const Frame& first) const override
  {
    const CanHead head = canHead(first);
    return head.hasId ? head.id | (head.extended ? 0x80000000U : 0U) : ~0U;
  }
  Side sideOf(const Transactions& transactions, std::uint64_t number) const override
  {
    const FrameKind kind = transactions.frames().frame(transactions.framesOf(number).first).kind;
    return kind == kCanRemote ? Side::Request : kind == kCanData ? Side::Answer : Side::None;
  }
};

}  // namespace

const Protocol& canProtocol()
{
  static const CanProtocol kProtocol;
  return kProtocol;
}

}  // namespace bexto
