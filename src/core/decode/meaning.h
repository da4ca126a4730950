#pragma once

// What frames mean in the terms of the devices that said them. The decode layer knows only this much of device sheets:
// who describes the devices of a bus (Describer), what is known of the frames of one stream (Meaning), and what a frame
// says then (Told). core/device makes them.

#include <cstdint>
#include <limits>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "core/decode/frame_index.h"

namespace bexto {

struct Bus;
class Transactions;

/// One value that a device's sheet finds in a frame.
struct ToldValue {
  std::string name;                 ///< as filters have it: "paddle_up"
  std::string text;                 ///< for people, without unit: "98.108", "ok", "06:41"
  std::string unit;                 ///< "m"; may be empty
  std::optional<double> number;     ///< scaled; nothing of a text, or of what is no number
  std::optional<std::int64_t> raw;  ///< as it was sent, where the sheet has a word for it
  std::string wrong;                ///< why it cannot be: "reserved"; empty: it can
  bool isFlag = false;              ///< one bit that is set or not
  // Where its bits are.
  std::uint64_t frame = 0;      ///< number of the frame in which it begins
  bool inward = false;          ///< what the device says, where both sides speak at once
  std::uint32_t firstByte = 0;  ///< of that frame's payload of that way

  /// "98.108 m".
  std::string textWithUnit() const { return unit.empty() ? text : text + " " + unit; }
  bool operator==(const ToldValue&) const = default;
};

/// What a frame, or a message of several, says in the terms of its device.
struct Told {
  std::string device;       ///< "LT-20"
  std::string subject;      ///< the register, command or message: "level"; empty: none is known
  bool isRegister = false;  ///< the subject is one
  std::string text;         ///< the sentence, without the device's name: "level = 98.108 m"
  std::vector<ToldValue> values;
  std::vector<std::string> faults;  ///< what cannot be, a few words each: "bits 7..4 of outputs are undefined"
  bool wrongSum = false;            ///< one of the faults: its checksum
  bool unanswered = false;          ///< one of the faults: nobody answered
  FrameRange frames;                ///< what it was made of
  bool operator==(const Told&) const = default;
};

/// From `low` to `high`, both included.
struct RealRange {
  double low = -std::numeric_limits<double>::infinity();
  double high = std::numeric_limits<double>::infinity();
  bool operator==(const RealRange&) const = default;
};

/// What a term of a filter asks of a device's values.
struct MeaningQuestion {
  enum class Of : std::uint8_t {
    Value,    ///< a value by its name, in `ranges` or one of `words`
    Device,   ///< who speaks or is spoken to, one of `words`; * stands for any characters
    Subject,  ///< the register, command or message, one of `words`; the same
    Fault     ///< something that its sheet says cannot be
  };
  Of of = Of::Value;
  std::string name;
  std::vector<RealRange> ranges;
  std::vector<std::string> words;
  bool operator==(const MeaningQuestion&) const = default;
};

/// A question, made ready for one stream. Of one thread.
class MeaningTest {
 public:
  virtual ~MeaningTest() = default;
  /// Appends to `out` those of `lines` for which a frame of their transaction answers; a line is `first` + its number.
  virtual void keep(const Transactions& transactions, std::uint64_t first, std::span<const std::uint32_t> lines,
                    std::vector<std::uint32_t>& out) = 0;
};

/// What is known of the frames of one stream. Immutable and shared; any thread may read.
class Meaning {
 public:
  Meaning() = default;
  Meaning(const Meaning&) = delete;
  Meaning& operator=(const Meaning&) = delete;
  virtual ~Meaning() = default;

