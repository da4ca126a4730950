#pragma once

// What a protocol has to offer. Everything that the program knows of one protocol stands in its room, a folder
// core/protocol/NAME, behind one object of this class; nobody else names a protocol. To write the next one, go through
// this header from top to bottom: each part says what the program does with it, and what happens without it.
// ARCHITECTURE.md, "How to add a protocol", tells the way with the files of a room.

#include <memory>
#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "core/base/say.h"
#include "core/decode/anatomy.h"
#include "core/decode/bus.h"
#include "core/decode/cause.h"
#include "core/decode/decoder.h"
#include "core/decode/frame_index.h"
#include "core/decode/meter.h"
#include "core/decode/payload.h"
#include "core/decode/property.h"
#include "core/decode/sentence.h"
#include "core/decode/talk.h"
#include "core/decode/telegram.h"
#include "core/decode/transactions.h"

namespace bexto {

/// A wire that a bus of the protocol has.
struct RoleSpec {
  std::string name;                ///< key in a bus spec: "clk"
  std::string label;               ///< for people: "CLK"
  bool required = false;           ///< there is no bus without it
  std::vector<std::string> hints;  ///< parts of channel names, lower case, that speak for it, best first
  bool isLine = false;             ///< a direction with a stream of its own, which is called after the role
  int dataLine = 0;                ///< Bit::line of the bits that are sampled on it; -1: none are
  bool mayBeRecords = false;       ///< a channel of Facts::linkType can be in its place; the only one but for lines
};

/// A kind of frame.
struct KindSpec {
  FrameKind kind = 0;
  std::string word;         ///< in files and filters: "remote"
  std::string label;        ///< in lists: "remote"
  std::string phrase = {};  ///< as a word that stands alone in a filter, "a remote frame"; empty: it does not
  bool isValue = false;     ///< such a frame is a single value: no room is needed to show its parts
};

/// An error that frames can have.
struct ErrorSpec {
  FrameErrors bit = 0;
  std::string word;         ///< in files and filters: "crc"
  std::string phrase = {};  ///< as a word that stands alone in a filter, "a wrong CRC"; empty: it does not
};

/// A direction of payload on a bus that has several.
struct WaySpec {
  std::string label;     ///< for people: "written"; empty where there is but one
  std::string key = {};  ///< the property of Sort::Bytes that asks for it alone; empty: none
};

/// Which side of a conversation a transaction is, for finding its other half.
enum class Side : std::uint8_t { None, Request, Answer };

/// One protocol. Immutable, made once and alive as long as the program; any number of threads may use it at once.
/// Whatever takes a Bus requires that it is of this protocol; whatever takes a Frame or Transactions with it, that they
/// came from decoding it. Nothing here fails on what wires do.
class Protocol {
 public:
  /// What can be said without code, in the order in which a newcomer would.
  struct Facts {
    // What it is called.
    std::string name;     ///< in a bus spec, lower case
    std::string label;    ///< for people
    std::string example;  ///< a whole bus spec, for help: "sensors=…"

    /// Its wires, in the order in which decoders get their tracks.
    std::vector<RoleSpec> roles;

    // What its frames are. Bits of errors and kinds are the room's own; words stand in this order in files.
    std::vector<KindSpec> kinds;
    std::vector<ErrorSpec> errors;
    Noun noun = kFrames;              ///< what is counted on a bus card
    bool countsTransactions = false;  ///< of those, not of frames
    bool framesAreValues = false;     ///< each frame is one value and opens to one line; a transaction is a row of them
    bool payloadMayBeText = false;    ///< payload is often what people write: then the bus is shown as text

    // What frames say of themselves.
    std::vector<Property> properties;  ///< in the order of files
    std::vector<PropertyWord> words;   ///< besides kinds, errors and what all protocols have
    /// Frames as CSV have the columns of this protocol even when no bus of it is decoded. Only for those that were
    /// there when the format was fixed: so the same capture gives the same file when the program learns another
    /// protocol.
    bool alwaysInTables = false;
    std::vector<WaySpec> ways = {{}};  ///< of payload; a PayloadWay is a number in here

    // What a transaction answers.
    bool answersOnOtherLine = false;         ///< an answer to one line is what the bus's other line says next
    std::string likeness = "the same kind";  ///< what "the next like it" means: "the same address"

    /// Which records of sources without wires are its frames; nullopt: none are known.
    std::optional<LinkType> linkType = {};

    // What descriptions of its devices lean on.
    TalkStyle talkStyle = TalkStyle::None;

    // What can be said on it from here.
    std::string sendExample = {};  ///< a line as telegram() reads it, for help; empty: it reads none

    // What is measured on its wires, in the order in which it is shown.
    std::vector<MeasureSpec> measures = {};

