#pragma once

#include <cstdint>
#include <vector>

#include "core/base/time.h"

namespace bexto {

/// What a part of a frame is for. Its colour, its words and its place in the bit strip follow from this.
enum class Role : std::uint8_t { Start, Address, Direction, Data, Acknowledge, Parity, Stop };

/// One bit as the decoder took it.
struct Bit {
  TimeRange cell;         ///< UART: its nominal place; I2C: from the clock's falling edge to the next
  Picoseconds sample{0};  ///< the instant whose level counted
  Picoseconds actual{0};  ///< its length on the wire; 0 where no edge tells
  bool level = false;     ///< as sent: for an inverted line already the right way round
  Role role = Role::Data;
  bool wrong = false;  ///< this bit is why the frame has an error
};

/// A named stretch of bits.
struct Field {
  Role role = Role::Data;
  TimeRange time;
  std::uint32_t value = 0;
  std::size_t firstBit = 0;  ///< in Anatomy::bits
  std::size_t bitCount = 0;  ///< 0 for a condition without bits, such as an I2C START
  bool complete = true;
  bool wrong = false;
};

/// A frame opened up: its fields and bits in the order of time.
struct Anatomy {
  std::vector<Field> fields;
  std::vector<Bit> bits;
  Picoseconds nominalBit{0};  ///< what `Bit::actual` is held against; 0 when nothing says
};

}  // namespace bexto
