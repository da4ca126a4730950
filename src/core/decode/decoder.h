#pragma once

#include <functional>
#include <limits>
#include <memory>
#include <stop_token>
#include <vector>

#include "core/base/progress.h"
#include "core/decode/anatomy.h"
#include "core/decode/bus.h"
#include "core/decode/frame_index.h"

namespace bexto {

/// What a decoder reads: its wires, in the order of BusStream::channels, conditioned, all known up to `until`. A value;
/// copies share the tracks.
struct StreamInput {
  std::vector<ConditionedTrack> tracks;
  Picoseconds until{0};
  bool final = true;  ///< nothing will follow: what is open at `until` is cut there
  /// Of a stream whose source handed over frames instead of wires: these. Its tracks then stand still.
  std::shared_ptr<const RecordLog> records = {};
  /// Messages that were put together from frames of another stream (Transactions::wholesIn()): nothing was read from
  /// wires, and there is nothing to be opened.
  bool isOfWholes = false;
};

/// The stream's wires as the capture has them, known up to its end.
StreamInput inputOf(const Capture& capture, const BusStream& stream);

/// Turns the transitions of one stream into frames. It never fails: whatever the wires do is a frame with an error, or
/// silence. Thread-compatible: one thread at a time.
///
/// Resumable: the same transitions in any split of pieces give the same frames.
class Decoder {
 public:
  Decoder() = default;
  Decoder(const Decoder&) = delete;
  Decoder& operator=(const Decoder&) = delete;
  virtual ~Decoder() = default;

  /// The input has grown. Requires: it continues the one before.
  virtual void extend(const StreamInput& input) = 0;
  /// Reads about `slice` more transitions and adds the frames that are certain. False when no more can be had from the
  /// input as it stands.
  virtual bool run(FrameIndexBuilder& out, std::size_t slice) = 0;
  /// How far it has read.
  virtual Picoseconds reached() const = 0;
  /// The rate that the wires really have: bit/s or clocks/s; 0 when not known.
  virtual double measuredHertz() const = 0;
};

/// The finished decode of one stream.
struct StreamFrames {
  FrameIndex frames;
  double measuredHertz = 0.0;  ///< as Decoder::measuredHertz()
};

/// Called between slices with what is there so far, on the decoding thread; `done` is the share of the input.
using FramesArrived = std::function<void(const FrameIndexBuilder& sofar, const Decoder& decoder, double done)>;

/// Decodes all of `input`. Looks at the token every 32 K transitions.
/// Errors: Cancelled only.
Result<StreamFrames> decodeStream(const Bus& bus, const StreamInput& input, const std::stop_token& stop,
                                  const FramesArrived& arrived = {});

/// All of time.
inline constexpr TimeRange kAllTime{Picoseconds{std::numeric_limits<std::int64_t>::min() / 2}, kNever};

/// Runs the same decoder again over frame `number` alone, with a recorder. Of a frame that may be very long only what
/// touches `window` is sure to be there.
/// Requires: `frames` came from decoding `input` with `bus`, and number < frames.size().
Anatomy anatomyOf(const Bus& bus, const StreamInput& input, const FrameIndex& frames, std::uint64_t number,
                  TimeRange window = kAllTime);

}  // namespace bexto
