#pragma once

#include <array>
#include <cstddef>
#include <cstdint>
#include <cstring>
#include <span>
#include <vector>

namespace bexto {

/// Transitions are stored and read in blocks of this many: small enough to unpack for one pixel, large enough that
/// what is kept a block (16 bytes) does not count.
inline constexpr std::size_t kBlockEdges = 64;

/// How a block is written and where. Its bytes: each pause as BlockPause says, nine bytes a pause; behind them the row
/// of deltas, one a time, the first of which is 0 and those of pauses too.
struct BlockLayout {
  std::uint32_t offset = 0;  ///< of its first byte in the chunk's bytes
  std::uint8_t power = 0;    ///< a stored delta counts 10^power picoseconds
  std::uint8_t width = 2;    ///< bytes a delta: 2 or 4
  std::uint8_t pauses = 0;   ///< deltas too long for that width

  /// Of its first delta in the chunk's bytes.
  std::size_t row() const { return offset + std::size_t{9} * pauses; }
};

/// A delta that does not fit its row.
struct BlockPause {
  std::uint8_t index = 0;  ///< of the time that it leads to: 1 to 63; rising in a block
  std::int64_t ticks = 0;
};
/// The pause whose number is `i`. Requires: i < layout.pauses.
inline BlockPause pauseOf(const BlockLayout& layout, const std::uint8_t* bytes, std::size_t i)
{
  const std::uint8_t* const at = bytes + layout.offset + 9 * i;
  BlockPause pause{*at, 0};
  std::memcpy(&pause.ticks, at + 1, sizeof(pause.ticks));
  return pause;
}

/// 10^power for 0 <= power <= 18.
std::int64_t tenToThe(int power);

/// Appends the packed form of `ticks` to `bytes`. The first time is not stored: the caller keeps it.
/// Requires: 1 to kBlockEdges ticks, strictly increasing; one tick is 10^power picoseconds.
BlockLayout packBlock(std::span<const std::int64_t> ticks, int power, std::vector<std::uint8_t>& bytes);

/// Writes the first `count` times in picoseconds to `out`, beginning with `first`. A whole block is unpacked by
/// vectors, see unpack_blocks.h; of many, those are the way. Requires: `bytes` is what packBlock appended to, 1 <=
/// count <= times of the block, `out` has room for `count`.
void unpackBlock(const BlockLayout& layout, const std::uint8_t* bytes, std::int64_t first, std::size_t count,
                 std::int64_t* out);
/// The same, one delta after the other: slow, but quicker for a few.
void unpackOneByOne(const BlockLayout& layout, const std::uint8_t* bytes, std::int64_t first, std::size_t count,
                    std::int64_t* out);

}  // namespace bexto
