#pragma once

#include <cstdint>
#include <vector>

#include "core/base/time.h"

namespace bexto {

/// What a part of a frame is for. Its colour, its words and its place in the bit strip follow from this.
enum class Role : std::uint8_t {
  Start,
  Address,
  Direction,
  Data,
  Acknowledge,
  Parity,
  Stop,
  Control,    ///< says what kind of frame this is
  Length,     ///< says how much data follows
  Check,      ///< CRC, checksum, a count of bits
  Stuff,      ///< a bit that only makes an edge
  Delimiter,  ///< a bit of fixed level between two parts
  Flag,       ///< breaks the rules on purpose, or marks where they were broken
};
inline constexpr std::size_t kRoleCount = 13;

/// One bit as the decoder took it. All times are in ps from the capture's start, lengths in ps.
struct Bit {
  TimeRange cell;         ///< its nominal place; where a clock leads, from one clock period to the next
  Picoseconds sample{0};  ///< the instant whose level counted
  Picoseconds actual{0};  ///< its length on the wire; 0 where no edge tells
  bool level = false;     ///< as sent: for an inverted line already the right way round
  Role role = Role::Data;
  bool wrong = false;          ///< this bit is why the frame has an error
  std::uint8_t line = 0;       ///< of a bus with two data wires in one stream: which, as RoleSpec::dataLine
  Picoseconds nominal{0};      ///< what `actual` is held against; 0: Anatomy::nominalBit
  Picoseconds actualBegin{0};  ///< where on the wire it began; it ended `actual` later. Nothing where that is 0
};

/// A named stretch of bits. `name` and `brief` are literals of the room.
struct Field {
  Role role = Role::Data;
  TimeRange time;
  std::uint32_t value = 0;
  std::size_t firstBit = 0;  ///< in Anatomy::bits
  std::size_t bitCount = 0;  ///< with stuff bits inside; 0 for a condition without bits, such as a START between clocks
  bool complete = true;
  bool wrong = false;
  std::uint8_t line = 0;    ///< as Bit::line
  const char* name = "";    ///< "DLC", "STOP": what people call it where the role does not say it all
  std::uint8_t width = 0;   ///< bits of `value`
  std::size_t ordinal = 0;  ///< its number among the frame's fields of its role (and line), from 0
  const char* brief = "";   ///< the name where there is no room for it; empty: nothing then
};

/// A frame opened up: its fields and bits in the order of time. A value that knows nothing of where it came from.
struct Anatomy {
  std::vector<Field> fields;
  std::vector<Bit> bits;
  Picoseconds nominalBit{0};  ///< what `Bit::actual` is held against; 0 when nothing says
};

/// Fills in Field::ordinal: each field's number among those of its role.
void numberFields(Anatomy& anatomy);

/// The median of the actual lengths that are known: what bits are held against where no rate is set. 0 when none is.
Picoseconds typicalLength(const std::vector<Bit>& bits);

}  // namespace bexto
