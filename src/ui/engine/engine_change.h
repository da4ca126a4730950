#pragma once

#include <algorithm>
#include <cstdint>
#include <vector>

#include "core/base/stream_id.h"

namespace bexto::ui {

/// What is other about a bus than it was when a view was last told.
struct BusChange {
  enum class Frames : std::uint8_t {
    Same,
    Extended,  ///< those that were there are as they were; more follow
    Replaced,  ///< another decode: all may be others, or grouped otherwise
  };
  BusId bus = BusId::None;
  Frames frames = Frames::Same;
  /// Extended: of each stream, how many frames there were. The last transaction of those may have grown.
  std::vector<std::uint64_t> kept = {};
  bool described = false;  ///< name, settings, or what is wrong with them
  bool renamed = false;    ///< and of these the name only

  bool hasNewFrames() const { return frames != Frames::Same; }
};

/// All that changed since the views were last told: once a turn of the event loop, however much arrived.
struct EngineChange {
  bool busList = false;            ///< buses came, went, or stand in another order
  bool wires = false;              ///< channels are read otherwise
  bool elsewhere = false;          ///< what is listed of segments that are not shown
  std::vector<BusChange> buses{};  ///< at most one each

  /// nullptr when nothing is other about that bus.
  const BusChange* of(BusId bus) const
  {
    const auto found = std::find_if(buses.begin(), buses.end(), [bus](const BusChange& c) { return c.bus == bus; });
    return found == buses.end() ? nullptr : &*found;
  }
  /// Whether lists of frames may be others.
  bool hasNewFrames() const
  {
    return busList || std::any_of(buses.begin(), buses.end(), [](const BusChange& c) { return c.hasNewFrames(); });
  }
  bool isDescribed() const
  {
    return busList || std::any_of(buses.begin(), buses.end(), [](const BusChange& c) { return c.described; });
  }
  /// Nothing but names.
  bool isRename() const
  {
    return !busList && !wires && !elsewhere && std::all_of(buses.begin(), buses.end(), [](const BusChange& c) {
      return !c.hasNewFrames() && (c.renamed || !c.described);
    });
  }
  bool empty() const { return !busList && !wires && !elsewhere && buses.empty(); }
};

}  // namespace bexto::ui
