// The room's door: what SPI has to offer, by the parts of core/decode/protocol.h.
#include "core/protocol/spi/spi_protocol.h"

#include <fmt/core.h>

#include "core/base/say.h"
#include "core/protocol/spi/spi_decoder.h"
#include "core/protocol/spi/spi_frame.h"
#include "core/protocol/spi/spi_meter.h"
#include "core/protocol/spi/spi_properties.h"
#include "core/protocol/spi/spi_settings.h"
#include "core/protocol/spi/spi_telegram.h"
#include "core/protocol/spi/spi_words.h"

namespace bexto {

namespace {

Protocol::Facts facts()
{
  Protocol::Facts f;
  f.name = "spi";
  f.label = "SPI";
  f.example = "flash=spi,clk=CLK,mosi=MOSI,miso=MISO,cs=CS";
  f.sendExample = "9F read 3";
  f.talkStyle = TalkStyle::Exchanged;
  f.measures = spiMeasures();
  f.roles = {{"clk", "CLK", true, {"clk", "sck", "sclk"}, false, -1},
             {"mosi", "MOSI", false, {"mosi", "sdo"}, false, 0},
             {"miso", "MISO", false, {"miso", "sdi"}, false, 1},
             {"cs", "CS", false, {"cs", "ncs", "ss", "sel"}, false, -1}};
  f.kinds = {{kSpiTransfer, "transfer", "transfer"}, {kSpiWord, "word", "word"}};
  f.errors = {{errorBit(SpiError::Incomplete), "incomplete", "an unfinished frame"}};
  f.properties = spiProperties();
  f.alwaysInTables = true;
  f.ways = {{"MOSI", "mosi"}, {"MISO", "miso"}};
  f.likeness = "the same first byte";
  return f;
}

/// As spiTransfer() has it, without asking the bus again for each of millions of frames.
class WordReader final : public PayloadReader {
 public:
  explicit WordReader(const Bus& bus)
      : m_mosi(bus.has("mosi")),
        m_miso(bus.has("miso")),
        m_bytesPerWord(static_cast<std::size_t>(spiSettings(bus).bits + 7) / 8)
  {
  }
  FramePayloads of(const Frame& frame) const override
  {
    FramePayloads out;
    const std::size_t bytes = frame.key * m_bytesPerWord;
    if (m_mosi)
      out.add(kSpiMosi, frame.payload.first(bytes));
    if (m_miso)
      out.add(kSpiMiso, frame.payload.last(bytes));
    return out;
  }

 private:
  bool m_mosi;
  bool m_miso;
  std::size_t m_bytesPerWord;
};

class WordTalk final : public TalkReader {
 public:
  explicit WordTalk(const Bus& bus) : m_words(bus) {}
  Talk of(const Frame& frame) const override
  {
    Talk talk;
    talk.heard = true;
    talk.whole = frame.errors == 0;
    for (const FramePayload& payload : m_words.of(frame))
      (payload.way == kSpiMosi ? talk.out : talk.in) = payload.bytes;
    return talk;
  }

 private:
  WordReader m_words;
};

class SpiProtocol final : public Protocol {
 public:
  SpiProtocol() : Protocol(bexto::facts()) {}

  Settings settings() const override { return makeSpiSettings(); }
  Result<void> check(const Bus& bus) const override
  {
    if (!bus.has("mosi") && !bus.has("miso"))
      return fail(ErrorCode::BadArgument, say("no data line is given"), {},
                  say("add mosi=CHANNEL, miso=CHANNEL or both"));
    if (!bus.has("cs") && spiSettings(bus).gap <= Picoseconds{0})
      return fail(ErrorCode::BadArgument, say("nothing says where a transfer ends"), {},
                  say("add cs=CHANNEL or gap=8us"));
    return {};
  }
  std::string settingsSummary(const Bus& bus) const override { return spiSummary(bus); }
  /// Without a select, transfers need a gap; this one suits most clocks until the user says better.
  void completeSuggestion(Bus& bus) const override
  {
    if (!bus.has("cs"))
      bus.settings.edit<SpiSettings>().gap = std::chrono::microseconds{8};
  }

