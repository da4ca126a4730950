#pragma once

#include <optional>
#include <span>
#include <string>
#include <vector>

#include "core/base/result.h"
#include "core/base/utc_text.h"
#include "core/signal/capture.h"

namespace bexto {

/// Makes a capture of what files of packets hold, a channel for each interface whose packets some protocol reads: in
/// the order of their times, from the first one on. What else there is, and what is odd about the times, it notes.
class RecordCollector {
 public:
  explicit RecordCollector(std::string path);

  /// Of an interface without a name one is made from what its packets are. The same name and type again is the same
  /// one, unless it is among `beside`, which are others than this one for sure. Returns its number.
  std::size_t addInterface(LinkType linkType, const std::string& name, const std::vector<std::size_t>& beside = {});
  std::size_t interfaces() const { return m_interfaces.size(); }
  /// Whether packets of the interface are kept: else add() only counts them. Requires: addInterface() gave the number.
  bool isRead(std::size_t interface) const { return m_interfaces[interface].isRead; }

  /// A time that goes back in one interface by more than a second, or forward by more than fifty days, is one of a
  /// clock that was set meanwhile: times go on without that step.
  /// Errors: Malformed when all together would be longer than a capture can be.
  Result<void> add(std::size_t interface, WidePicoseconds time, std::span<const std::uint8_t> bytes);
  /// When the recording began and ended, where the file says so; it means nothing when packets disagree.
  void begin(WidePicoseconds time);
  void end(WidePicoseconds time);
  /// Packets that the recorder itself lost.
  void lost(std::size_t interface, std::uint64_t packets);
  /// Packets that have no time, and so no place.
  void timeless() { ++m_timeless; }
  void note(std::string note) { m_notes.push_back(std::move(note)); }
  /// The finest step of times so far.
  void tick(Picoseconds tick);

  /// Errors: Malformed when nothing in it is for us.
  Result<Capture> take();

 private:
  struct Interface {
    LinkType linkType = 0;
    std::string name;
    bool isRead = false;
    RecordLogBuilder records;
    std::optional<std::int64_t> latest = {};  ///< in ps from m_reference
    std::uint64_t packets = 0;
    std::uint64_t lost = 0;
  };

  std::string freeName(LinkType linkType) const;
  void noteWhatWasOdd(Capture& capture) const;

  std::string m_path;
  std::vector<Interface> m_interfaces;
  std::optional<WidePicoseconds> m_reference;  ///< the first packet's time
  std::optional<WidePicoseconds> m_begin;
  std::optional<WidePicoseconds> m_end;
  WidePicoseconds m_shift = 0;  ///< by how much the clock was set so far
  std::int64_t m_first = 0;     ///< in ps from m_reference
  std::int64_t m_last = 0;
  std::uint64_t m_clockSets = 0;
  std::uint64_t m_timeless = 0;
  Picoseconds m_tick = kNever;
  std::vector<std::string> m_notes;
};

}  // namespace bexto
