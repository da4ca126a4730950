#pragma once

#include <cstdint>
#include <span>

#include "core/decode/frame_index.h"

namespace bexto {

// Kinds of frames. Those with a header come first.
inline constexpr FrameKind kCanData = 0;
inline constexpr FrameKind kCanRemote = 1;
inline constexpr FrameKind kCanError = 2 | kFaultKind;  ///< an error flag and its delimiter
inline constexpr FrameKind kCanOverload = 3;            ///< an overload flag and its delimiter

enum class CanError : FrameErrors {
  Incomplete = 1U << 0U,  ///< the capture ends inside it
  Stuff = 1U << 1U,       ///< six equal bits where stuffing applies
  Form = 1U << 2U,        ///< a bit of fixed form has the wrong level
  Crc = 1U << 3U,         ///< the CRC sent is not the one computed
  StuffCount = 1U << 4U,  ///< the stuff count of an FD frame, or its parity, does not match
  Ack = 1U << 5U,         ///< nobody acknowledged
};

/// Whether it is a data or remote frame.
inline bool canHasHeader(const Frame& frame)
{
  return frame.kind == kCanData || frame.kind == kCanRemote;
}

/// What a data or remote frame says. A frame cut by an error tells only what was read before; `data` points
/// into the index and holds the whole bytes read.
struct CanFrame {
  bool hasExtended = false;  ///< read as far as the IDE bit; each `has` says so of what follows it
  bool extended = false;
  bool hasId = false;
  std::uint32_t id = 0;  ///< 11 bits, or 29 when extended
  bool hasFormat = false;
  bool fd = false;  ///< FDF is recessive
  bool hasBrs = false;
  bool brs = false;  ///< the data phase has a rate of its own
  bool hasEsi = false;
  bool esi = false;  ///< the sender is error passive
  bool hasDlc = false;
  unsigned dlc = 0;  ///< 0 to 15, as sent
  std::span<const std::uint8_t> data;
  bool hasCrc = false;
  std::uint32_t crc = 0;  ///< as sent, without stuff count
  bool hasAck = false;
  bool ack = false;  ///< a dominant bit was seen in the ACK slot
};

/// Requires: canHasHeader(frame).
CanFrame canFrame(const Frame& frame);

/// The identifier alone, without a look at the payload: for going through millions of frames.
struct CanHead {
  bool hasId = false;
  bool extended = false;
  std::uint32_t id = 0;
};
/// Of any kind of frame; error and overload frames have none. `key` is Frame::key.
CanHead canHead(FrameKind kind, std::uint16_t flags, std::uint32_t key);
inline CanHead canHead(const Frame& frame)
{
  return canHead(frame.kind, frame.flags, frame.key);
}
/// The data bytes alone. Requires: canHasHeader(frame).
std::span<const std::uint8_t> canData(const Frame& frame);

/// Data bytes that a DLC stands for (ISO 11898-1:2015, table 5). Requires: dlc <= 15.
unsigned canDataLength(unsigned dlc, bool fd);

}  // namespace bexto