  std::unique_ptr<Decoder> decoder(const Bus& bus, const StreamInput& input) const override
  {
    return makeSpiDecoder(bus, input);
  }
  Anatomy anatomy(const Bus& bus, const StreamInput& input, const FrameIndex& frames, std::uint64_t number,
                  TimeRange window) const override
  {
    return spiAnatomy(bus, input, frames.frame(number), window);
  }
  /// A word, both directions.
  BitRange bitsAround(const Anatomy& anatomy, Picoseconds at) const override
  {
    std::size_t word = 0;
    while (word + 1 < anatomy.fields.size() && anatomy.fields[word].time.end <= at)
      ++word;
    if (anatomy.fields.empty())
      return {0, 0};
    BitRange bits{anatomy.fields[word].firstBit, 0};
    for (const Field& field : anatomy.fields) {
      if (field.ordinal == anatomy.fields[word].ordinal)
        bits.second = field.firstBit + field.bitCount;
    }
    return bits;
  }

  /// A word alone does not say what it is the answer to.
  std::unique_ptr<const TalkReader> talkReader(const Bus& bus) const override
  {
    if (spiSettings(bus).frames != SpiFrames::Transfer)
      return nullptr;
    return std::make_unique<WordTalk>(bus);
  }
  std::unique_ptr<const PayloadReader> payloadReader(const Bus& bus) const override
  {
    return std::make_unique<WordReader>(bus);
  }
  std::vector<PayloadWay> waysOf(const Bus& bus) const override
  {
    std::vector<PayloadWay> ways;
    if (bus.has("mosi"))
      ways.push_back(kSpiMosi);
    if (bus.has("miso"))
      ways.push_back(kSpiMiso);
    return ways;
  }

  Sentence sentence(const Bus& bus, const Transactions& transactions, std::uint64_t number,
                    std::size_t most) const override
  {
    return spiSentence(bus, transactions.frames().frame(transactions.framesOf(number).first), most);
  }
  std::uint64_t detailCount(const Bus& bus, const Frame& frame) const override { return spiDetailCount(bus, frame); }
  Detail detail(const Bus& bus, const Frame& frame, std::uint64_t index) const override
  {
    return spiDetail(bus, frame, index);
  }
  /// A frame can be incomplete in three ways, which the wires tell apart and the frame does not.
  Result<Telegram> telegram(const Bus& bus, const std::string& line) const override { return spiTelegram(bus, line); }
  std::string faultText(const Bus& /*bus*/, const Frame& /*frame*/) const override
  {
    return say("cut inside a word or by the capture");
  }
  Noun noun(const Bus& bus) const override
  {
    return spiSettings(bus).frames == SpiFrames::Word ? kSpiWords : Noun{"{} transfer", "{} transfers"};
  }

  std::string detailTerm(const Bus& bus, const Frame& frame, const Detail& detail) const override
  {
    const SpiTransfer t = spiTransfer(bus, frame);
    const auto bytes = t.hasMosi ? t.mosi : t.miso;
    if (spiSettings(bus).bits > 8 || detail.field >= bytes.size())
      return {};
    return fmt::format("byte{}:{:02X}", detail.field, bytes[detail.field]);
  }
  std::unique_ptr<Meter> meter(const Bus& bus) const override { return makeSpiMeter(bus); }
  FrameErrors cutError() const override { return errorBit(SpiError::Incomplete); }
  std::vector<Cause> suspects(const Bus& bus, const StreamInput& input, const Frame& frame) const override
  {
    return spiLateData(bus, input, frame);
  }

  std::uint64_t nameOf(const Bus& bus, const Frame& first) const override
  {
    const SpiTransfer t = spiTransfer(bus, first);
    const auto bytes = t.hasMosi ? t.mosi : t.miso;
    return bytes.empty() ? ~0U : bytes.front();
  }
};

}  // namespace

const Protocol& spiProtocol()
{
  static const SpiProtocol kProtocol;
  return kProtocol;
}

}  // namespace bexto
