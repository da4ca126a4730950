#pragma once

#include <cstdint>
#include <memory>
#include <span>

#include "core/decode/frame_index.h"

namespace bexto {

/// How the ends of a bus speak to one another: what a description of a device can lean on, whatever the protocol.
enum class TalkStyle : std::uint8_t {
  None,       ///< nothing is known
  Addressed,  ///< a controller calls a device by its address, and writes or reads
  Exchanged,  ///< both sides speak at once, to whoever is selected
  Named,      ///< anybody says something that has a name of its own: an identifier
  Characters  ///< a row of characters; what belongs together only the ends know
};

/// A frame as what is said to whom. A borrowed view: the spans point into the frame's payload.
struct Talk {
  /// Names of a wide form (extended identifiers, long addresses) have this bit, so that they are others than short
  /// ones of the same number.
  static constexpr std::uint32_t kWide = 1U << 31U;

  bool heard = false;                 ///< it got far enough to say something; else nothing below means anything
  std::uint32_t name = 0;             ///< of Addressed the address, of Named the identifier
  bool answered = true;               ///< of Addressed: the device acknowledged its address
  bool inward = false;                ///< of Addressed: the device speaks
  bool whole = true;                  ///< not cut short
  bool certain = true;                ///< the protocol's own check, where it has one, holds
  std::span<const std::uint8_t> out;  ///< what was said; of Addressed and Exchanged by the controller
  std::span<const std::uint8_t> in;   ///< of Addressed and Exchanged: what the device said
};

/// Reads frames of one bus as that. Made by Protocol::talkReader() for one bus. Immutable; any number of threads may
/// use one.
class TalkReader {
 public:
  TalkReader() = default;
  TalkReader(const TalkReader&) = delete;
  TalkReader& operator=(const TalkReader&) = delete;
  virtual ~TalkReader() = default;

  /// Requires: `frame` came from decoding the bus, and is an object that lives as long as the result is used.
  virtual Talk of(const Frame& frame) const = 0;
};

}  // namespace bexto
