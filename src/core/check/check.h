#pragma once

// Measures a bus, judges it by its rulebooks and lists what is wrong, with the likely cause. docs/command-line.md,
// `check`, says what each key means.

#include <functional>
#include <memory>
#include <optional>
#include <stop_token>
#include <string>
#include <vector>

#include "core/base/progress.h"
#include "core/check/rulebook.h"
#include "core/check/sample_period.h"
#include "core/decode/cause.h"
#include "core/decode/decoder.h"
#include "core/decode/tally.h"
#include "core/query/scan.h"

namespace bexto {

enum class Verdict : std::uint8_t { Pass, Fail, Undecided, Measured, NoEvidence };
/// As files have it: "no-evidence".
const char* verdictWord(Verdict verdict);

/// What kind of thing a rule looks at.
enum class RuleSort : std::uint8_t {
  Measure,  ///< an interval or a rate on the wires
  Error,    ///< an error of frames
  Sheet,    ///< what a device's sheet excludes
  Talk      ///< an expectation
};

/// A part of what a rule measured: by device and by who drives.
struct RuleGroup {
  std::string name;
  Spread spread;
};

/// What a rule found.
struct RuleResult {
  std::string rule;
  std::string book;     ///< its rulebook's name; of a sheet the device's; empty: by no book
  std::string clause;   ///< document and place; may be empty
  std::string meaning;  ///< for people
  std::string role;     ///< whose wire its intervals are drawn on; may be empty
  RuleSort sort = RuleSort::Measure;
  MeasureUnit measured = MeasureUnit::Count;
  std::string unit;  ///< as files have it: "ps", "Hz", "%", "count", or a value's own
  Limits limits;
  bool differs = false;  ///< the book has another limit than the one that it is made from
  Verdict verdict = Verdict::NoEvidence;
  Spread spread;
  double resolution = 0.0;             ///< of `worst`, else of the largest value
  std::optional<MeasuredPlace> worst;  ///< nothing without a limit
  std::uint64_t failed = 0;
  std::uint64_t undecided = 0;
  std::vector<MeasuredPlace> places;  ///< the worst first, at most Tally::kPlaces
  std::shared_ptr<const Histogram> histogram;
  std::vector<RuleGroup> groups;
  std::optional<double> neededRate;  ///< samples a second that would decide; nothing: it is decided, or no rate would
};

enum class Gravity : std::uint8_t {
  Limit,  ///< a limit is not kept
  Error   ///< data is wrong or was not understood
};

/// Something that is wrong.
struct Finding {
  std::size_t rule = 0;  ///< in BusCheck::rules
  Gravity gravity = Gravity::Error;
  std::string what;
  TimeRange time;                      ///< the interval or the bit
  std::size_t stream = 0;              ///< of the bus
  std::optional<std::uint64_t> frame;  ///< of that stream: it is in, or behind
  Picoseconds frameBegin{0};
  std::optional<MeasuredPlace> measured;  ///< of a limit
  std::optional<double> limit;            ///< the one that is not kept
  std::optional<Cause> cause;
};

/// Something that devices may do, and that may be worth a look: a busy memory does not acknowledge.
struct Remark {
  std::string what;
  TimeRange time;
  std::size_t stream = 0;  ///< of the bus
  std::uint64_t frame = 0;
};

/// What a check of a bus gave.
struct BusCheck {
  std::vector<RuleResult> rules;  ///< in the order of books, then of the protocol
  std::vector<Finding> findings;  ///< by time
  std::vector<Remark> remarks;    ///< by time, at most Tally::kPlaces
  std::uint64_t remarkCount = 0;
  std::vector<std::string> books;  ///< those it was judged by
  std::vector<std::string> notes;  ///< what could not be asked, a sentence each: a filter that is wrong
};

struct CheckStream {
  std::string line;
  StreamInput input;
  FrameIndex frames;
};

/// What is checked: all of a bus.
struct CheckInput {
  Bus bus;                           ///< resolved
  std::vector<CheckStream> streams;  ///< of its wires, in their order
  std::vector<ScanSource> talk;      ///< the same as people read them, and messages in parts behind them
  SamplePeriod period;
  Picoseconds end{0};         ///< of the capture
  TimeRange span = kAllTime;  ///< only frames that begin in it
};

/// Errors: Cancelled only. `done` gets the share.
Result<BusCheck> checkBus(const CheckInput& input, const std::stop_token& stop,
                          const std::function<void(double done)>& progress = {});

/// What is measured on some frames of a stream, against the limits that `check` judged its bus by; only what was
/// measured. For one transaction that is looked at: of long ones the first frames have to do.
std::vector<RuleResult> measureFrames(const Bus& bus, const CheckStream& stream, FrameRange range,
                                      const BusCheck& check, const SamplePeriod& period);

/// The limit as it is on that bus: in ps where the book has bits.
Limits limitsOn(const Bus& bus, const LimitRule& rule);

}  // namespace bexto
