#pragma once

#include <array>
#include <cstddef>
#include <cstdint>
#include <span>
#include <vector>

namespace bexto {

/// Transitions are stored and read in blocks of this many: small enough to unpack for one pixel, large enough that
/// what is kept a block (16 bytes) does not count.
inline constexpr std::size_t kBlockEdges = 64;

/// Where a block's packed bytes lie and how they are written.
struct BlockLayout {
  std::uint32_t offset = 0;  ///< of its first byte in the chunk's bytes
  std::uint8_t power = 0;    ///< a stored delta counts 10^power picoseconds
  std::uint8_t width = 2;    ///< bytes a delta: 2 or 4
  bool plain = false;        ///< of width 2, and no delta needed more
};

/// 10^power for 0 <= power <= 18.
std::int64_t tenToThe(int power);

/// Appends the packed form of `ticks` to `bytes`. The first time is not stored: the caller keeps it.
/// Requires: 1 to kBlockEdges ticks, strictly increasing; one tick is 10^power picoseconds.
BlockLayout packBlock(std::span<const std::int64_t> ticks, int power, std::vector<std::uint8_t>& bytes);

/// Writes `count` times in picoseconds to `out`, beginning with `first`.
/// Requires: `bytes` is what packBlock appended to, `out` has room for `count`.
void unpackBlock(const BlockLayout& layout, const std::uint8_t* bytes, std::int64_t first, std::size_t count,
                 std::int64_t* out);

}  // namespace bexto