  /// Number of each transaction's first frame, where sheets say which frames are one message; nullptr: as the protocol
  /// groups them.
  virtual std::shared_ptr<const std::vector<std::uint32_t>> firsts() const { return nullptr; }
  /// Whether a sheet says something of these frames.
  virtual bool says(FrameRange frames) const = 0;
  /// What it says, one for each frame or message, in their order.
  virtual std::vector<Told> told(const Bus& bus, const FrameIndex& frames, FrameRange range) const = 0;
  /// How many values they have together; cheaper than told().
  virtual std::uint64_t valueCount(const Bus& bus, const FrameIndex& frames, FrameRange range) const = 0;
  /// Whether something in one of these frames cannot be, by their sheets.
  virtual bool isFaulty(FrameRange frames) const = 0;
  /// Frames in which something cannot be, from number `from` on, rising.
  virtual std::vector<std::uint32_t> faulty(std::uint64_t from) const = 0;
  virtual std::unique_ptr<MeaningTest> test(const Bus& bus, const MeaningQuestion& question) const = 0;
  /// Memory of its columns, in bytes.
  virtual std::size_t bytes() const = 0;

  /// What a message has to do with another: a request with its answer, or an answer with its request.
  struct Partner {
    bool isAnswer = false;    ///< the message is an answer; else a request
    int stream = -1;          ///< of the bus, of the other one; -1: nobody answered
    std::uint64_t frame = 0;  ///< the other one's first
    Picoseconds wait{0};      ///< from the request's end to the answer's begin
  };
  /// Frames of a message that came in parts, or the message that a frame is a part of.
  struct Kin {
    bool areParts = false;  ///< else `frames` is the whole message, which is one
    int stream = -1;        ///< of the bus, that they are in
    std::vector<std::uint64_t> frames;
  };
  virtual std::optional<Kin> kinOf(FrameRange /*frames*/) const { return std::nullopt; }

  /// Of the message that begins in these frames; nothing where no sheet says what answers what, or it is not known yet.
  virtual std::optional<Partner> partnerOf(FrameRange /*frames*/) const { return std::nullopt; }
};

/// A value that devices of a bus have, for filters and completion.
struct ValueWord {
  std::string name;
  std::string unit;
  std::string help;                ///< whose it is: "of LT-20"
  std::vector<std::string> words;  ///< what it can be, where it has words
  bool operator==(const ValueWord&) const = default;
};

/// The devices of one bus, as their sheets describe them. Immutable and shared; any thread may use one.
class Describer {
 public:
  Describer() = default;
  Describer(const Describer&) = delete;
  Describer& operator=(const Describer&) = delete;
  virtual ~Describer() = default;

  /// What is known of `frames`, which are of stream `line` of a bus of that protocol. With `before`, which this or an
  /// equal describer made of the begin of the same stream, only what is new is looked at; its last frames may have
  /// grown.
  virtual std::shared_ptr<const Meaning> read(const Bus& bus, const FrameIndex& frames,
                                              const std::shared_ptr<const Meaning>& before) const = 0;
  /// The messages that came in several frames of a stream, whole: a stream of its own, in which each is one frame.
  /// `before` is that of the begin of the same stream; `final`: nothing follows. Nothing where sheets have none.
  virtual std::optional<Transactions> wholesIn(const Bus& bus, const Transactions& stream, const Transactions& before,
                                               bool final) const = 0;
  /// What all streams of the bus say, put together: requests and answers mostly are on two lines. Their meanings, in
  /// their order, each as it was or one that knows of the others; those of `streams` may have been put together before,
  /// when they were shorter.
  virtual std::vector<std::shared_ptr<const Meaning>> together(const Bus& bus,
                                                               std::span<const Transactions> streams) const = 0;
  virtual const std::vector<ValueWord>& values() const = 0;
  virtual const std::vector<std::string>& devices() const = 0;
  virtual const std::vector<std::string>& subjects() const = 0;
};

/// Who describes the devices of the bus; nullptr when it has no sheets, or none that fits. Sheets with mistakes are as
/// if they were not there; who attaches one is told what is wrong (core/device/sheet.h). Any thread; the same for equal
/// sheets as long as somebody holds it.
std::shared_ptr<const Describer> describerOf(const Bus& bus);

}  // namespace bexto
