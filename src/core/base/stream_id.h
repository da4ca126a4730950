#pragma once

#include <compare>
#include <cstdint>

namespace bexto {

/// A bus, whatever it is called and however it is set: given once, and never to another. None: no bus.
enum class BusId : std::uint32_t { None = 0 };

/// A stretch of recording of a session: given once a session. None: none, or the only one that a capture is.
enum class SegmentId : std::uint32_t { None = 0 };

/// One stream of frames of a bus.
struct StreamId {
  BusId bus = BusId::None;
  int stream = -1;                      ///< of the bus's streams, from 0
  SegmentId segment = SegmentId::None;  ///< None: of the segment that is shown

  bool valid() const { return bus != BusId::None; }
  std::strong_ordering operator<=>(const StreamId&) const = default;
};

}  // namespace bexto
