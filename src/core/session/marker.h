#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "core/base/stream_id.h"
#include "core/base/time.h"

namespace bexto {

/// A marker, whatever it is called and wherever it stands in the list: given once a session. None: no marker.
enum class MarkerId : std::uint32_t { None = 0 };

/// A moment with a name and, if wanted, a note. When it sits on an edge it says which; when it is pinned to a
/// transaction, on which bus that is and when it begins.
struct Marker {
  struct Pin {
    BusId bus = BusId::None;
    Picoseconds begin{0};
    bool operator==(const Pin&) const = default;
  };
  MarkerId id = MarkerId::None;
  std::string name;  ///< no other has it
  Picoseconds time{0};
  std::string edge = {};  ///< "SCL rises", or empty
  std::string note = {};
  std::optional<Pin> pin = {};
  SegmentId segment = SegmentId::None;  ///< in which its time is; None: the only one there is

  bool operator==(const Marker&) const = default;
};

}  // namespace bexto
