#pragma once

#include <memory>

#include "core/decode/decoder.h"

namespace bexto {

/// What a Frame of kind Data or Remote says. A frame cut by an error tells only what was read before; `data` points
/// into the index and holds the whole bytes read.
struct CanFrame {
  bool hasExtended = false;
  bool extended = false;
  bool hasId = false;
  std::uint32_t id = 0;  ///< 11 bits, or 29 when extended
  bool hasFormat = false;
  bool fd = false;
  bool hasBrs = false;
  bool brs = false;
  bool hasEsi = false;
  bool esi = false;  ///< the sender is error passive
  bool hasDlc = false;
  unsigned dlc = 0;
  std::span<const std::uint8_t> data;
  bool hasCrc = false;
  std::uint32_t crc = 0;  ///< as sent, without stuff count
  bool hasAck = false;
  bool ack = false;
};

/// Requires: the frame is of kind Data or Remote.
CanFrame canFrame(const Frame& frame);

/// The identifier alone, without a look at the payload: for going through millions of frames.
struct CanHead {
  bool hasId = false;
  bool extended = false;
  std::uint32_t id = 0;
};
/// Of any kind of frame; error and overload frames have none.
CanHead canHead(const Frame& frame);
/// The data bytes alone. Requires: the frame is of kind Data or Remote.
std::span<const std::uint8_t> canData(const Frame& frame);

/// Data bytes that a DLC stands for (ISO 11898-1:2015, table 5). Requires: dlc <= 15.
unsigned canDataLength(unsigned dlc, bool fd);

/// One wire of a CAN bus after ISO 11898-1:2015, as a receiver with the settings' sample points reads it: hard
/// synchronisation and resynchronisation (11.3.2), destuffing (10.5), error and overload frames (10.4.4, 10.4.5).
std::unique_ptr<Decoder> makeCanDecoder(const CanSettings& settings, const StreamInput& input);

/// Requires: frame `number` of `frames` came from decoding `input` with `settings`.
Anatomy canAnatomy(const CanSettings& settings, const StreamInput& input, const FrameIndex& frames,
                   std::uint64_t number);

/// The usual bit rate at which the wire's begin holds most whole frames; 0 when it holds none at any.
double findCanBitRate(const CanSettings& settings, const StreamInput& input);

}  // namespace bexto
