#pragma once

#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "core/base/result.h"
#include "core/signal/conditioning.h"
#include "core/signal/record_log.h"

namespace bexto {

/// One named wire of a capture; or, of a source that hands over frames and no wires, one of its interfaces.
struct Channel {
  std::string path;  ///< full dotted path: "board.i2c.scl", "state[3]" for a bit of a vector
  std::string name;  ///< the shortest trailing part of the path that no other wire has
  EdgeTrack track;   ///< several channels may share one: a wire with several names. Of an interface nothing
  Conditioning conditioning = {};
  std::shared_ptr<const RecordLog> records = {};  ///< of an interface: its frames; nullptr: it is a wire

  bool isWire() const { return records == nullptr; }
  ConditionedTrack signal() const { return {track, conditioning}; }
  /// Whether both are names of one wire or interface.
  bool sameAs(const Channel& other) const
  {
    return isWire() == other.isWire() && (isWire() ? track.sameAs(other.track) : records == other.records);
  }
};

/// Wires that a source declares together: the bits of a number.
struct ChannelVector {
  std::string path;              ///< "top.state[7:0]"
  std::string name;              ///< the shortest trailing part of it that nothing else has
  std::size_t firstChannel = 0;  ///< its highest bit; the others follow
  std::size_t width = 0;         ///< bits, at least 2
};

/// Something that this program itself put on a bus, at a channel's wire or interface.
struct SentSpan {
  TimeRange time;  ///< what begins in it, ends included, is ours
  std::size_t channel = 0;
  bool operator==(const SentSpan&) const = default;
};

/// What a source delivered: channels on one time axis. A value; sharing is by `shared_ptr<const Capture>`.
struct Capture {
  std::string source;                  ///< file name, for people
  std::vector<Channel> channels;       ///< in the order of the source
  std::vector<ChannelVector> vectors;  ///< in the order of their channels; no channel is in two
  Picoseconds end{0};                  ///< the last moment the source speaks of; the first is 0
  Picoseconds tick{1};                 ///< the source's resolution
  double rate = 0;                     ///< samples a second; 0: its times are not those of samples, as far as is known
  std::optional<Picoseconds> trigger;  ///< what started it, when the source says so
  std::string startedAt = {};          ///< ISO 8601 in UTC, when the source says so: "2031-03-17T06:12:00.250Z"
  std::vector<std::string> notes;      ///< what the reader passed over, a sentence each
  /// Where nothing was recorded, in the order of time: an instrument lost samples. Levels there are those of before.
  std::vector<TimeRange> gaps = {};
  /// What was sent from here, in the order in which it was.
  std::vector<SentSpan> sent = {};

  /// The channel called `name`: a full path, or any trailing part that names one wire only.
  /// Errors: BadArgument, with the nearest names, when there is none or more than one.
  Result<std::size_t> find(const std::string& name) const;
  /// Whether there are channels, and none of them is a wire.
  bool isOnlyRecords() const;
};

/// Fills in the names of channels and vectors from their paths.
void nameChannels(Capture& capture);

}  // namespace bexto