    // The rate of a bus, where one is set.
    std::string rateUnit = {};    ///< "bit/s"; empty: a clock leads, and what is measured is its frequency
    double rateTolerance = 0.02;  ///< the share by which sender and receiver may differ
    bool wiresFirst = false;      ///< on a bus card the wires say more than the settings
  };

  explicit Protocol(Facts facts) : m_facts(std::move(facts)) {}
  Protocol(const Protocol&) = delete;
  Protocol& operator=(const Protocol&) = delete;
  virtual ~Protocol() = default;

  const Facts& facts() const { return m_facts; }
  const std::string& name() const { return m_facts.name; }
  const std::string& label() const { return m_facts.label; }

  // ---- 1. A bus of it: settings, what makes it whole, what is found from the wires.

  /// New settings, from the room's SettingTable.
  virtual Settings settings() const = 0;
  /// What is missing that required roles and settings do not say. Errors: BadArgument with the mend; `where` is filled
  /// in by the caller.
  virtual Result<void> check(const Bus& /*bus*/) const { return {}; }
  /// The settings in one line for people, "57600 8E1"; empty when there is nothing to say.
  virtual std::string settingsSummary(const Bus& bus) const = 0;
  /// Gives a bus that was put together from channel names what it needs besides.
  virtual void completeSuggestion(Bus& /*bus*/) const {}
  /// Replaces what is set to "auto" by what the wires say; `inputs` are those of the bus's streams. Reads no more than
  /// their begin. Errors: BadArgument when nothing can be found, with the mend.
  virtual Result<void> findAuto(Bus& /*bus*/, const std::vector<StreamInput>& /*inputs*/) const { return {}; }
  /// The rate that is set, in Facts::rateUnit; 0 when none is.
  virtual double setRate(const Bus& /*bus*/) const { return 0.0; }
  /// The fastest that bits come as the bus is set: what a capture has to be sampled for. 0: its settings do not tell.
  virtual double fastestRate(const Bus& bus) const { return setRate(bus); }

  // ---- 2. Frames: from wires to the index, and one of them opened up.

  /// Requires: `bus` was resolved, and `input` has a track for each of the stream's roles that has a channel. With
  /// StreamInput::records the frames are those, each from its time for as long as it takes at the rate that is set, or
  /// of no length where none is.
  virtual std::unique_ptr<Decoder> decoder(const Bus& bus, const StreamInput& input) const = 0;
  /// As anatomyOf(): the same machine again over one frame, with a recorder. Fills in Field::ordinal. Of records
  /// nothing: they have no bits.
  virtual Anatomy anatomy(const Bus& bus, const StreamInput& input, const FrameIndex& frames, std::uint64_t number,
                          TimeRange window) const = 0;
  /// Appends the bytes of Facts::linkType that say what the frame says: for files of frames. False, and nothing is
  /// appended: no record can say it.
  virtual bool appendRecord(const Bus& /*bus*/, const Frame& /*frame*/, std::vector<std::uint8_t>& /*bytes*/) const
  {
    return false;
  }
  /// The bits [first, second) that belong together when one of them is pointed at; by default all.
  using BitRange = std::pair<std::size_t, std::size_t>;
  virtual BitRange bitsAround(const Anatomy& anatomy, Picoseconds at) const;

  // ---- 3. Transactions and payload.

  /// Appends the number of each transaction's first frame, from frame `from` on, which is one; see groupFrames().
  /// False, and nothing is appended: every frame is a transaction.
  virtual bool firsts(const Bus& bus, const FrameIndex& frames, std::uint64_t from,
                      std::vector<std::uint32_t>& firsts) const;
  virtual std::unique_ptr<const PayloadReader> payloadReader(const Bus& bus) const = 0;
  /// The ways that payload takes on that bus; by default all of Facts::ways.
  virtual std::vector<PayloadWay> waysOf(const Bus& bus) const;
  /// What stands in front of a frame's payload in a list of bytes; by default the way's label.
  virtual std::string payloadLabel(const Bus& bus, const Frame& frame, PayloadWay way) const;

  // ---- 4. Words for people. Each line is written when it is looked at, so a frame costs constant time.

  virtual Sentence sentence(const Bus& bus, const Transactions& transactions, std::uint64_t number,
                            std::size_t mostValues) const = 0;
  /// Lines that a frame opens to, at least one.
  virtual std::uint64_t detailCount(const Bus& bus, const Frame& frame) const = 0;
  /// Line `index` of those; Detail::frame is filled in by the caller. Requires: index < detailCount().
  virtual Detail detail(const Bus& bus, const Frame& frame, std::uint64_t index) const = 0;
  /// What is wrong, in a few words. Requires: the frame has errors.
  virtual std::string faultText(const Bus& bus, const Frame& frame) const = 0;
  /// The frame's kind in a list; by default the label of its KindSpec.
  virtual std::string kindText(const Bus& bus, const Frame& frame) const;
  /// What is counted on a bus card.
  virtual Noun noun(const Bus& /*bus*/) const { return m_facts.noun; }

