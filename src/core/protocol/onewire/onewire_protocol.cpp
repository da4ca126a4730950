// The room's door: what 1-Wire has to offer, by the parts of core/decode/protocol.h.
#include "core/protocol/onewire/onewire_protocol.h"

#include <fmt/core.h>

#include "core/protocol/onewire/onewire_decoder.h"
#include "core/protocol/onewire/onewire_frame.h"
#include "core/protocol/onewire/onewire_meter.h"
#include "core/protocol/onewire/onewire_properties.h"
#include "core/protocol/onewire/onewire_settings.h"
#include "core/protocol/onewire/onewire_words.h"

namespace bexto {

namespace {

Protocol::Facts facts()
{
  Protocol::Facts f;
  f.name = "onewire";
  f.label = "1-Wire";
  f.example = "bearing=onewire,dq=DQ";
  f.roles = {{"dq", "DQ", true, {"dq", "onewire", "1wire", "owire"}, false, 0}};
  f.kinds = {{kOneWireTransaction, "transaction", "transaction"}};
  f.errors = {{errorBit(OneWireError::NoPresence), "no-presence", "no presence pulse"},
              {errorBit(OneWireError::Crc), "crc", "a wrong CRC"},
              {errorBit(OneWireError::Incomplete), "incomplete", "an unfinished transaction"}};
  f.noun = kTransactions;
  f.properties = oneWireProperties();
  f.likeness = "the same ROM";
  f.measures = oneWireMeasures();
  return f;
}

class BytesReader final : public PayloadReader {
 public:
  FramePayloads of(const Frame& frame) const override
  {
    FramePayloads out;
    if (const OneWireTransaction t = oneWireTransaction(frame); t.command)
      out.add(0, t.data);
    return out;
  }
};

class OneWireProtocol final : public Protocol {
 public:
  OneWireProtocol() : Protocol(bexto::facts()) {}

  Settings settings() const override { return makeOneWireSettings(); }
  std::string settingsSummary(const Bus& bus) const override { return oneWireSummary(bus); }

  std::unique_ptr<Decoder> decoder(const Bus& bus, const StreamInput& input) const override
  {
    return makeOneWireDecoder(oneWireSettings(bus), input);
  }
  Anatomy anatomy(const Bus& bus, const StreamInput& input, const FrameIndex& frames, std::uint64_t number,
                  TimeRange /*window*/) const override
  {
    return oneWireAnatomy(oneWireSettings(bus), input, frames.frame(number));
  }
  /// The field's: a byte, or the slots of a search that choose one.
  BitRange bitsAround(const Anatomy& anatomy, Picoseconds at) const override
  {
    BitRange around{0, anatomy.bits.size()};
    for (const Field& field : anatomy.fields) {
      if (field.bitCount > 0 && field.time.begin <= at)
        around = {field.firstBit, field.firstBit + field.bitCount};
    }
    // What lies in front of the first slot shows the ROM command.
    if (around == BitRange{0, anatomy.bits.size()}) {
      for (const Field& field : anatomy.fields) {
        if (field.bitCount > 0)
          return {field.firstBit, field.firstBit + field.bitCount};
      }
    }
    return around;
  }

  std::unique_ptr<const PayloadReader> payloadReader(const Bus& /*bus*/) const override
  {
    return std::make_unique<BytesReader>();
  }

  Sentence sentence(const Bus& bus, const Transactions& transactions, std::uint64_t number,
                    std::size_t most) const override
  {
    return oneWireSentence(bus, transactions.frames().frame(transactions.framesOf(number).first), most);
  }
  std::uint64_t detailCount(const Bus& /*bus*/, const Frame& frame) const override { return oneWireDetailCount(frame); }
  Detail detail(const Bus& bus, const Frame& frame, std::uint64_t index) const override
  {
    return oneWireDetail(bus, frame, index);
  }
  std::string faultText(const Bus& /*bus*/, const Frame& frame) const override { return oneWireFaultText(frame); }

  std::string detailTerm(const Bus& bus, const Frame& frame, const Detail& detail) const override
  {
    const OneWireTransaction t = oneWireTransaction(frame);
    switch (detail.role) {
      case Role::Data:
        return detail.field < t.data.size() ? fmt::format("byte{}:{:02X}", detail.field, t.data[detail.field])
                                            : termOf("bits", {bus, frame, {}});
      case Role::Control:
        return termOf("rom_command", {bus, frame, {}});
      case Role::Address:
      case Role::Check:
        return termOf("rom", {bus, frame, {}});
      default:
        return termOf("presence", {bus, frame, {}});
    }
  }
  std::unique_ptr<Meter> meter(const Bus& bus) const override { return makeOneWireMeter(oneWireSettings(bus)); }
  std::string usualBook(const Bus& /*bus*/, const StreamInput& /*input*/, const FrameIndex& /*frames*/) const override
  {
    return "onewire";
  }
  FrameErrors cutError() const override { return errorBit(OneWireError::Incomplete); }

  std::uint64_t nameOf(const Bus& /*bus*/, const Frame& first) const override
  {
    const OneWireTransaction t = oneWireTransaction(first);
    std::uint64_t name = 0;
    for (const std::uint8_t byte : t.rom)
      name = name << 8U | byte;
    // No ROM begins with the family code 00: those without one are of one name by their command.
    return t.rom.empty() ? t.command.value_or(0) : name;
  }
  std::uint64_t kindOf(const Transactions& transactions, std::uint64_t number) const override
  {
    const Frame first = transactions.frames().frame(transactions.framesOf(number).first);
    return oneWireTransaction(first).command.value_or(~0U);
  }
};

}  // namespace

const Protocol& oneWireProtocol()
{
  static const OneWireProtocol kProtocol;
  return kProtocol;
}

}  // namespace bexto
