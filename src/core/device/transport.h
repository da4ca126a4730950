#pragma once

// Messages that are too long for a frame and are sent in parts: ISO 15765-2:2016, Road vehicles - Diagnostic
// communication over Controller Area Network (DoCAN) - Part 2: Transport protocol and network layer services.

#include <cstdint>
#include <memory>
#include <optional>
#include <span>
#include <vector>

#include "core/decode/frame_index.h"

namespace bexto {

struct Bus;
class BusDevices;

/// What a frame is for a message of several: its protocol control information (9.4).
struct TransportPart {
  enum class Kind : std::uint8_t {
    Single,  ///< SF: all of a message
    First,   ///< FF
    Next,    ///< CF
    Flow,    ///< FC: how the sender may go on
    None     ///< reserved, or too short
  };
  Kind kind = Kind::None;
  std::uint32_t length = 0;  ///< of Single and First: of the message
  std::uint8_t number = 0;   ///< of Next: SN, 0 to 15; of Flow: FS, 0 go on, 1 wait, 2 overflow
  std::uint8_t block = 0;    ///< of Flow: BS, parts until the next one; 0: all
  std::uint8_t apart = 0;    ///< of Flow: STmin as it was sent
  std::size_t data = 0;      ///< where the message's bytes begin in the frame
};
/// `extended`: an address stands in front of it (9.2: extended and mixed addressing).
TransportPart transportPart(std::span<const std::uint8_t> bytes, bool extended);
/// STmin as a length (9.6.5.4): 00 to 7F milliseconds, F1 to F9 hundreds of microseconds; the reserved ones are 127 ms.
Picoseconds apartOf(std::uint8_t apart);

/// The messages of one stream that came in parts, whole, in the order in which they began. An immutable value; any
/// thread may read.
class Wholes {
 public:
  enum class State : std::uint8_t {
    Whole,
    Interrupted,  ///< another one began before its last part
    OutOfOrder,   ///< a part was missing: SN did not go on
    TimedOut,     ///< nothing more for a second (9.8: N_Cr)
    Refused,      ///< the receiver said overflow
    TooLong       ///< more than kMostBytes
  };
  /// Longer ones are not kept: 9.6.3 allows four gigabytes.
  static constexpr std::uint32_t kMostBytes = 1U << 20U;

  /// `final`: nothing follows. Else a message that may go on, and all that began behind it, wait for it. The same
  /// frames and more give the same messages and more.
  static std::shared_ptr<const Wholes> find(const BusDevices& devices, const Bus& bus, const FrameIndex& frames,
                                            bool final);

  /// Like those of the stream, with all of the message as payload.
  const FrameIndex& frames() const { return m_frames; }
  State stateOf(std::uint64_t whole) const { return m_messages[static_cast<std::size_t>(whole)].state; }
  /// Bytes that were announced.
  std::uint32_t lengthOf(std::uint64_t whole) const { return m_messages[static_cast<std::size_t>(whole)].length; }
  /// Which transport of BusDevices::transports() it came over.
  std::size_t transportOf(std::uint64_t whole) const { return m_messages[static_cast<std::size_t>(whole)].transport; }
  /// Its frames in the stream, flow control among them, rising.
  std::span<const std::uint32_t> partsOf(std::uint64_t whole) const;
  /// The message that a frame of the stream is a part of.
  std::optional<std::uint32_t> wholeOf(std::uint64_t frame) const;

 private:
  class Search;
  struct Message {
    std::uint32_t transport = 0;
    State state = State::Whole;
    std::uint32_t length = 0;
    std::uint64_t firstPart = 0;  ///< in m_parts
    std::uint32_t parts = 0;
  };
  FrameIndex m_frames;
  std::vector<Message> m_messages;
  std::vector<std::uint32_t> m_parts;  ///< frames of the stream, message by message
  struct Part {
    std::uint32_t frame = 0;
    std::uint32_t whole = 0;
  };
  std::vector<Part> m_wholes;  ///< by frame
};

}  // namespace bexto
