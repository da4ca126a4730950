#pragma once

#include <chrono>
#include <cstdint>
#include <memory>
#include <stop_token>
#include <string>
#include <vector>

#include "core/base/result.h"
#include "core/session/capture_plan.h"
#include "core/signal/record_recording.h"
#include "core/signal/sample_recording.h"
#include "live/outbox.h"

namespace bexto::live {

/// What a source is and can, as it says itself.
struct SourceFacts {
  std::string name;                 ///< for people
  std::vector<std::string> inputs;  ///< what hangs on each
  double slowest = 0;               ///< samples/s
  double fastest = 0;
  double fastestStream = 0;  ///< handed over while it is sampled, without an end; 0: it cannot
  std::uint64_t memory = 0;  ///< bytes, for what is not handed over at once
  bool runs = false;         ///< it can send run lengths
  /// Of a source that hands over frames instead of samples: what those of each input are. Its rates are 0 then.
  std::vector<LinkType> records;
  bool sends = false;  ///< it can say something, too
};

/// What take() brought.
struct Taken {
  enum class What : std::uint8_t {
    Nothing,  ///< not yet
    Block,
    Records,
    End  ///< what was to be acquired is whole
  };
  What what = What::Nothing;
  SampleBlock block;          ///< until the next call
  std::int64_t trigger = -1;  ///< number of the sample that fired; -1: not known
  ArrivedRecords records = {};
};

/// Something that captures can be taken from. Every call may wait, and comes back soon when `stop` is set; one thread
/// at a time, which Qt must have started where the source is made with Qt. Whatever the other end sends, a call gives
/// an Error, in bounded time and memory.
class LiveSource {
 public:
  LiveSource() = default;
  LiveSource(const LiveSource&) = delete;
  LiveSource& operator=(const LiveSource&) = delete;
  virtual ~LiveSource() = default;

  /// Connects, and asks what it is. Errors: Unreadable (nobody there, no answer, an answer that makes no sense),
  /// Cancelled.
  virtual Result<SourceFacts> open(const std::stop_token& stop) = 0;
  /// Begins. With `streams` samples are handed over until end(); the start is then no business of the source's. Else it
  /// waits for plan.start itself, takes what is wanted before and after it, or plan.length, and hands it over then.
  /// Requires: open() was called; the plan's rate and channels are set and within the facts.
  virtual Result<void> begin(const CapturePlan& plan, bool streams, const std::stop_token& stop) = 0;
  /// Waits for what comes, at most about `patience`.
  virtual Result<Taken> take(std::chrono::milliseconds patience, const std::stop_token& stop) = 0;
  /// Says something, soon. What was said comes back by take(), marked as ours. Requires: begin() was called with that
  /// plan. Errors: BadArgument (what it cannot say), Unwritable; the capture may go on after either.
  virtual Result<void> send(const Outgoing& what, const CapturePlan& plan, const std::stop_token& stop);
  /// No more is wanted. What was acquired without streaming can still be taken. Errors do not matter to anybody.
  virtual void end() = 0;
};

/// By its address: "scpi://HOST:PORT", "can://INTERFACE", "serial:/dev/PORT?baud=115200". Errors: BadArgument, naming
/// what there is.
Result<std::unique_ptr<LiveSource>> makeSource(const std::string& url);

/// The buses that a source of frames has by itself, with the plan's names, besides `others`.
std::vector<Bus> busesOf(const SourceFacts& facts, const CapturePlan& plan, const std::vector<Bus>& others);

/// How sources are written, a line each, for people.
std::string sourceHelp();

/// Addresses of the ports and interfaces that this computer has. May take some ms.
std::vector<std::string> sourcesHere();

}  // namespace bexto::live