  // ---- 5. What a right click asks for, and what belongs together.

  /// A term of the filter language for the frame's kind: "kind:remote", or a word. Empty: there is none.
  virtual std::string kindTerm(const Bus& bus, const Frame& frame) const;
  /// The same for a line that the frame opens to; `detail` came from detail(). Empty: ask for the whole frame.
  virtual std::string detailTerm(const Bus& bus, const Frame& frame, const Detail& detail) const;
  /// Two transactions are of the same name (an address, an identifier) when this is equal.
  virtual std::uint64_t nameOf(const Bus& bus, const Frame& first) const = 0;
  /// Two are of the same kind when this is equal; by default their first frames' kind.
  virtual std::uint64_t kindOf(const Transactions& transactions, std::uint64_t number) const;
  /// A request belongs to the next transaction of its name when that is an answer, and the other way round.
  virtual Side sideOf(const Transactions& /*transactions*/, std::uint64_t /*number*/) const { return Side::None; }

  // ---- 6. Sending.

  /// What a person writes in the trade's words, "2A write 10 read 3", as what goes on the bus. By default nothing can
  /// be sent. Errors: BadArgument with the mend.
  virtual Result<Telegram> telegram(const Bus& bus, const std::string& line) const;

  // ---- 7. Devices.

  /// Frames as what is said to whom, in Facts::talkStyle. nullptr: frames as that bus has them do not tell.
  virtual std::unique_ptr<const TalkReader> talkReader(const Bus& /*bus*/) const { return nullptr; }

  // ---- 8. Checks.

  /// Measures Facts::measures on one stream. nullptr: nothing is measured. Requires: a bus that was
  /// resolved.
  virtual std::unique_ptr<Meter> meter(const Bus& /*bus*/) const { return nullptr; }
  /// The rulebook that a bus is judged by when nobody names one; empty: by none. Looks at the stream where that depends
  /// on how fast it is.
  virtual std::string usualBook(const Bus& /*bus*/, const StreamInput& /*input*/, const FrameIndex& /*frames*/) const
  {
    return {};
  }
  /// Of the errors that frames have, those that are no mistakes of the bus but traffic: no rule is made of them.
  virtual FrameErrors harmless() const { return 0; }
  /// The error that says that something was cut; the capture's begin and end cut too, and that is nobody's mistake.
  virtual FrameErrors cutError() const { return 0; }
  /// Whether `after`, which is a frame with errors read again without a pulse, is right; where it was cut by others who
  /// saw the error, as far as that lets it be.
  virtual bool wouldBeRight(const Frame& after) const { return after.errors == 0; }
  /// Where in a frame data moved so that a bit of it is in doubt, though the frame may look right; by what only the
  /// protocol knows. Requires: it came from wires.
  virtual std::vector<Cause> suspects(const Bus& /*bus*/, const StreamInput& /*input*/, const Frame& /*frame*/) const
  {
    return {};
  }
  /// Why the frame likely has its errors, by what only the protocol knows; nothing: nothing points to it.
  /// Requires: the frame has errors, and came from wires.
  virtual std::optional<Cause> causeOf(const Bus& /*bus*/, const StreamInput& /*input*/, const FrameIndex& /*frames*/,
                                       std::uint64_t /*number*/) const
  {
    return std::nullopt;
  }

  // ---- Looked up in the facts.

  /// nullptr when there is none.
  const KindSpec* kind(FrameKind kind) const;
  const Property* property(const std::string& key) const;
  const RoleSpec* role(const std::string& name) const;
  /// Whether its buses have a stream for each direction.
  bool hasLines() const;
  /// The words of the set bits, in the order of Facts::errors. They live as long as the program.
  std::vector<std::string_view> errorWords(FrameErrors errors) const;
  /// "address:2A" for a frame that has the property; empty for one that has not.
  std::string termOf(const std::string& key, const FrameContext& frame) const;

 private:
  Facts m_facts;
};

/// All protocols that there are, in the order in which they are offered. The list stands in
/// core/protocol/protocols.cpp.
const std::vector<const Protocol*>& protocols();
/// The one whose frames records of that type are; nullptr: none knows them.
const Protocol* protocolOf(LinkType linkType);
/// By its name in a bus spec. Errors: BadArgument, naming those that there are.
Result<const Protocol*> protocolNamed(const std::string& name);

}  // namespace bexto
