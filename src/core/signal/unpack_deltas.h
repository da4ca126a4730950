#pragma once

#include <cstddef>
#include <cstdint>
#include <cstring>
#include <limits>

namespace bexto {

// The rows of deltas that edge_block.cpp writes, back to times. By vectors of what processor the program finds itself
// on (Highway, dispatched at run time); the plain form of each is beside it for tests to hold it against.
//
// All write `count` times in ps to `out`: first, first + d0 * unit, first + (d0 + d1) * unit … from the count - 1
// deltas at `from`, which need not be aligned. Requires: count > 0, unit > 0, room for `count`. Nothing behind the last
// delta is read and nothing behind the last time is written.

/// Two bytes a delta; none is the escape 65535.
void unpackPlainDeltas(const std::uint8_t* from, std::int64_t unit, std::int64_t first, std::size_t count,
                       std::int64_t* out);
/// Two bytes a delta; 65535 says that the eight bytes behind it are the delta.
void unpackNarrowDeltas(const std::uint8_t* from, std::int64_t unit, std::int64_t first, std::size_t count,
                        std::int64_t* out);
/// Four bytes a delta; 4294967295 says that the eight bytes behind it are the delta.
void unpackWideDeltas(const std::uint8_t* from, std::int64_t unit, std::int64_t first, std::size_t count,
                      std::int64_t* out);

/// One delta after the other: `Word` is std::uint16_t or std::uint32_t. What the above give, slowly; for a few it is
/// the quicker way.
template <typename Word>
void unpackDeltasOneByOne(const std::uint8_t* from, std::int64_t unit, std::int64_t first, std::size_t count,
                          std::int64_t* out)
{
  constexpr auto kEscape = std::numeric_limits<Word>::max();
  std::int64_t time = first;
  out[0] = time;
  for (std::size_t i = 1; i < count; ++i) {
    Word word;
    std::memcpy(&word, from, sizeof(Word));
    from += sizeof(Word);
    std::int64_t delta = word;
    if (word == kEscape) [[unlikely]] {
      std::memcpy(&delta, from, sizeof(delta));
      from += sizeof(delta);
    }
    time += delta * unit;
    out[i] = time;
  }
}

}  // namespace bexto
