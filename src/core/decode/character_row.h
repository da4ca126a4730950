#pragma once

#include <array>
#include <cstddef>
#include <cstdint>

namespace bexto {

/// How long a character on one wire lasts: a start bit, bits of one length, and a stop bit.
struct CharacterShape {
  double bitsPerPicosecond = 0.0;
  int bitsToStop = 0;       ///< the start bit and those behind it, at most 11
  std::int64_t resume = 0;  ///< ps from the start edge; a fall from there on begins the next one
  std::int64_t over = 0;    ///< ps from the start edge; not below resume, and all its looks are before
};

/// Characters that follow one another, as CharacterRowReader has read them. Points into the transitions that it read.
struct CharacterRow {
  static constexpr std::size_t kMost = 64;

  std::array<const std::int64_t*, kMost + 1> starts;  ///< the start edges, in a row of transitions; and the next one
  /// As sampled: bit 0 the start bit, then data, parity, stop; what is above says nothing.
  std::array<std::uint32_t, kMost> bits;
};

/// Reads characters without any trouble: of which no edge is near a look at a bit (see protocol/uart/uart_machine.h),
/// so that one look tells what three would, and that end with the level of their stop bit or are followed by a rise and
/// a fall.
///
/// Immutable; any thread may read by it, each into a row of its own.
class CharacterRowReader {
 public:
  /// Requires: shape.bitsPerPicosecond > 0.
  explicit CharacterRowReader(const CharacterShape& shape);

  /// From the start edge `at` on, as many as are whole before `end`, and at most CharacterRow::kMost. Stops before the
  /// first one that needs a closer look. Returns how many; row.starts has one more. Requires: 16 can be read behind
  /// `end`.
  std::size_t read(const std::int64_t* at, const std::int64_t* end, CharacterRow& row) const;

  /// What the vectors need to know of a character.
  struct Grid {
    std::int64_t over;  ///< ps; up to there are its edges and its looks
    int shift;          ///< of distances in ps, so that `over` has 30 bits
    std::int32_t shiftedOver;
    float eighths;  ///< of a bit, a shifted picosecond
    double eighthsPerPicosecond;
    std::int32_t lastSafe;  ///< eighth of a bit: edges near one that is later need a closer look
  };

 private:
  Grid m_grid;
  bool m_isLong;  ///< has more than nine edges
};

}  // namespace bexto
