#pragma once

#include "core/decode/frame_index.h"

namespace bexto {

// What a frame of a UART says: its kind; for a character Frame::key, its value, which it has only with kUartHasValue
// among the flags. No payload.

inline constexpr FrameKind kUartCharacter = 0;  ///< from its start edge to the end of its last stop bit
inline constexpr FrameKind kUartBreak = 1;      ///< low for a whole character and longer; ends with the rising edge

/// Frame::flags of a character: it was read as far as its value.
inline constexpr std::uint16_t kUartHasValue = 1;
/// The same: a serial port handed it over, so its time is that of its arrival.
inline constexpr std::uint16_t kUartRecorded = 2;

enum class UartError : FrameErrors {
  Parity = 1U << 0U,      ///< the parity bit is wrong
  Framing = 1U << 1U,     ///< the first stop bit is not at its level
  Incomplete = 1U << 2U,  ///< the capture ends inside it
};

inline bool uartHasValue(const Frame& frame)
{
  return (frame.flags & kUartHasValue) != 0;
}

}  // namespace bexto
