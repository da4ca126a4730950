#pragma once

#include <cstdint>
#include <span>

#include "core/decode/frame_index.h"

namespace bexto {

/// The only kind: from START or repeated START to STOP or the next repeated START.
inline constexpr FrameKind kI2cTransfer = 0;

enum class I2cError : FrameErrors {
  Incomplete = 1U << 0U,       ///< a STOP or the capture's end inside a byte, or before there was one
  Nack = 1U << 1U,             ///< the address was not acknowledged
  UnexpectedStart = 1U << 2U,  ///< a START or STOP inside a byte
};

/// How an I2C transfer ended.
enum class I2cEnd : std::uint8_t {
  Stop,     ///< UM10204 3.1.4
  Restart,  ///< a START without a STOP before it: the exchange goes on
  None      ///< the capture ended
};

/// What a frame says. `data` points into the index.
struct I2cTransfer {
  bool hasAddress = false;    ///< false: cut before the address byte was whole; the rest means nothing then
  std::uint32_t address = 0;  ///< 7 or 10 bits
  bool tenBit = false;        ///< UM10204 3.1.11
  bool read = false;          ///< the controller reads
  bool addressAck = false;    ///< of a 10-bit address, both its bytes
  I2cEnd end = I2cEnd::Stop;
  std::span<const std::uint8_t> data;  ///< whole bytes, without those of the address

  /// Whether data byte `i` was acknowledged. Requires: i < data.size().
  bool ackOf(std::size_t i) const;

  /// Behind the accessor: how the acknowledge bits are kept (see i2c_frame.cpp).
  std::uint8_t ackForm = 0;
  std::span<const std::uint8_t> ackMap = {};
};

/// Frame::key is the address. The spans point into the frame's payload.
I2cTransfer i2cTransfer(const Frame& frame);

namespace i2c {

// Frame::flags, for the machine and for scans.
inline constexpr std::uint8_t kHasAddress = 1U << 0U;
inline constexpr std::uint8_t kTenBit = 1U << 1U;
inline constexpr std::uint8_t kRead = 1U << 2U;
inline constexpr std::uint8_t kAddressAck = 1U << 3U;
inline constexpr unsigned kEndShift = 4;
inline constexpr unsigned kAckShift = 6;

inline constexpr std::uint8_t kAllAcked = 0;
inline constexpr std::uint8_t kAllButLast = 1;
inline constexpr std::uint8_t kMapped = 2;

}  // namespace i2c

}  // namespace bexto
