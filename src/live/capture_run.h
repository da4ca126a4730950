#pragma once

#include <memory>
#include <stop_token>
#include <string>
#include <vector>

#include "core/decode/bus.h"
#include "core/store/session_file.h"
#include "core/store/session_recorder.h"
#include "live/live_source.h"

namespace bexto::live {

/// How a capture stands.
struct CaptureStatus {
  enum class Phase : std::uint8_t {
    Connecting,
    Waiting,  ///< for what is to start a recording
    Recording,
    Fetching,  ///< the instrument is done and hands it over
  };
  Phase phase = Phase::Connecting;
  std::string source;        ///< what it says it is
  double rate = 0;           ///< samples/s
  Picoseconds seen{0};       ///< sampled since the begin, whether it is kept or not
  Picoseconds recorded{0};   ///< of the recording that is under way
  Picoseconds wanted{0};     ///< what it is to be; 0: until it is stopped
  std::uint64_t lines = 0;   ///< of buses that were asked whether they start it
  std::uint64_t starts = 0;  ///< recordings so far
  std::uint64_t sent = 0;    ///< lines that were given to the source to be said
  std::string sendTrouble;   ///< why the last one that was not sent was not, a sentence
  std::string trouble;       ///< why a bus cannot be asked, a sentence; empty: all can
};

/// Told by runCapture(), on its thread.
class CaptureListener {
 public:
  CaptureListener() = default;
  CaptureListener(const CaptureListener&) = delete;
  CaptureListener& operator=(const CaptureListener&) = delete;
  virtual ~CaptureListener() = default;

  /// A recording begins; it is not whole. Before the next one ended() comes.
  virtual void began(const Segment& segment) = 0;
  /// The same one, longer; a few times a second.
  virtual void grew(const std::shared_ptr<const Capture>& capture) = 0;
  /// It is whole: grew() came before with the last of it.
  virtual void ended() = 0;
  /// Asked a few times a second: chunks of the recording that are on the disk, and need not stay in memory. Those since
  /// the last call.
  virtual std::vector<SessionRecorder::ChunkOnDisk> onDisk() { return {}; }
  /// A few times a second.
  virtual void stands(const CaptureStatus& status) = 0;
};

/// What a source has, chosen: names found, rate set. Errors: BadArgument (a name or a rate that the source does not
/// have), with the mend.
Result<CapturePlan> fitted(const CapturePlan& plan, const SourceFacts& facts);

/// Whether the source hands over samples as they come, so that the start is looked for here and it can be without an
/// end. Else its own memory has to do.
bool streams(const CapturePlan& plan, const SourceFacts& facts);

/// Captures from `source` as planned until all is there or `stop` is set, which is no error. `buses` are what events
/// are looked for in; those of a source of frames are there by themselves. What is in `outbox`, if there is one, is
/// sent from the begin on. What goes wrong ends it; what was recorded before has been handed over. Errors: those of the
/// source; BadArgument (a query that cannot be read, a plan that does not fit).
Result<void> runCapture(LiveSource& source, const CapturePlan& plan, const std::vector<Bus>& buses,
                        const std::stop_token& stop, CaptureListener& listener, Outbox* outbox = nullptr);

}  // namespace bexto::live
